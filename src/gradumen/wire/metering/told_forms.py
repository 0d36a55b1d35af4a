"""Conditions on what is told of a reading, as they are written: those of prices, and more."""

from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import PlainSerializer, WithJsonSchema

from gradumen.core.errors import Invalid
from gradumen.core.exact import number, text
from gradumen.core.metering.told_conditions import AtLeast, Pattern, Present, ToldCondition
from gradumen.wire.catalogue.forms.base import checked
from gradumen.wire.catalogue.forms.conditions import condition_form, read_condition

_KINDS = (
    "a value, a list of values, or one of {prefix: text}, {contains: text}, {pattern: expression}, {at-least: number}, "
    "{present: true}"
)


def read_told(raw: Any) -> ToldCondition:
    """Read a condition.

    Raises:
        Invalid: another form, or a pattern or number that is none.
    """
    if not isinstance(raw, Mapping):
        return read_condition(raw, ())
    if len(raw) != 1 or next(iter(raw)) not in ("prefix", "contains", "pattern", "at-least", "present"):
        raise Invalid(f"write {_KINDS}", field="conditions")
    ((kind, said),) = raw.items()
    if kind == "pattern":
        return Pattern(str(said))
    if kind == "at-least":
        return AtLeast(number(said, field="at-least", places=6))
    if kind == "present":
        if not isinstance(said, bool):
            raise Invalid("present is true or false", field="present", value=said)
        return Present(said)
    return read_condition(raw, ())


def told_form(condition: ToldCondition) -> Any:
    """The inverse of `read_told`."""
    match condition:
        case Pattern(said):
            return {"pattern": said}
        case AtLeast(least):
            return {"at-least": text(least)}
        case Present(wanted):
            return {"present": wanted}
    return condition_form(condition)


def told_words(written: Any) -> str:
    """A condition, as it is written, in words.

    >>> told_words(["a", "b"]), told_words({"contains": "x"}), told_words({"present": True})
    ('a or b', 'containing x', 'said')
    """
    if isinstance(written, Mapping):
        ((kind, said),) = written.items()
        if kind == "present":
            return "said" if said else "not said"
        words = {"prefix": "beginning with", "contains": "containing", "pattern": "like", "at-least": "at least"}
        return f"{words[kind]} {said}"
    return " or ".join(map(str, written)) if isinstance(written, list | tuple) else str(written)


WrittenTold = Annotated[
    Any, checked(lambda raw, _: read_told(raw)), PlainSerializer(told_form), WithJsonSchema({"description": _KINDS})
]
"""A condition on a fact or attribute."""
