"""The written form of conditions: a value, a list of values, or part of one."""

from collections.abc import Mapping
from typing import Any

from gradumen.core.catalogue import name_of
from gradumen.core.errors import Invalid
from gradumen.core.matching import Condition, Contains, Equals, OneOf, Prefix


def read_condition(raw: Any, values: tuple[str, ...]) -> Condition:
    """Read a condition on a text that has one of ``values``, or any text where there are none.

    Raises:
        Invalid: another form, or a value that is not allowed.
    """
    if isinstance(raw, Mapping):
        kinds: dict[str, type[Prefix] | type[Contains]] = {"prefix": Prefix, "contains": Contains}
        if len(raw) != 1 or next(iter(raw)) not in kinds:
            raise Invalid("write a value, a list of values, {prefix: text} or {contains: text}", field="where")
        ((kind, part),) = raw.items()
        text_part = name_of(str(part), field=str(kind), most=60)
        found = kinds[kind](text_part)
        among = tuple(value for value in values if found.holds(value)) if values else None
        if among == ():
            raise Invalid(f"no allowed value has that {kind}: {', '.join(values)}", field="where", value=part)
        return kinds[kind](text_part, among)
    listed = [str(each) for each in raw] if isinstance(raw, list | tuple) else [str(raw)]
    for value in listed:
        if values and value not in values:
            raise Invalid(f"'{value}' is not one of {', '.join(values)}", field="where", value=value)
    return OneOf(tuple(listed)) if isinstance(raw, list | tuple) else Equals(listed[0])


def condition_form(condition: Condition) -> Any:
    """The inverse of `read_condition`."""
    match condition:
        case Equals(value):
            return value
        case OneOf(values):
            return list(values)
        case Prefix(part):
            return {"prefix": part}
        case Contains(part):
            return {"contains": part}
