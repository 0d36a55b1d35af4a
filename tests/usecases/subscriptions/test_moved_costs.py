"""What a supplier states of the day of a move is sold once, by the one whose day that is."""

from datetime import date
from decimal import Decimal

import pytest

from gradumen.client import Client
from gradumen.wire.metering.exchange_rates import ExchangeRateItem
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.usecases.metering.test_imported_costs import CUMULANT, FEED, OFFER, row, written
from tests.usecases.subscriptions.test_moves import DAY, ToDay, bluefern, plan, to_day
from tests.world import RUBEN, World, files, moment

__all__ = ["bluefern", "to_day"]
pytestmark = pytest.mark.usefixtures("charged_anew")


def card(seller: str, buyer: str, percent: int, currency: str = "GBP") -> str:
    """A euro is a pound to all here."""
    rate = f"{{rate: cumulant, meter: cumulant/cost, per: EUR, markup: {{percent: {percent}}}}}"
    head = f"rate-card: {seller}-{buyer}\nname: Costs\nfor: {{organisations: [{buyer}]}}\ncurrency: {currency}\n"
    return f"{head}starts-on: 2026-01-01\nrates: [{rate}]\n"


def sold(client: Client, seller: str) -> dict[str, Decimal]:
    """What buyers are charged in October for what suppliers state."""
    links = client.spend.period_so_far(seller, period="2026-10", wait=60).links
    lines = [(link.buyer, line) for link in links if link.seller == seller for line in link.lines]
    return {buyer: line.amount for buyer, line in lines if line.rate == "cumulant"}


@pytest.mark.parametrize(("old", "new"), [("oxbow", "bluefern"), ("bluefern", "oxbow")])
def test_costs_of_the_day_of_a_move_are_the_new_sellers_whatever_their_clocks_say(
    bluefern: World, to_day: ToDay, old: str, new: str
) -> None:
    """Midnight in Brussels is an hour before that of the move: by their own clocks it would be none's, or both's."""
    world, users = bluefern, {"oxbow": bluefern.user("edda"), "bluefern": bluefern.user(RUBEN)}
    world.mara.clock.set(moment("2026-09-28"), held=True)
    if old == "bluefern":
        world.mara.moves.plan("saltmarsh", "bluefern", date(2026, 10, 2), "It moves house.")
        to_day("2026-10-03")
    world.mara.catalogue.publish(
        "tarnwick", files(CUMULANT, card("tarnwick", "oxbow", 10), card("tarnwick", "bluefern", 10, "EUR"))
    )
    pound = ExchangeRateItem(currency="EUR", into="GBP", starts_on=DAY.replace(day=1), rate=Decimal(1), source="Us")
    world.mara.exchange_rates.set("tarnwick", [pound])
    for slug, client in users.items():
        client.catalogue.publish(slug, files(OFFER, card(slug, "saltmarsh", 20)))
        client.exchange_rates.set(slug, [pound])
    world.mara.feeds.create("tarnwick", slug="cumulant", name="Cumulant")
    world.mara.imported_costs.set_meter(FEED, "cumulant/cost")
    users[old].subscriptions.create(
        SubscriptionCreate(organisation="saltmarsh", plan="cumulant", tier="passed-on", name="Cumulant",
                           starts_on=date(2026, 10, 5))
    )  # fmt: skip
    plan(world, "saltmarsh", new, DAY)
    to_day("2026-10-20")
    rule = OwnershipRuleForm(
        name="Theirs", owner="saltmarsh/booking", starts_on=date(2026, 9, 1), conditions={"account": "acc-7"}
    )
    world.mara.ownership_rules.set("tarnwick", [rule], 0)
    of_october = {"BillingPeriodStart": "2026-10-01T00:00:00Z", "BillingPeriodEnd": "2026-11-01T00:00:00Z"}
    rows = [
        row(cost, ChargePeriodStart=f"2026-10-{day}T00:00:00Z", ChargePeriodEnd=f"2026-10-{day + 1}T00:00:00Z",
            **of_october)
        for cost, day in (("100", 14), ("10", 15), ("1", 16))
    ]  # fmt: skip
    world.mara.imported_costs.send(FEED, "costs.csv", written(*rows), exported_at=moment("2026-10-18 09:00"))
    assert sold(world.mara, "tarnwick") == {old: Decimal(110), new: Decimal("12.10")}
    assert sold(users[old], old) == {"saltmarsh": Decimal(120)}
    assert sold(users[new], new) == {"saltmarsh": Decimal("13.20")}
    for slug, client in users.items():
        balances = client.spend.balances(slug, "2026-10", wait=60).items
        assert [each for each in balances if each.difference] == []
    [spent] = [each for each in users[new].spend.charges(new, side="sold").items if each.subscription == "Cumulant"]
    assert spent.amount == Decimal("13.2")
