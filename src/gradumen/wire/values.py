"""How values travel: amounts and quantities as text, times in RFC 3339 UTC, unknown fields refused."""

from decimal import Decimal
from typing import Annotated, Any, Generic, Self, TypeVar

from pydantic import (
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    PlainSerializer,
    SerializerFunctionWrapHandler,
    WithJsonSchema,
    model_serializer,
)

from gradumen.core.exact import NUMBER, text


def _decimal(raw: Any) -> Decimal:
    if isinstance(raw, Decimal):
        return raw
    if not isinstance(raw, str) or len(raw) > 60:
        raise ValueError('must be a number written as text, like "12.5"')
    if not NUMBER.fullmatch(raw):
        raise ValueError('is not a number; write it like "12.5"')
    return Decimal(raw)


DecimalText = Annotated[
    Decimal,
    BeforeValidator(_decimal),
    PlainSerializer(text, return_type=str, when_used="json"),
    WithJsonSchema({"type": "string", "format": "decimal", "examples": ["12.5"]}),
]
"""An exact number, as text in JSON."""


WholeNumber = Annotated[int, Field(strict=True)]
"""A whole number: no text, and no yes or no."""

YesOrNo = Annotated[bool, Field(strict=True)]
"""True or false, and nothing that looks like it."""


class Body(BaseModel):
    """A body of a request or response."""

    model_config = ConfigDict(
        extra="forbid", from_attributes=True, json_schema_serialization_defaults_required=True, frozen=True
    )

    @classmethod
    def of(cls, value: Any) -> Self:
        """The body of a value that has the same attributes."""
        return cls.model_validate(value)


class AsSet(BaseModel):
    """Writes only the fields that were set: what was left out is not there."""

    # Without a type of what it gives, the description is that of the fields.
    @model_serializer(mode="wrap")
    def _without_what_is_not_there(self, write: SerializerFunctionWrapHandler):  # type: ignore[no-untyped-def]  # see above
        there = {self.__class__.model_fields[name].alias or name for name in self.model_fields_set}
        return {name: value for name, value in write(self).items() if name in there | self.model_fields_set}


Item = TypeVar("Item", bound=Body)


class Page(Body, Generic[Item]):
    """One page of a list; ``next`` goes into ``after`` for the one that follows, and is null on the last."""

    items: list[Item]
    next: str | None = None


class Problem(BaseModel):
    """A refusal (RFC 9457), with a stable ``code`` and the facts that its message names."""

    type: str
    title: str
    status: int
    detail: str
    code: str
    facts: dict[str, Any]


__all__ = ["AsSet", "Body", "DecimalText", "Item", "Page", "Problem", "WholeNumber", "YesOrNo"]
