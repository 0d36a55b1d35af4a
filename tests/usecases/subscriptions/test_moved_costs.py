"""What a supplier states of the day of a move is sold once, by the one whose day that is."""

from datetime import date
from decimal import Decimal

import pytest

from gradumen.client import Client
from gradumen.core.permissions import Role
from gradumen.wire.metering.exchange_rates import ExchangeRateItem
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.usecases.metering.test_imported_costs import CUMULANT, FEED, OFFER, row, written
from tests.usecases.subscriptions.test_moves import DAY, ToDay, bluefern, plan, to_day
from tests.world import RUBEN, World, files, join, moment

__all__ = ["bluefern", "to_day"]
pytestmark = pytest.mark.usefixtures("charged_anew")


def card(seller: str, buyer: str, percent: int, currency: str = "GBP") -> str:
    """A euro is a pound to all here."""
    rate = f"{{rate: cumulant, meter: cumulant/cost, per: EUR, markup: {{percent: {percent}}}}}"
    head = f"rate-card: {seller}-{buyer}\nname: Costs\nfor: {{organisations: [{buyer}]}}\ncurrency: {currency}\n"
    return f"{head}starts-on: 2026-01-01\nrates: [{rate}]\n"


def october() -> bytes:
    """A hundred of the day before, ten of that of the move, one of the day after."""
    of = {"BillingPeriodStart": "2026-10-01T00:00:00Z", "BillingPeriodEnd": "2026-11-01T00:00:00Z"}
    days = {day: (f"2026-10-{day}T00:00:00Z", f"2026-10-{day + 1}T00:00:00Z") for day in (14, 15, 16)}
    return written(
        *(
            row(cost, ChargePeriodStart=days[day][0], ChargePeriodEnd=days[day][1], **of)
            for cost, day in (("100", 14), ("10", 15), ("1", 16))
        )
    )


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
    world.mara.imported_costs.send(FEED, "costs.csv", october(), exported_at=moment("2026-10-18 09:00"))
    assert sold(world.mara, "tarnwick") == {old: Decimal(110), new: Decimal("12.10")}
    assert sold(users[old], old) == {"saltmarsh": Decimal(120)}
    assert sold(users[new], new) == {"saltmarsh": Decimal("13.20")}
    for slug, client in users.items():
        balances = client.spend.balances(slug, "2026-10", wait=60).items
        assert [each for each in balances if each.difference] == []
    [spent] = [each for each in users[new].spend.charges(new, side="sold").items if each.subscription == "Cumulant"]
    assert spent.amount == Decimal("13.2")


def test_a_seller_that_is_left_accounts_for_its_own_costs_of_that_day(world: World, to_day: ToDay) -> None:
    """The one that sells to both is in Halifax, the one that is left in Tokyo, whose day is half over by then."""
    world.mara.clock.set(moment("2026-09-28"), held=True)
    for parent, slug, zone in (
        ("tarnwick", "gulf", "America/Halifax"), ("gulf", "dawn", "Asia/Tokyo"), ("gulf", "dusk", "America/Halifax"),
    ):  # fmt: skip
        seller = "mara" if parent == "tarnwick" else f"admin@{parent}.example"
        world.user(seller).organisations.create(
            OrganisationCreate(
                parent=parent, type="reseller", slug=slug, name=slug, country="BE", currency="EUR", billing_zone=zone
            )
        )
        join(world, seller, slug, f"admin@{slug}.example", Role.ADMINISTRATOR)
    dawn = world.user("admin@dawn.example")
    dawn.organisations.create(
        OrganisationCreate(parent="dawn", type="tenant", slug="reef", name="Reef", country="BE", currency="EUR",
                           billing_zone="UTC")
    )  # fmt: skip
    dawn.projects.create("reef", slug="sea", name="Sea")
    dawn.catalogue.publish("dawn", files(CUMULANT, card("dawn", "reef", 20, "EUR")))
    dawn.feeds.create("dawn", slug="costs", name="Costs")
    dawn.imported_costs.set_meter("dawn/costs", "cumulant/cost")
    dawn.subscriptions.create(
        SubscriptionCreate(organisation="reef", plan="cumulant", tier="passed-on", name="Costs",
                           starts_on=date(2026, 10, 5))
    )  # fmt: skip
    theirs = OwnershipRuleForm(
        name="Theirs", owner="reef/sea", starts_on=date(2026, 9, 1), conditions={"account": "acc-7"}
    )
    dawn.ownership_rules.set("dawn", [theirs], 0)
    plan(world, "reef", "dusk", DAY)
    to_day("2026-10-20")
    dawn.imported_costs.send("dawn/costs", "costs.csv", october(), exported_at=moment("2026-10-18 09:00"))
    assert sold(dawn, "dawn") == {"reef": Decimal(120)}
    [balance] = dawn.feed_balances.get("dawn", "2026-10", wait=60).items
    [meter] = balance.meters
    parts = meter.measured, meter.charged, meter.elsewhere, meter.nobodys, meter.difference
    assert parts == (111 * 10**6, 100 * 10**6, 10 * 10**6, 10**6, 0)
