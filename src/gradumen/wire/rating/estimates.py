"""Bodies of estimates and coverage."""

from datetime import date

from pydantic import Field

from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.values import Body, DecimalText, WholeNumber


class ExpectedUse(Body):
    """A quantity of a meter in a month, in a unit, with the attributes that decide its price."""

    meter: str
    quantity: str
    unit: str
    attributes: dict[str, str] = Field(default_factory=dict)


class EstimateAsked(Body):
    """A tier for an organisation over a term; ``first_day`` null is today."""

    organisation: str
    plan: str
    tier: str
    quantity: WholeNumber = 1
    first_day: date | None = None
    months: WholeNumber = 1
    expected: list[ExpectedUse] = Field(default_factory=list)
    rate_card: str | None = None


class EstimatedLineBody(Body):
    """A line of a month; ``service`` is empty for fees and discounts, and ``one-off`` for what comes once."""

    description: str
    rate: str
    service: str
    quantity: DecimalText
    unit: str
    amount: DecimalText


class EstimatedMonthBody(Body):
    """A month, net of tax."""

    period: str
    total: DecimalText
    lines: list[EstimatedLineBody]


class EstimateBody(Body):
    """What a tier would cost, net of tax, month by month; ``not_priced`` names meters without a rate.

    From ``renews_on`` it is priced by ``renewal_card``, where the card names one.
    """

    seller: str
    rate_card: str
    currency: str
    total: DecimalText
    months: list[EstimatedMonthBody]
    not_priced: list[str]
    renews_on: date | None
    renewal_card: str | None


class CoverageAsked(Body):
    """A plan, and cards to look at before they are published; none are the seller's own in their newest versions."""

    organisation: str
    plan: str
    files: list[CatalogueFile] = Field(default_factory=list)


class CoverageBody(Body):
    """Whether a meter is priced, not priced, only where conditions hold, or only watched, which needs no price."""

    meter: str
    state: str
    only_where: list[str]


class CardCoverageBody(Body):
    """What a card prices of a plan."""

    rate_card: str
    plan: str
    meters: list[CoverageBody]
    tiers_without_fee: list[str]
