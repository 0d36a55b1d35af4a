"""What a seller earns on each price that it buys for another."""

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

from gradumen.core.catalogue.conditions import Condition, Contains, Equals, OneOf, Prefix, words
from gradumen.core.catalogue.rates import Blocks, Lots, Markup, RateCardVersion, RecurringRate, UsageRate
from gradumen.core.exact import AMOUNT_PLACES, round_half_up

PERCENT_PLACES = 1


@dataclass(frozen=True, slots=True)
class Margin:
    """A rate that one sells by beside the one by which the same is bought, both per the seller's ``unit``.

    ``sell`` and ``buy`` are the prices of the first unit, ``sell_lowest`` and ``buy_lowest`` those of the cheapest, at
    12 places. ``buy`` None: nothing is paid by a rate for it. The margin is sell less buy, and that share of sell.
    """

    rate: str
    meter: str | None
    fee: str | None
    where: str
    unit: str
    sell: Decimal
    sell_lowest: Decimal
    buy_rate: str | None = None
    buy: Decimal | None = None
    buy_lowest: Decimal | None = None

    @property
    def margin(self) -> Decimal | None:
        """Sell less buy, of the first unit."""
        return None if self.buy is None else _places(Fraction(self.sell) - Fraction(self.buy))

    @property
    def percent(self) -> Decimal | None:
        """The margin as a share of the sell price, of the first unit, rounded half up to one place."""
        return percent_of(self.sell, self.buy)

    @property
    def percent_lowest(self) -> Decimal | None:
        """The same of the cheapest unit."""
        return percent_of(self.sell_lowest, self.buy_lowest)


def percent_of(sell: Decimal, buy: Decimal | None) -> Decimal | None:
    """What is kept of a price, in percent of it, rounded half up to one place; None where that says nothing.

    >>> percent_of(Decimal("0.016"), Decimal("0.014")), percent_of(Decimal(0), Decimal(1))
    (Decimal('12.5'), None)
    """
    if buy is None or not sell:
        return None
    return round_half_up((Fraction(sell) - Fraction(buy)) * 100 / Fraction(sell), PERCENT_PLACES)


def price_margins(sell: RateCardVersion, buy: RateCardVersion) -> Iterator[Margin]:
    """Each rate of a card to sell by, with what is paid for the same by another card in the same currency.

    What a rate with conditions prices is looked up in the other card by an example that fulfils them; with a time
    window, in its first hour. Markups and commitments have no price of their own and are left out.
    """
    for rate in sell.rates:
        if isinstance(rate, RecurringRate):
            yield _fee(rate, buy)
        elif isinstance(rate, UsageRate):
            own = _unit_prices(rate)
            if own is not None:
                yield _usage(rate, own, buy)


def _fee(rate: RecurringRate, buy: RateCardVersion) -> Margin:
    paid = next((each for each in buy.fees(rate.plan, rate.tier) if each.every is rate.every), None)
    price = paid.price if paid else None
    name = paid.slug if paid else None
    fee = f"{rate.plan}/{rate.tier}"
    return Margin(rate.slug, None, fee, "", rate.every, rate.price, rate.price, name, price, price)


def _usage(rate: UsageRate, own: tuple[Fraction, Fraction], buy: RateCardVersion) -> Margin:
    factor = rate.unit.factor
    sell = [_places(price * factor) for price in own]
    hour = next((hour for hour in range(7 * 24) if rate.when is None or rate.when.open_at(hour)), 0)
    paid = buy.usage_rate(rate.meter, {key: _example(condition) for key, condition in rate.match}, hour)
    bought = _unit_prices(paid) if paid else None
    where = words(rate.match, rate.when)
    if paid is None or bought is None:
        return Margin(rate.slug, rate.meter, None, where, rate.unit.text, sell[0], sell[1])
    prices = [_places(price * factor) for price in bought]
    return Margin(rate.slug, rate.meter, None, where, rate.unit.text, sell[0], sell[1], paid.slug, *prices)


def _unit_prices(rate: UsageRate) -> tuple[Fraction, Fraction] | None:
    """The first and the lowest price per base unit; of lots, of a full one."""
    match rate.pricing:
        case Blocks(steps):
            prices = [Fraction(step.price) / rate.unit.factor for step in steps]
            return prices[0], min(prices)
        case Lots(size, price):
            each = Fraction(price) / (Fraction(size) * rate.unit.factor)
            return each, each
        case Markup():
            return None


def _example(condition: Condition) -> str:
    """A value that fulfils a condition."""
    match condition:
        case Equals(value):
            return value
        case OneOf(values):
            return values[0]
        case Prefix(text, among) | Contains(text, among):
            return among[0] if among else text


def _places(value: Fraction) -> Decimal:
    return round_half_up(value, AMOUNT_PLACES)
