"""Costs of days that no file states yet: estimated, marked, and replaced by what comes."""

from collections.abc import Callable
from decimal import Decimal

import pytest

from gradumen.core.errors import Conflict, Invalid
from gradumen.jobs.leases import now
from gradumen.usecases.metering.cost_estimates import estimate_costs
from gradumen.wire.spend.feed_balances import FeedCostBody
from tests.conftest import Begin, Service
from tests.usecases.metering.test_imported_costs import FEED, charged, costs, own, row, send
from tests.world import World, moment

__all__ = ["costs"]
METER = "cumulant/cost"


@pytest.fixture
def estimated(costs: World, service: Service, begin: Begin) -> Callable[[], int]:
    """Day 20 is stated whole; it is the morning of the 24th, and the feed asks for estimates."""

    def make() -> None:
        costs.mara.clock.set(moment("2026-09-24 09:00"), held=True)
        credit, tax = row("-4", 20, ChargeCategory="Credit"), row("3", 20, ChargeCategory="Tax")
        send(costs, row("10", 20), credit, tax, at="2026-09-21 05:00")
        costs.mara.imported_costs.set_meter(FEED, METER, estimates=True)

    begin(make)
    return lambda: estimate_costs(service.uow, at=now())


def balance(world: World) -> FeedCostBody:
    world.settle()
    items = world.mara.feed_balances.get("tarnwick", "2026-09", feed=FEED).items
    return items[0].costs[0]


def estimate_told(world: World) -> Decimal:
    links = world.mara.spend.period_so_far("tarnwick", "2026-09", wait=60).links
    return next(each.estimated for each in links if each.buyer == "quillstone")


def test_days_that_lack_cost_what_the_last_whole_one_did(costs: World, estimated: Callable[[], int]) -> None:
    """What was used, with what is put on top; no credit and no tax again. Once is enough."""
    assert charged(costs) == {"cumulant": Decimal("6.72")}
    assert (estimated(), estimated()) == (3, 0)
    assert charged(costs) == {"cumulant": Decimal("40.32")}
    assert estimate_told(costs) == Decimal("33.60")
    told = balance(costs)
    assert (told.billed, told.estimated, told.tax, told.owned, told.rows) == (39, 30, 3, 36, 3)
    assert told.open == ["estimated"]
    listed = costs.mara.imported_costs.list("tarnwick", "2026-09")
    assert {each.category: each.estimated for each in listed} == {"Usage": 30, "Credit": 0, "Tax": 0}


def test_what_is_charged_for_longer_is_not_charged_again(costs: World, estimated: Callable[[], int]) -> None:
    """A month's fee counts on its first day; the days after it have none of it."""
    fee = row("100", 20, ChargePeriodEnd="2026-10-20T00:00:00Z")
    send(costs, row("10", 20), fee, at="2026-09-21 06:00")
    assert estimated() == 3
    assert charged(costs) == {"cumulant": Decimal("156.80")}


def test_what_comes_takes_its_place(costs: World, estimated: Callable[[], int]) -> None:
    """Also where it is far less than was estimated; taken back, the estimate stands again."""
    estimated()
    sent = send(costs, row("1", 21), at="2026-09-22 05:00")
    assert (sent.estimated, sent.replaced) == (1, 0)
    assert charged(costs) == {"cumulant": Decimal("30.24")}
    costs.mara.deliveries.take_back(sent.delivery_id)
    assert charged(costs) == {"cumulant": Decimal("40.32")}
    send(costs, *(row("10", day) for day in (21, 22, 23)))
    assert charged(costs) == {"cumulant": Decimal("40.32")}
    assert (estimate_told(costs), balance(costs).estimated, balance(costs).open) == (0, 0, [])


def test_a_day_that_was_not_over_is_no_measure(costs: World, estimated: Callable[[], int]) -> None:
    """It stands as it was stated; the days after it are as the last whole one before."""
    send(costs, row("2", 21), at="2026-09-21 12:00")
    assert estimated() == 2
    assert charged(costs) == {"cumulant": Decimal("31.36")}


def test_estimates_fall_with_what_they_are_made_of(costs: World, estimated: Callable[[], int]) -> None:
    """A restated day gives others; a feed that asks for none any more has none."""
    estimated()
    send(costs, row("20", 20), at="2026-09-22 05:00", confirmed=True)
    assert estimated() == 3
    assert charged(costs) == {"cumulant": Decimal("89.60")}
    costs.mara.imported_costs.set_meter(FEED, METER)
    assert charged(costs) == {"cumulant": Decimal("89.60")}, "what is left out stays as it is"
    sent = send(costs, row("5", 22), at="2026-09-23 05:00")
    costs.mara.imported_costs.set_meter(FEED, METER, estimates=False)
    assert charged(costs) == {"cumulant": Decimal("28.00")}
    costs.mara.deliveries.take_back(sent.delivery_id)
    assert charged(costs) == {"cumulant": Decimal("22.40")}, "the day's estimate does not come back"
    assert (estimated(), balance(costs).estimated) == (0, 0)
    with pytest.raises(Invalid) as refused:
        costs.mara.imported_costs.set_meter(FEED, None, estimates=True)
    assert refused.value.facts["field"] == "estimates"


def test_an_account_that_is_gone_is_not_estimated_for_ever(costs: World, estimated: Callable[[], int]) -> None:
    """While others are stated for three days more it may only be late; then it is gone, and its estimates too."""

    def other(day: int) -> dict[str, str]:
        return row("1", day, account="acc-8", BillingAccountId="B-2")

    assert estimated() == 3
    send(costs, *(other(day) for day in (21, 22, 23)), at="2026-09-24 05:00")
    assert estimated() == 0 and charged(costs) == {"cumulant": Decimal("40.32")}
    costs.mara.clock.set(moment("2026-09-25 09:00"), held=True)
    assert estimated() == 2, "both lack the 24th"
    send(costs, other(24), at="2026-09-25 05:00")
    assert estimated() == 0
    assert charged(costs) == {"cumulant": Decimal("6.72")}
    send(costs, *(row("10", day) for day in (21, 22, 23, 24)), at="2026-09-25 06:00")
    assert charged(costs) == {"cumulant": Decimal("51.52")}


def test_whose_they_are_follows_rules(costs: World, estimated: Callable[[], int]) -> None:
    """As of what files state."""
    estimated()
    costs.mara.projects.create("quillstone", slug="editing", name="Editing")
    own(costs, "quillstone/editing", "acc-7")
    assert charged(costs) == {"cumulant": Decimal("40.32")}
    assert {each.project for link in costs.mara.spend.period_so_far("tarnwick", "2026-09", wait=60).links
            for each in link.lines if each.rate == "cumulant"} == {"editing"}  # fmt: skip


def test_a_month_with_estimates_is_billed_only_with_a_reason(costs: World, estimated: Callable[[], int]) -> None:
    """The explanation of the charge says what of it is one, and which rows are."""
    mara = costs.mara
    mara.clock.set(moment("2026-10-01 09:00"), held=True)
    assert estimated() == 10
    costs.settle()
    with pytest.raises(Conflict, match="costs of 10 days are estimates"):
        mara.bill_runs.start("tarnwick", "2026-09")
    run = mara.bill_runs.start("tarnwick", "2026-09", reason="the supplier is late")
    assert not mara.bill_runs.wait(run.id).problem
    [document] = mara.invoices.list(seller="tarnwick", buyer="quillstone", period="2026-09")
    [line] = [each for each in mara.invoices.get(document.id).lines if each.rate == "cumulant"]
    assert line.charge_id is not None
    told = mara.charges.explain(line.charge_id)
    assert told.explanation.cost is not None
    assert (told.amount, told.explanation.cost.estimated) == (Decimal("118.72"), Decimal("112"))
    rows = list(mara.charges.readings(line.charge_id))
    assert sum("estimate as on 2026-09-20" in each.event_id for each in rows) == 10
