"""What a month earned."""

from dataclasses import dataclass
from decimal import Decimal

from gradumen.core.catalogue.price_margins import percent_of
from gradumen.core.exact import add


@dataclass(frozen=True, slots=True)
class Cost:
    """What something cost in a month; ``source`` is the supplier's slug, of one's own services the seller's."""

    source: str
    currency: str
    amount: Decimal


@dataclass(frozen=True, slots=True)
class MonthMargin:
    """What a buyer was charged for a service (or a plan's fees) in a month, beside what that cost the seller."""

    buyer: str
    buyer_name: str
    service: str
    service_name: str
    currency: str
    charged: Decimal
    costs: tuple[Cost, ...]

    @property
    def margin(self) -> Decimal | None:
        """Charged less all costs; None where one of them is in another currency."""
        if any(cost.currency != self.currency for cost in self.costs):
            return None
        return add([self.charged, *(-cost.amount for cost in self.costs)])

    @property
    def percent(self) -> Decimal | None:
        """The margin as a share of what was charged, rounded half up to one place."""
        return None if self.margin is None else percent_of(self.charged, add([self.charged, -self.margin]))
