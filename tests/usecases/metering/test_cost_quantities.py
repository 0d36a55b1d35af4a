"""What cost files say was used counts as usage: by rules of kind and of ownership, as the files stand."""

from collections.abc import Mapping
from datetime import date
from decimal import ROUND_HALF_UP, Decimal
from random import Random
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import text

from gradumen.core.errors import Invalid
from gradumen.wire.metering.kind_rules import KindRuleForm
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.conftest import Begin, Service
from tests.usecases.metering.test_imported_costs import FEED, costs, imported, row, written
from tests.usecases.metering.test_kind_rules import follow, put, rule
from tests.world import World, moment, reading

__all__ = ["costs"]

PERIOD, FIRST = "2026-09", date(2026, 9, 1)
HOUR = 3600
CORES = rule(
    "Cores", "compute/vcpu", meter="Machines", unit="vCPU-hour", times="sku:CoreCount", attributes={"size": "large"},
    where={"sku:CoreCount": {"present": True}},
)  # fmt: skip
SENT = rule("Sent", "network/egress", meter="Transfer", unit="GB")


def used_row(quantity: str, day: int = 3, account: str = "acc-7", unit: str = "Hours", **more: str) -> dict[str, str]:
    """A row of usage that says how much that was."""
    said = {"ConsumedQuantity": quantity, "ConsumedUnit": unit, "SkuPriceDetails": '{"CoreCount": 4}', **more}
    return {**row("1", day, account), "SkuMeter": "", **said}


def send(world: World, *rows: Mapping[str, str], at: str = "2026-09-24 05:00", **more: Any) -> UUID:
    columns = {name: "" for each in rows for name in each}
    file = written(*({**columns, **each} for each in rows), columns=columns)
    found = world.mara.imported_costs.send(FEED, "costs.csv", file, exported_at=moment(at), **more)
    return found.delivery_id


def used(service: Service, world: World) -> dict[tuple[str, str, str], Decimal]:
    """What was used by meter, project (or nobody) and UTC day."""
    world.settle()
    statement = (
        "SELECT m.slug, COALESCE(p.slug, ''), d.day, SUM(d.total) FROM usage_days d JOIN meters m ON m.id = d.meter_id "
        "LEFT JOIN projects p ON p.number = d.project_number GROUP BY 1, 2, 3 HAVING SUM(d.total) <> 0"
    )
    rows = service.uow.run(lambda tx: tx.execute(text(statement)).all())
    return {(meter, project, f"{day}"): quantity for meter, project, day, quantity in rows}


def balanced(world: World) -> None:
    found = world.mara.feed_balances.get("tarnwick", PERIOD, wait=60).items
    assert [meter for each in found for meter in each.meters if meter.difference] == []


@pytest.fixture
def counted(costs: World, begin: Begin) -> World:
    """Files of which what was used counts, read by two rules."""

    def make() -> None:
        costs.mara.imported_costs.set_meter(FEED, "cumulant/cost", quantities=True)
        put(costs, CORES, SENT)

    begin(make)
    return costs


def test_what_a_file_says_was_used_is_charged_as_usage_beside_its_cost(counted: World, service: Service) -> None:
    rows = [
        used_row("18"), used_row("6"), used_row("24", 4, "acc-8"), used_row("1.5", 5, unit="GB", ServiceName="Transfer"),
        used_row("7", 5, ServiceName="Messages", SkuPriceDetails=""), row("3", 5, ChargeCategory="Purchase"),
    ]  # fmt: skip
    send(counted, *rows)
    assert used(service, counted) == {
        ("compute/vcpu", "archive", "2026-09-03"): 96 * HOUR, ("compute/vcpu", "", "2026-09-04"): 96 * HOUR,
        ("network/egress", "archive", "2026-09-05"): 1_500_000_000,
    }  # fmt: skip
    [unknown] = counted.mara.kind_rules.unknown("tarnwick", PERIOD).items
    assert (unknown.sent_meter, unknown.sent_unit, unknown.quantity) == ("Messages", "Hours", 7)
    balanced(counted)
    links = counted.mara.spend.period_so_far("tarnwick", PERIOD, wait=60).links
    [link] = [each for each in links if each.buyer == "quillstone"]
    amounts = {line.rate: line.amount for line in link.lines}
    # 96 vCPU-hours of a large machine at 0.017, and what the files cost with 12 % on top.
    assert amounts["vcpu-large"] == Decimal("1.63") and amounts["cumulant"] == Decimal("7.84")


def test_a_file_that_states_a_day_anew_takes_its_usage_with_it(counted: World, service: Service) -> None:
    send(counted, used_row("24"), used_row("10", 4), used_row("2", 4, unit="GB", ServiceName="Transfer"))
    place = ("compute/vcpu", "archive", "2026-09-04")
    assert used(service, counted)[place] == 40 * HOUR
    later = send(counted, used_row("12", 4), at="2026-09-24 06:00", confirmed=True)
    found = used(service, counted)
    assert found[place] == 48 * HOUR and ("network/egress", "archive", "2026-09-04") not in found
    assert found["compute/vcpu", "archive", "2026-09-03"] == 96 * HOUR
    counted.mara.deliveries.take_back(later)
    found = used(service, counted)
    assert (found[place], found["network/egress", "archive", "2026-09-04"]) == (40 * HOUR, 2 * 10**9)
    balanced(counted)
    counted.mara.imported_costs.set_meter(FEED, "cumulant/cost", quantities=False)
    assert used(service, counted) == {}
    counted.mara.imported_costs.set_meter(FEED, "cumulant/cost", quantities=True)
    assert used(service, counted) == found


def test_what_covers_a_month_is_divided_among_its_days_and_counts_as_no_level(counted: World, service: Service) -> None:
    month = {"ChargePeriodStart": "2026-09-01T00:00:00Z", "ChargePeriodEnd": "2026-10-01T00:00:00Z"}
    counted.mara.clock.set(moment("2026-10-02 09:00"), held=True)
    send(
        counted,
        used_row("1", 1, unit="GB", ServiceName="Transfer", **month),
        used_row("300", 1, **month),
        used_row("12", 1, unit="Seats", ServiceName="Seats", **month),
        at="2026-10-01 05:00",
    )
    found = used(service, counted)
    days = [found["network/egress", "archive", f"2026-09-{day:02d}"] for day in range(1, 31)]
    assert sum(days) == 10**9 and max(days) - min(days) <= 1000
    cores = [found["compute/vcpu", "archive", f"2026-09-{day:02d}"] for day in range(1, 31)]
    assert cores == [40 * HOUR] * 30
    seats = rule("Seats", "compute/vcpu", meter="Seats", unit="vCPU", attributes={"size": "small"})
    put(counted, CORES, SENT, seats)
    [unknown] = counted.mara.kind_rules.unknown("tarnwick", PERIOD).items
    assert unknown.readings == 30 and "part of what covers 2026-09-01 to 2026-10-01" in unknown.why
    balanced(counted)


def test_what_is_not_over_yet_counts_when_it_is(counted: World, service: Service) -> None:
    morning = {"ChargePeriodStart": "2026-09-25T00:00:00Z", "ChargePeriodEnd": "2026-09-25T08:00:00Z"}
    send(counted, used_row("8", 25, **morning), used_row("15", 25), at="2026-09-25 08:30")
    place = ("compute/vcpu", "archive", "2026-09-25")
    assert used(service, counted)[place] == 32 * HOUR
    counted.mara.clock.set(moment("2026-09-26 00:10"), held=True)
    assert used(service, counted)[place] == 92 * HOUR


def test_below_zero_is_told_and_its_cost_counts(counted: World, service: Service) -> None:
    def refused() -> tuple[int, str]:
        counted.settle()
        statement = text("SELECT SUM(refused), MAX(first_refusal) FROM deliveries WHERE is_read_again")
        count, why = service.uow.run(lambda tx: tx.execute(statement).one())
        return int(count), why

    send(counted, used_row("-2"), used_row("4", 4))
    found = used(service, counted)
    assert ("compute/vcpu", "archive", "2026-09-03") not in found
    assert imported(counted) == {("acc-7", "quillstone/archive"): 2}
    assert refused() == (1, "what was used of 'vm-3' adds up to -2 Hours, below 0; its costs count all the same")
    put(counted, SENT)
    put(counted, CORES, SENT)
    send(counted, used_row("4", 4), at="2026-09-24 06:00")
    assert refused()[0] == 1, "it is told once"


def test_amounts_count_where_a_meter_counts_levels_exactly(world: World, service: Service) -> None:
    """A third of a vCPU-second over 7 hours: hours have shares that add up to it."""
    at = {"start": "2026-09-10T00:30:00Z", "end": "2026-09-10T07:30:00Z"}
    world.send(
        reading("a", unit="vCPU-hour", quantity="1", **at), reading("b", unit="vCPU-second", quantity="0.333333", **at)
    )
    assert used(service, world) == {("compute/vcpu", "booking", "2026-09-10"): HOUR + Decimal("0.333333")}
    world.send(reading("c", unit="vCPU", quantity="2", **at))
    assert used(service, world) == {("compute/vcpu", "booking", "2026-09-10"): 15 * HOUR + Decimal("0.333333")}
    balanced(world)
    refused = world.mara.readings.send("tarnwick/north-fell", [reading("d", unit="GiB-hour")])
    assert refused.refused == 1 and "does not measure" in (refused.outcomes[0].reason or "")
    # A rule that takes it reads the amount too, and reads it anew as a level.
    put(world, rule("Levels", "compute/vcpu", meter="compute/vcpu", unit="vCPU", resource="vm-1"))
    assert used(service, world)["compute/vcpu", "booking", "2026-09-10"] == Decimal("1.333333") * 7 * HOUR + 14 * HOUR


@pytest.mark.parametrize("seed", [3, 4])
def test_in_whatever_order_files_rules_and_owners_change_usage_is_what_stands(
    counted: World, service: Service, seed: int
) -> None:
    chance, mara = Random(seed), counted.mara
    stands: dict[int, list[tuple[str, str, str]]] = {}
    exports: list[tuple[str, dict[int, tuple[int, list[tuple[str, str, str]]]]]] = []
    for hour in range(5):
        days = chance.sample(range(1, 5), chance.randint(1, 3))
        said: dict[int, tuple[int, list[tuple[str, str, str]]]] = {}
        for day in days:
            rows = [
                (chance.choice(["acc-7", "acc-8"]), chance.choice(["Machines", "Transfer"]), f"{chance.random():.13f}")
                for _ in range(chance.randint(1, 4))
            ]
            said[day] = hour, rows
        exports.append((f"2026-09-24 {hour:02d}:00", said))
    deliveries = []
    for at, said in chance.sample(exports, len(exports)):
        for day in said:
            written_rows = [
                used_row(quantity, day, account, ServiceName=sold, ResourceId=f"{sold}-{account}")
                for account, sold, quantity in said[day][1]
            ]
            deliveries.append((send(counted, *written_rows, at=at, confirmed=True, first=date(2026, 9, day),
                                    last=date(2026, 9, day)), day, said[day]))  # fmt: skip
        if chance.random() < 0.5:
            put(counted, *chance.sample([CORES, SENT], chance.randint(0, 2)))
        if chance.random() < 0.5:
            counted.settle()
    for number, _, _ in chance.sample(deliveries, 2):
        mara.deliveries.take_back(number)
        deliveries = [each for each in deliveries if each[0] != number]
    put(counted, CORES, SENT)
    for _, day, (_, rows) in sorted(deliveries, key=lambda each: each[2][0]):
        stands[day] = rows
    wanted: dict[tuple[str, str, str], Decimal] = {}
    for day, rows in stands.items():
        sums: dict[tuple[str, str], Decimal] = {}
        for account, sold, quantity in rows:
            exact = Decimal(quantity).quantize(Decimal("1e-12"), ROUND_HALF_UP)
            sums[account, sold] = sums.get((account, sold), Decimal(0)) + exact
        for (account, sold), whole in sums.items():
            meter, factor = ("compute/vcpu", 4 * HOUR) if sold == "Machines" else ("network/egress", 10**9)
            project = "archive" if account == "acc-7" else ""
            place = meter, project, f"2026-09-{day:02d}"
            quantity_there = whole.quantize(Decimal("1e-6"), ROUND_HALF_UP) * factor
            wanted[place] = wanted.get(place, Decimal(0)) + quantity_there
    follow(counted)
    assert used(service, counted) == {place: quantity for place, quantity in wanted.items() if quantity}
    balanced(counted)


def test_what_is_used_is_whose_rules_say_by_what_the_file_says(counted: World, service: Service) -> None:
    counted.mara.ownership_rules.set(
        "tarnwick",
        [
            OwnershipRuleForm(
                name="By tag", owner="quillstone/archive", starts_on=FIRST, conditions={"where": {"tag:team": "sky"}}
            )
        ],
        counted.mara.ownership_rules.get("tarnwick").version,
    )
    send(counted, used_row("1", Tags='{"team": "sky"}'), used_row("2", Tags='{"team": "sea"}'))
    follow(counted)
    assert used(service, counted)["compute/vcpu", "archive", "2026-09-03"] == 4 * HOUR
    assert used(service, counted)["compute/vcpu", "", "2026-09-03"] == 8 * HOUR


def test_a_rule_of_kind_is_shown_before_it_is_set(counted: World, service: Service) -> None:
    send(counted, used_row("3", ServiceName="Queues", SkuPriceDetails="", SkuMeter="queue-time"))
    counted.settle()
    wanted = KindRuleForm(
        name="Queues", meter="compute/vcpu", unit="vCPU-hour", starts_on=FIRST, attributes={"size": "small"},
        conditions={"meter": "queue-time"},
    )  # fmt: skip
    [move] = counted.mara.kind_rules.preview("tarnwick", [CORES, SENT, wanted]).moves
    assert move.quantity is not None and (move.readings, move.quantity.quantity) == (1, 3 * HOUR)


def test_a_close_has_what_a_file_said_just_before_it(counted: World, monkeypatch: pytest.MonkeyPatch) -> None:
    """Also where nothing was made of it yet: both what it costs and what was used."""
    counted.mara.clock.set(moment("2026-10-05"), held=True)
    counted.settle()
    monkeypatch.setattr("gradumen.jobs.worker.Worker.make_usage", lambda self: 0.0)
    send(counted, used_row("24"))
    [invoice] = [each for each in counted.close("tarnwick", "mara", "2026-09") if each.buyer == "quillstone"]
    amounts = {line.rate: line.amount for line in invoice.lines}
    assert (amounts["vcpu-large"], amounts["cumulant"]) == (Decimal("1.63"), Decimal("1.12"))


def test_what_does_not_fit_any_more_leaves_nothing_of_before(counted: World, service: Service) -> None:
    """A service called as a meter is that by a rule alone: without it what the file states anew is refused, and told."""
    named = rule("Named", "network/egress", meter="network/egress", attributes={})
    put(counted, named)
    send(counted, used_row("2", unit="GB", ServiceName="network/egress"))
    place = ("network/egress", "archive", "2026-09-03")
    assert used(service, counted)[place] == 2 * 10**9
    put(counted)
    send(counted, used_row("3", unit="GB", ServiceName="network/egress"), at="2026-09-24 06:00")
    assert used(service, counted) == {}
    told = text("SELECT SUM(refused) FROM deliveries WHERE is_read_again")
    assert service.uow.run(lambda tx: tx.scalar(told)) == 1


def test_quantities_without_a_meter_of_costs_are_refused(counted: World) -> None:
    counted.mara.feeds.create("tarnwick", slug="plain", name="Plain")
    with pytest.raises(Invalid, match="which meter the costs are of"):
        counted.mara.imported_costs.set_meter("tarnwick/plain", None, quantities=True)
