"""Which of a seller's rate cards prices a buyer.

The buyer's own card wins; then one whose rule has more conditions (type, country, segment); of equally many, country
goes before segment and segment before type; last the default of the currency, which has none.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TypeVar

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


def choose(cards: Iterable[tuple[Buyers, T]], buyer: Buyer) -> T | None:
    """The card that prices a buyer; None if none is for it. Of cards alike the first, but publication refuses ties.

    >>> cards = [(Buyers(), "default"), (Buyers(type="tenants"), "tenants"), (Buyers(countries=("IE",)), "Ireland")]
    >>> [choose(cards, Buyer("gannet", "tenants", country)) for country in ("IE", "GB")]
    ['Ireland', 'tenants']
    >>> choose(cards, Buyer("oxbow", "resellers", "GB"))
    'default'
    """
    fitting = [(buyers.rank, card) for buyers, card in cards if not buyers.named and buyers.holds(buyer)]
    return max(fitting, key=lambda each: each[0])[1] if fitting else None
