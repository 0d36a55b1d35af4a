"""The kinds of values that forms are made of, and how a form is read."""

from collections.abc import Callable, Mapping
from datetime import date
from decimal import Decimal
from enum import StrEnum
from itertools import takewhile
from typing import Annotated, Any, TypeVar

from pydantic import (
    BeforeValidator,
    ConfigDict,
    PlainSerializer,
    ValidationError,
    ValidationInfo,
    WithJsonSchema,
    model_validator,
)
from pydantic_core import PydanticCustomError

from gradumen.core.catalogue.services import Meter
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, number, text
from gradumen.core.mistakes import Mistakes, together
from gradumen.core.names import name_of, slug_of
from gradumen.core.units import Unit, convertible, smallest
from gradumen.wire.values import AsSet

F = TypeVar("F", bound="Form")
RENAMED = {
    "up-to": "'to', as in blocks: [{to: 15, price: 0.05}, {price: 0.03}]",
    "whole-quantity": "'blocks' with at-reached-step: true",
    "package": "'lots', as in lots: {of: 4000, price: 0.05}",
}
"""Fields of files of before, with what is written in their place."""
LONGEST_TEXT = 2000
_SLUG = r"^[a-z0-9][a-z0-9-]{0,62}$"
_NUMBER = r"^-?[0-9]+(\.[0-9]+)?$"


class Form(AsSet):
    """Something written: unknown fields are refused by name, names of several words are joined by hyphens."""

    model_config = ConfigDict(
        extra="forbid",
        frozen=True,
        alias_generator=lambda name: name.rstrip("_").replace("_", "-"),
        validate_by_name=False,
    )

    @model_validator(mode="before")
    @classmethod
    def _check_fields(cls, raw: Any) -> Any:
        required = [field.alias or name for name, field in cls.model_fields.items() if field.is_required()]
        known = [field.alias or name for name, field in cls.model_fields.items()]
        if not isinstance(raw, Mapping):
            raise _wrong(f"this must have the fields {', '.join(required or known)}")
        for name in required:
            if name not in raw:
                raise _wrong(f"'{name}' is missing; add it")
        for name in raw:
            if name not in known:
                remedy = f"write {RENAMED[name]}" if name in RENAMED else f"use one of {', '.join(known)}"
                raise _wrong(f"'{str(name)[:60]}' is not a field here; {remedy}")
        return {name: value for name, value in raw.items() if value is not None or name in required}

    def plain(self) -> dict[str, Any]:
        """What is written, as plain data: what was left out is not there."""
        return self.model_dump(mode="json", by_alias=True)


def read(kind: type[F], raw: object) -> F:
    """Read what is written.

    Raises:
        Invalid: with ``path`` in its facts; all mistakes in the order of the form's fields.
    """
    return _read(kind.model_validate, raw)


def _read(validate: Callable[[object], F], raw: object) -> F:
    try:
        return validate(raw)
    except ValidationError as error:
        found: dict[str, Invalid] = {}
        for each in error.errors(include_url=False):
            path = path_of(each["loc"])
            # Of a value that may be written in several ways, what the first of them lacks.
            place = path_of(tuple(takewhile(lambda part: not _alternative(part), each["loc"])))
            found.setdefault(place, Invalid(_message(each), field=path.rpartition(".")[2], path=path))
        raise together(list(found.values())) from None


def mistakes_of_items(
    validate: Callable[[object], F], raw: object, name: str, problem: Invalid, use: Callable[[F], Any]
) -> list[Invalid]:
    """What is wrong with the items of a form's list that can be read, where the form as a whole cannot.

    Args:
        validate: reads an item.
        problem: of the whole; items that it is of are left out.
        use: looks at an item.
    """
    mistakes = Mistakes()
    items = raw.get(name) if isinstance(raw, Mapping) else None
    for index, item in enumerate(items if isinstance(items, list) else []):
        place = f"{name}[{index}]"
        if not any(f"{each.facts['path']}.".startswith((f"{place}.", f"{place}[")) for each in problem.each):
            with mistakes.at(place):
                use(_read(validate, item))
    return mistakes.found


def _alternative(part: int | str) -> bool:
    return isinstance(part, str) and part.startswith(("[", "<"))


def path_of(loc: tuple[int | str, ...]) -> str:
    """A place in a form: ``rates[2].blocks[0].to``; the names of alternatives are no part of it."""
    path = ""
    for each in loc:
        if isinstance(each, int):
            path += f"[{each}]"
        elif not _alternative(each):
            path += f".{each}" if path else each
    return path


def _message(error: Any) -> str:
    kinds = {"list_type": "a list", "dict_type": "a mapping", "string_type": "a text"}
    if error["type"] in kinds:
        where = [each for each in error["loc"] if not _alternative(each)]
        return f"'{where[-1] if where else 'this'}' must be {kinds[error['type']]}"
    return str(error["msg"])


def _wrong(message: str) -> PydanticCustomError:
    return PydanticCustomError("written", "{message}", {"message": message})


def checked(check: Callable[[Any, str], Any]) -> BeforeValidator:
    """A validator from a function of the value and its field's name that raises `Invalid`."""

    def validate(raw: Any, info: ValidationInfo) -> Any:
        field = (info.field_name or "value").rstrip("_").replace("_", "-")
        try:
            return check(raw, field)
        except Invalid as problem:
            raise _wrong(problem.message) from None

    return BeforeValidator(validate)


def text_schema(**more: Any) -> WithJsonSchema:
    """The schema of a text, with what bounds it."""
    return WithJsonSchema({"type": "string", **more})


def _number_schemas() -> tuple[WithJsonSchema, WithJsonSchema]:
    """Written as a number or as text; always text in answers, so that none passes through a float."""
    written = {"anyOf": [{"type": "number"}, {"type": "string", "pattern": _NUMBER}]}
    answered = {"type": "string", "format": "decimal"}
    return WithJsonSchema(written, mode="validation"), WithJsonSchema(answered, mode="serialization")


def _decimal(places: int, *, signed: bool = False) -> Callable[[Any, str], Decimal]:
    def check(raw: Any, field: str) -> Decimal:
        value = number(raw, field=field, places=places)
        if value < 0 and not signed:
            raise Invalid(f"{field} {text(value)} is negative; only discounts lower a price", field=field, value=raw)
        return value

    return check


def _long(raw: Any, field: str) -> str:
    if not isinstance(raw, str) or len(raw) > LONGEST_TEXT:
        raise Invalid(f"{field} is a text of at most {LONGEST_TEXT} characters", field=field)
    return raw.strip()


def _day(raw: Any, field: str) -> date:
    try:
        return date.fromisoformat(str(raw))
    except ValueError:
        raise Invalid(f"{field} must be a day, like 2026-01-01", field=field, value=str(raw)) from None


def _yes_or_no(raw: Any, field: str) -> bool:
    written = str(raw).lower()
    if written not in ("true", "false"):
        raise Invalid(f"{field} is true or false", field=field, value=raw)
    return written == "true"


def whole_number(raw: Any, field: str, most: int, least: int = 0) -> int:
    """Read a whole number within limits."""
    if isinstance(raw, bool) or not str(raw).isdigit() or not str(raw).isascii() or not least <= int(raw) <= most:
        raise Invalid(f"{field} must be a whole number from {least} to {most}", field=field, value=raw)
    return int(raw)


def whole(most: int, least: int = 0) -> tuple[Any, ...]:
    """What makes an ``int`` a whole number within limits."""
    schema = {
        "anyOf": [{"type": "integer", "minimum": least, "maximum": most}, {"type": "string", "pattern": "^[0-9]+$"}]
    }
    return (
        checked(lambda raw, field: whole_number(raw, field, most, least)),
        WithJsonSchema(schema, mode="validation"),
        WithJsonSchema({"type": "integer"}, mode="serialization"),
    )


def one_of(kind: type[StrEnum]) -> tuple[Any, ...]:
    """What makes an enumeration one of its values as they are written."""

    def check(raw: Any, field: str) -> StrEnum:
        try:
            return kind(raw)
        except ValueError:
            raise Invalid(f"{field} must be one of {', '.join(kind)}", field=field, value=raw) from None

    return checked(check), WithJsonSchema({"type": "string", "enum": [str(each) for each in kind]})


def named(most: int) -> tuple[Any, ...]:
    """What makes a ``str`` a name of at most so many characters."""
    return checked(lambda raw, field: name_of(raw, field=field, most=most)), text_schema(minLength=1, maxLength=most)


_AS_TEXT = PlainSerializer(text, return_type=str, when_used="always")
Slug = Annotated[str, checked(lambda raw, field: slug_of(raw, field=field)), text_schema(pattern=_SLUG)]
Name = Annotated[str, checked(lambda raw, field: name_of(raw, field=field)), text_schema(minLength=1)]
LongText = Annotated[str, checked(_long), text_schema(maxLength=LONGEST_TEXT)]
Written = Annotated[
    str,
    checked(lambda raw, _: str(raw)),
    WithJsonSchema({"type": ["string", "number", "boolean"]}, mode="validation"),
    WithJsonSchema({"type": "string"}, mode="serialization"),
]
"""A text that is looked at later, with what is known; YAML may take it for a number."""
Price = Annotated[Decimal, checked(_decimal(AMOUNT_PLACES)), _AS_TEXT, *_number_schemas()]
Percent = Annotated[Decimal, checked(_decimal(8)), _AS_TEXT, *_number_schemas()]
SignedPrice = Annotated[Decimal, checked(_decimal(AMOUNT_PLACES, signed=True)), _AS_TEXT, *_number_schemas()]
SignedPercent = Annotated[Decimal, checked(_decimal(8, signed=True)), _AS_TEXT, *_number_schemas()]
Quantity = Annotated[Decimal, checked(_decimal(QUANTITY_PLACES)), _AS_TEXT, *_number_schemas()]
Day = Annotated[date, checked(_day), text_schema(format="date")]
YesNo = Annotated[
    bool,
    checked(_yes_or_no),
    WithJsonSchema({"enum": [True, False, "true", "false"]}, mode="validation"),
    WithJsonSchema({"type": "boolean"}, mode="serialization"),
]


def meter_of(raw: object, meters: Mapping[str, Meter]) -> Meter:
    """The meter of that slug.

    Raises:
        Invalid: there is none.
    """
    if str(raw) not in meters:
        raise Invalid(f"meter '{str(raw)[:80]}' is not known; write service/meter", field="meter", value=raw)
    return meters[str(raw)]


def quantity_of(raw: object, meter: Meter) -> tuple[Decimal, Unit]:
    """A quantity with its unit, as ``100 GiB``.

    Raises:
        Invalid: not a quantity, below 0, or in a unit that measures something else.
    """
    amount, _, unit_text = str(raw).strip().partition(" ")
    quantity = number(amount, field="quantity", places=QUANTITY_PLACES)
    if quantity < 0:
        raise Invalid(f"'{raw}' is negative", field="quantity", value=raw)
    unit = convertible(unit_text.strip(), meter.unit, counted=meter.counted)
    smallest(quantity, unit)
    return quantity, unit
