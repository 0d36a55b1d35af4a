"""Whom a rate card is for, as it is written."""

from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import Discriminator, Tag

from gradumen.core.catalogue.selection import NAMED, TYPES, Buyers
from gradumen.core.errors import Invalid
from gradumen.wire.catalogue.forms.base import Form, Slug, checked, named, read, text_schema

EVERYBODY = ("any", NAMED, *TYPES)


def _country(raw: Any, field: str) -> str:
    if not (isinstance(raw, str) and len(raw) == 2 and raw.isascii() and raw.isalpha() and raw.isupper()):
        raise Invalid(f"country '{str(raw)[:20]}' is not a code of two capital letters", field=field, value=raw)
    return raw


def _type(raw: Any, field: str) -> str:
    if raw not in TYPES:
        raise Invalid(f"type must be one of {', '.join(TYPES)}", field=field, value=raw)
    return str(raw)


def _group(raw: Any, field: str) -> str:
    if raw not in EVERYBODY:
        raise Invalid(f"for must be one of {', '.join(EVERYBODY)}", field=field, value=raw)
    return str(raw)


Country = Annotated[str, checked(_country), text_schema(pattern="^[A-Z]{2}$")]


class BuyersForm(Form):
    """Buyers that fulfil all of this; or organisations by name, without other conditions."""

    type: Annotated[str, checked(_type), text_schema(enum=list(TYPES))] | None = None
    organisations: list[Slug] = []
    countries: list[Country] = []
    segments: list[Annotated[str, *named(60)]] = []

    def value(self) -> Buyers:
        """Whom this is for.

        Raises:
            Invalid: organisations beside other conditions.
        """
        if self.organisations and (self.countries or self.segments or self.type):
            raise Invalid("a card of named organisations has no other conditions", field="organisations")
        return Buyers(self.type, tuple(self.organisations), tuple(self.countries), tuple(self.segments))


def _how(raw: Any) -> str:
    return "<rule>" if isinstance(raw, Mapping | BuyersForm) else "<group>"


Group = Annotated[str, checked(_group), text_schema(enum=list(EVERYBODY))]
WrittenBuyers = Annotated[Annotated[Group, Tag("<group>")] | Annotated[BuyersForm, Tag("<rule>")], Discriminator(_how)]
"""``any``, ``tenants`` and the like, or a rule."""


class _ForForm(Form):
    for_: WrittenBuyers


def buyers_of(written: str | BuyersForm) -> Buyers:
    """Whom a card is for."""
    if isinstance(written, str):
        return Buyers(None if written in ("any", NAMED) else written, named=written == NAMED)
    return written.value()


def read_buyers(raw: Any) -> Buyers:
    """Read ``any``, ``tenants``, ``named`` and the like, or a mapping of conditions.

    Raises:
        Invalid: anything else.
    """
    return buyers_of(read(_ForForm, {"for": raw}).for_)


def buyers_form(buyers: Buyers) -> str | dict[str, Any]:
    """The inverse of `read_buyers`."""
    if buyers.named:
        return NAMED
    listed: Mapping[str, tuple[str, ...]] = {
        "organisations": buyers.organisations,
        "countries": buyers.countries,
        "segments": buyers.segments,
    }
    if not any(listed.values()):
        return buyers.type or "any"
    found: dict[str, Any] = {"type": buyers.type} if buyers.type else {}
    return found | {name: list(values) for name, values in listed.items() if values}
