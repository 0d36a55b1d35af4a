"""Conditions on a text as they are written: a value, a list of values, or a part of one."""

from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import PlainSerializer, WithJsonSchema

from gradumen.core.catalogue.conditions import Condition, Contains, Equals, OneOf, Prefix
from gradumen.core.errors import Invalid
from gradumen.core.names import name_of
from gradumen.wire.catalogue.forms.base import checked


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


_PART = {"type": "object", "additionalProperties": False, "minProperties": 1, "maxProperties": 1}
_TEXT = {"type": "string", "minLength": 1}
WrittenCondition = Annotated[
    Any,
    checked(lambda raw, _: read_condition(raw, ())),
    PlainSerializer(condition_form),
    WithJsonSchema(
        {
            "anyOf": [
                {"type": ["string", "number", "boolean"]},
                {"type": "array", "items": {"type": ["string", "number", "boolean"]}, "minItems": 2},
                {**_PART, "properties": {"prefix": _TEXT}, "required": ["prefix"]},
                {**_PART, "properties": {"contains": _TEXT}, "required": ["contains"]},
            ]
        },
        mode="validation",
    ),
    WithJsonSchema(
        {
            "anyOf": [
                {"type": "string"},
                {"type": "array", "items": {"type": "string"}},
                {"type": "object", "properties": {"prefix": _TEXT}, "required": ["prefix"]},
                {"type": "object", "properties": {"contains": _TEXT}, "required": ["contains"]},
            ]
        },
        mode="serialization",
    ),
]
"""A condition whose values are not held against a service's yet."""


def among(condition: Condition, values: tuple[str, ...]) -> Condition:
    """A condition on a text that has one of ``values``, or any text where there are none.

    Raises:
        Invalid: a value that is not allowed, or a part that no value has.
    """
    return read_condition(condition_form(condition), values)
