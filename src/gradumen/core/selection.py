"""Which of a seller's rate cards prices a buyer.

The buyer's own card wins; then one whose rule has more conditions (type, country, segment); of equally many, country
goes before segment and segment before type; last the default of the currency, which has none.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

from gradumen.core.catalogue import name_of, slug_of
from gradumen.core.errors import Invalid
from gradumen.core.forms import each_of, fields_of

TYPES = ("resellers", "tenants", "own-use")
NAMED = "named"
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Buyer:
    """What of a buyer decides its prices; ``type`` is one of `TYPES`."""

    slug: str
    type: str
    country: str
    segment: str | None = None


@dataclass(frozen=True, slots=True)
class Buyers:
    """Whom a rate card is for: all these hold; empty is any. ``named``: only where a supply line names the card."""

    type: str | None = None
    organisations: tuple[str, ...] = ()
    countries: tuple[str, ...] = ()
    segments: tuple[str, ...] = ()
    named: bool = False

    def holds(self, buyer: Buyer) -> bool:
        """Whether the card is for that buyer. An internal cost card and sales exclude each other."""
        if (self.type == "own-use") != (buyer.type == "own-use"):
            return False
        return (
            self.type in (None, buyer.type)
            and (not self.organisations or buyer.slug in self.organisations)
            and (not self.countries or buyer.country in self.countries)
            and (not self.segments or buyer.segment in self.segments)
        )

    @property
    def rank(self) -> tuple[int, ...]:
        """How specific it is; the highest wins."""
        given = (bool(self.countries), bool(self.segments), self.type is not None)
        return (int(bool(self.organisations)), sum(given), *map(int, given))

    def meets(self, other: "Buyers") -> bool:
        """Whether some buyer fulfils both and neither is more specific."""
        if self.named or other.named or self.rank != other.rank:
            return False
        pairs = ((self.organisations, other.organisations), (self.countries, other.countries))
        listed = (*pairs, (self.segments, other.segments))
        return self.type == other.type and all(not a or bool(set(a) & set(b)) for a, b in listed)

    @property
    def words(self) -> str:
        """In words: ``tenants in GB, IE``."""
        found = self.type or "any"
        if self.organisations:
            found = ", ".join(self.organisations)
        if self.countries:
            found += f" in {', '.join(self.countries)}"
        if self.segments:
            found += f" of segment {' or '.join(self.segments)}"
        return f"{found}, where named" if self.named else found


def read_buyers(raw: Any) -> Buyers:
    """Read ``any``, ``tenants``, ``named`` and the like, or a mapping of conditions.

    Raises:
        Invalid: anything else.
    """
    if isinstance(raw, str):
        if raw not in ("any", NAMED, *TYPES):
            raise Invalid(f"for must be one of any, {NAMED}, {', '.join(TYPES)}", field="for", value=raw)
        return Buyers(None if raw in ("any", NAMED) else raw, named=raw == NAMED)
    fields = fields_of(raw, (), ("type", "organisations", "countries", "segments"))
    type = fields.get("type")
    if type not in (None, *TYPES):
        raise Invalid(f"type must be one of {', '.join(TYPES)}", field="type", value=type)
    found = Buyers(
        type,
        each_of(fields, "organisations", lambda each: slug_of(each, field="organisations")),
        each_of(fields, "countries", _country),
        each_of(fields, "segments", lambda each: name_of(each, field="segments", most=60)),
    )
    if found.organisations and (found.countries or found.segments or found.type):
        raise Invalid("a card of named organisations has no other conditions", field="organisations")
    return found


def _country(raw: Any) -> str:
    if not (isinstance(raw, str) and len(raw) == 2 and raw.isascii() and raw.isupper()):
        raise Invalid(f"country '{str(raw)[:20]}' is not a code of two capital letters", field="countries", value=raw)
    return raw


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


def choose(cards: Iterable[tuple[Buyers, T]], buyer: Buyer) -> T | None:
    """The card that prices a buyer; None if none is for it. Of cards alike the first, but publication refuses ties."""
    fitting = [(buyers.rank, card) for buyers, card in cards if not buyers.named and buyers.holds(buyer)]
    return max(fitting, key=lambda each: each[0])[1] if fitting else None
