"""Costs in one currency that are sold in another: by what each seller says that it is worth, on its day."""

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from gradumen.client import Client
from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.core.exact import round_half_up
from gradumen.wire.metering.exchange_rates import ExchangeRateItem
from gradumen.wire.spend.period_so_far import LinkPeriodBody
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.usecases.metering.test_imported_costs import (
    CUMULANT,
    FEED,
    OFFER,
    charged,
    costs,
    own,
    publish,
    row,
    send,
    written,
)
from tests.world import World, moment

__all__ = ["costs"]


def test_other_currencies_wait_for_an_exchange_rate_down_the_chain(world: World) -> None:
    mara, edda = world.mara, world.user("edda")
    ten, quarter = (
        f"  - {{rate: cumulant, meter: cumulant/cost-gbp, per: GBP, markup: {{percent: {each}}}}}\n"
        for each in (10, 25)
    )
    publish(world, "resellers-gbp", "GBP", "resellers", ten, more=CUMULANT)
    publish(world, "oxbow-gbp", "GBP", "any", quarter, more=OFFER)
    mara.feeds.create("tarnwick", slug="cumulant", name="Cumulant")
    assert mara.imported_costs.set_meter(FEED, "cumulant/cost-gbp").currency == "GBP"
    edda.subscriptions.create(
        SubscriptionCreate(organisation="saltmarsh", plan="cumulant", tier="passed-on", name="Cumulant",
                           starts_on=date(2026, 9, 1))
    )  # fmt: skip
    own(world, "saltmarsh/booking", "acc-7")
    send(world, row("10", 3), row("20", 12))
    assert charged(world, buyer="oxbow") == {}
    assert [each.converted for each in mara.imported_costs.list("tarnwick", "2026-09")] == [False]

    def worth(day: int, rate: str) -> ExchangeRateItem:
        return ExchangeRateItem(
            currency="EUR", into="GBP", starts_on=date(2026, 9, day), rate=Decimal(rate), source="us"
        )

    mara.exchange_rates.set("tarnwick", [worth(1, "0.85"), worth(10, "0.87")])
    base = Decimal(10) * Decimal("0.85") + Decimal(20) * Decimal("0.87")
    assert charged(world, buyer="oxbow") == {"cumulant": round_half_up(Fraction(base) * Fraction(11, 10), 2)}
    assert charged(world, "oxbow", "saltmarsh", "edda") == {
        "cumulant": round_half_up(Fraction(base) * Fraction(5, 4), 2)
    }
    assert len(mara.exchange_rates.set("tarnwick", [worth(10, "0.88")])) == 2
    base = Decimal(10) * Decimal("0.85") + Decimal(20) * Decimal("0.88")
    assert charged(world, buyer="oxbow") == {"cumulant": round_half_up(Fraction(base) * Fraction(11, 10), 2)}
    for wrong in (
        worth(1, "0"),
        worth(1, "1").model_copy(update={"into": "EUR"}),
        worth(1, "1").model_copy(update={"currency": "XXQ"}),
    ):
        with pytest.raises(Invalid):
            mara.exchange_rates.set("tarnwick", [wrong])
    for user in ("edda", "ines"):
        with pytest.raises((Forbidden, NotFound)):
            world.user(user).exchange_rates.list("tarnwick")
        with pytest.raises((Forbidden, NotFound)):
            world.user(user).imported_costs.list("tarnwick", "2026-09")
        with pytest.raises((Forbidden, NotFound)):
            world.user(user).imported_costs.send(FEED, "x.csv", written(row("1")))


def test_cards_in_another_currency_sell_what_costs_are_worth_to_each_seller(costs: World) -> None:
    """Oxbow buys and sells in pounds what Cumulant states in euros; each seller says what these are worth to it."""
    mara, edda = costs.mara, costs.user("edda")
    rate = "  - {rate: cumulant, meter: cumulant/cost, per: EUR, markup: {percent: 12}}\n"
    publish(costs, "resellers-gbp", "GBP", "resellers", rate)
    publish(costs, "oxbow-gbp", "GBP", "any", rate.replace("12", "25"), more=OFFER)
    edda.subscriptions.create(
        SubscriptionCreate(organisation="saltmarsh", plan="cumulant", tier="passed-on", name="Cumulant",
                           starts_on=date(2026, 9, 1))
    )  # fmt: skip
    own(costs, "saltmarsh/booking", "acc-9")
    send(costs, row("10", 3, "acc-9"), row("20", 4, "acc-9"), row("-1", 4, "acc-9", ChargeCategory="Credit"))
    assert charged(costs, buyer="oxbow") == {} and charged(costs, "oxbow", "saltmarsh", "edda") == {}
    [left] = [each for each in link_of(costs, "tarnwick", "oxbow", "mara").not_priced if each.meter == "cumulant/cost"]
    assert (left.quantity, left.reason) == (29_000_000, "no rate")

    def say(client: Client, seller: str, day: int, worth: str) -> None:
        item = ExchangeRateItem(
            currency="EUR", into="GBP", starts_on=date(2026, 9, day), rate=Decimal(worth), source="central bank"
        )
        client.exchange_rates.set(seller, [item])

    say(mara, "tarnwick", 1, "0.86")
    say(mara, "tarnwick", 4, "0.9")
    # (10 x 0.86 + 19 x 0.9) x 1.12
    assert charged(costs, buyer="oxbow") == {"cumulant": Decimal("28.78")}
    assert charged(costs, "oxbow", "saltmarsh", "edda") == {}, "what they are worth to its supplier is that one's"
    say(edda, "oxbow", 1, "0.8")
    assert charged(costs, "oxbow", "saltmarsh", "edda") == {"cumulant": Decimal("29.00")}
    found = [each for each in mara.spend.charges("tarnwick", side="sold").items if each.currency == "GBP"]
    whys = [mara.spend.explain(each.id).explanation for each in found]
    [why] = [each for each in whys if each.kind == "imported_cost"]
    assert why.cost is not None and why.cost.exchange is not None
    assert (why.cost.stated, why.cost.amount, why.cost.currency, why.unit) == (29, Decimal("25.7"), "GBP", "EUR")
    assert [(each.since.day, each.rate) for each in why.cost.exchange] == [(1, Decimal("0.86")), (4, Decimal("0.9"))]
    # A document keeps by what it was exchanged; a rate that is put right is settled on the next.
    costs.mara.clock.set(moment("2026-10-05"), held=True)
    [invoice] = [each for each in costs.close("tarnwick", "mara", "2026-09") if each.buyer == "oxbow"]
    [line] = [each for each in invoice.lines if each.rate == "cumulant"]
    assert line.charge_id is not None and line.amount == Decimal("28.78")
    say(mara, "tarnwick", 4, "1")
    kept = mara.charges.explain(line.charge_id).explanation
    assert kept.cost is not None and kept.cost.amount == Decimal("25.7")
    costs.settle()
    assert {each.amount for each in link_of(costs, "tarnwick", "oxbow", "mara").lines if each.rate == "cumulant"} == {
        Decimal("30.91")
    }


def link_of(world: World, seller: str, buyer: str, user: str) -> LinkPeriodBody:
    """What a link comes to in September."""
    world.settle()
    found = world.user(user).spend.period_so_far(seller, "2026-09", wait=60).links
    return next(each for each in found if each.buyer == buyer)
