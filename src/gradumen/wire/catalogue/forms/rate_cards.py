"""Rate cards as they are written."""

from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from pydantic import TypeAdapter

from gradumen.core.catalogue.discounts import Discount
from gradumen.core.catalogue.rates import PROMISED, Composites, RateCardVersion, SpreadRate, UsageRate
from gradumen.core.catalogue.selection import Buyers
from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.core.mistakes import Mistakes, together
from gradumen.wire.catalogue.forms.base import Day, Form, Name, Percent, Price, Slug, Written, mistakes_of_items, read
from gradumen.wire.catalogue.forms.buyers import WrittenBuyers, buyers_form, buyers_of
from gradumen.wire.catalogue.forms.derivations import DerivedForm
from gradumen.wire.catalogue.forms.rates import Known, RateForm, rate_form


@dataclass(frozen=True, slots=True)
class WrittenCard:
    """A rate card as it is written: its name, whom it is for, and its version.

    ``at_renewal`` is the card that a supply line goes over to when its subscription renews.
    """

    name: str
    buyers: Buyers
    version: RateCardVersion
    at_renewal: str | None = None


class DiscountForm(Form):
    """A percentage or an amount off, of some rates or services or of everything, within days."""

    discount: Slug
    name: Name
    percent: Percent | None = None
    amount: Price | None = None
    rates: list[Written] = []
    services: list[Written] = []
    from_: Day | None = None
    until: Day | None = None

    def value(self, known: Known, slugs: set[str]) -> Discount:
        """The discount.

        Raises:
            Invalid: a rate or service that is not there, or parts that do not fit each other.
        """
        for index, rate in enumerate(self.rates):
            if rate not in slugs:
                message = f"rate '{rate[:60]}' is not one of this card's"
                raise Invalid(message, field="rates", value=rate, path=f"rates[{index}]")
        services = tuple(known.service(slug, f"services[{index}]") for index, slug in enumerate(self.services))
        return Discount(
            slug=self.discount,
            name=self.name,
            percent=self.percent,
            amount=self.amount,
            rates=tuple(self.rates),
            services=services,
            starts_on=self.from_,
            ends_on=self.until,
        )


class RateCardForm(Form):
    """A seller's prices in one currency, from a day on."""

    rate_card: Slug
    name: Name
    currency: Written
    starts_on: Day
    rates: list[RateForm]
    for_: WrittenBuyers = "any"
    discounts: list[DiscountForm] = []
    derived: DerivedForm | None = None
    at_renewal: Slug | None = None
    overhead: Percent | None = None
    composites: Composites = Composites.WHOLE

    def value(self, known: Known, version: int) -> WrittenCard:
        """The card; see `read_rate_card`."""
        mistakes = Mistakes()
        buyers = Buyers()
        with mistakes.at("for"):
            buyers = buyers_of(self.for_)
        rates, discounts = [], []
        for index, rate in enumerate(self.rates):
            with mistakes.at(f"rates[{index}]"):
                rates.append(rate.value(known))
        slugs = {rate.rate for rate in self.rates}
        for index, discount in enumerate(self.discounts):
            with mistakes.at(f"discounts[{index}]"):
                discounts.append(discount.value(known, slugs))
        mistakes.tell()
        found = RateCardVersion(
            self.rate_card,
            version,
            self.currency,
            self.starts_on,
            tuple(rates),
            tuple(discounts),
            self.overhead or Decimal(0),
            self.composites,
        )
        _check_buyers(found, buyers)
        return WrittenCard(self.name, buyers, found, self.at_renewal)


def _check_buyers(found: RateCardVersion, buyers: Buyers) -> None:
    if buyers.type != "own-use" and (found.overhead or any(isinstance(rate, SpreadRate) for rate in found.rates)):
        message = "fixed costs are spread, and overhead put on, by a card for own-use only: customers have prices"
        raise Invalid(message, field="for", value=buyers.words)


_RATE: TypeAdapter[Any] = TypeAdapter(RateForm)


def read_rate_card(form: object, known: Known, version: int) -> WrittenCard:
    """Read a rate card's version.

    Raises:
        Invalid: with ``path`` in its facts; all mistakes of its rates and discounts.
    """
    try:
        written = read(RateCardForm, form)
    except Invalid as problem:
        rates = mistakes_of_items(_RATE.validate_python, form, "rates", problem, lambda rate: rate.value(known))
        raise together([*problem.each, *rates]) from None
    return written.value(known, version)


def check_inputs(card: WrittenCard) -> None:
    """Check that everything which a card prices is measured.

    Raises:
        Invalid: a rate counts what quotas promise where no customer buys: for own use, or to spread a fixed cost.
    """
    mistakes = Mistakes()
    for index, rate in enumerate(card.version.rates):
        meter = rate.by if isinstance(rate, SpreadRate) else rate.meter if isinstance(rate, UsageRate) else ""
        with mistakes.at(f"rates[{index}]"):
            if meter.startswith(PROMISED) and (isinstance(rate, SpreadRate) or card.buyers.type == "own-use"):
                raise Invalid(
                    f"rate '{rate.slug}' counts what quotas promise, which customers are charged for; what something "
                    "costs goes by what is used: choose a meter of a service",
                    field="meter",
                    value=meter,
                    path="by" if isinstance(rate, SpreadRate) else "meter",
                )
    mistakes.tell()


def rate_card_form(card: WrittenCard) -> dict[str, Any]:
    """The inverse of `read_rate_card`."""
    version = card.version
    return {
        "rate-card": version.card,
        "name": card.name,
        "for": buyers_form(card.buyers),
        "currency": version.currency,
        "starts-on": version.starts_on.isoformat(),
        **({"at-renewal": card.at_renewal} if card.at_renewal else {}),
        "rates": [rate_form(rate) for rate in version.rates],
        **({"overhead": text(version.overhead)} if version.overhead else {}),
        **({"composites": f"{version.composites}"} if version.composites is not Composites.WHOLE else {}),
        **({"discounts": [_discount_form(each) for each in version.discounts]} if version.discounts else {}),
    }


def _discount_form(discount: Discount) -> dict[str, Any]:
    form: dict[str, Any] = {"discount": discount.slug, "name": discount.name}
    for name, number_ in (("percent", discount.percent), ("amount", discount.amount)):
        if number_ is not None:
            form[name] = text(number_)
    for name, listed in (("rates", discount.rates), ("services", discount.services)):
        if listed:
            form[name] = list(listed)
    for name, day in (("from", discount.starts_on), ("until", discount.ends_on)):
        if day is not None:
            form[name] = day.isoformat()
    return form
