"""Charges kept current: what is stored is what rating gives, whoever rates when, and whatever happens meanwhile."""

import time
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

import pytest
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from gradumen.core.errors import Invalid
from gradumen.core.exact import add
from gradumen.store.catalogue.tables import MeterRow
from gradumen.store.metering.tables import UsageDayRow
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow
from gradumen.store.pairs import PairRow
from gradumen.store.rating.current_charges import Attempt
from gradumen.store.rating.tables import CurrentChargeRow, CurrentPartRow, NotPricedRow
from gradumen.usecases.rating import current_charges
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate
from tests.conftest import Service, settle
from tests.world import GIB, World, egress, files, moment, rate_card, reading
from tests.worlds.balance import unbalanced
from tests.worlds.stored import differing_pairs

SEPTEMBER = "2026-09"


def rate(service: Service, pairs: list[int]) -> int:
    return current_charges.rate_pairs(service.uow, pairs, now=lambda: datetime.now(UTC), rests=0, least=timedelta(0))


def pair_of(service: Service, seller: str, buyer: str, period: str = SEPTEMBER) -> PairRow:
    with Session(service.uow.engine) as session:
        ids = dict(session.execute(select(OrganisationRow.slug, OrganisationRow.id)).all())
        query = select(PairRow).where(
            PairRow.seller_id == ids[seller], PairRow.buyer_id == ids[buyer], PairRow.period == period
        )
        return session.scalars(query).one()


def used(world: World) -> None:
    world.send(
        egress("a", 120 * GIB, resource="vm-1"),
        egress("b", 60 * GIB, resource="vm-2", owner="saltmarsh/harbour"),
        egress("c", 300 * GIB, owner="quillstone/archive"),
        egress("d", 7 * GIB, owner="thistledown/records"),
        egress("e", 9 * GIB, owner="tarnwick/own"),
        reading("f", attributes={"size": "large"}),
        reading("g", resource="vm-2"),
    )


def test_stored_charges_are_what_rating_anew_gives(world: World, service: Service) -> None:
    """For every pair, after all that can change one: usage, subscriptions, cards, rules, charges by hand, the clock."""
    used(world)
    world.send(egress("a", 90 * GIB, resource="vm-3", sequence=1))
    edda = world.user("edda")
    subscription = edda.subscriptions.list("saltmarsh")[0]
    edda.subscriptions.change(subscription.id, SubscriptionChange(starts_on=moment("2026-09-11").date(), tier="moor"))
    edda.one_off_charges.enter(
        OneOffChargeCreate(
            seller="oxbow",
            organisation="saltmarsh",
            subscription="Open Range",
            day=moment("2026-09-20").date(),
            description="Cabling",
            amount="12.50",
            currency="GBP",
        )
    )
    world.mara.clock.set(moment("2026-12-03"), held=True)
    settle(service.uow.engine)

    assert differing_pairs(service.uow) == {} and unbalanced(service.uow) == {}
    with Session(service.uow.engine) as session:
        assert session.scalar(select(func.count()).select_from(CurrentChargeRow)) > 20
        assert set(session.scalars(select(PairRow.period))) >= {"2026-08", "2026-11", "2026-12"}


def test_a_card_published_later_is_in_all_that_it_prices(world: World, service: Service) -> None:
    """Of own cost, of a subscription that begins after the version, and of one that was there long before."""
    used(world)
    world.send(
        egress(
            "october", 33 * GIB, owner="quillstone/archive", start="2026-10-02T05:00:00Z", end="2026-10-02T06:00:00Z"
        )
    )
    settle(service.uow.engine)
    world.user("edda").subscriptions.create(
        SubscriptionCreate(
            organisation="thistledown",
            plan="open-range",
            tier="moor",
            name="Soon",
            starts_on=moment("2026-10-20").date(),
        )
    )
    settle(service.uow.engine)
    before = world.mara.spend.margins("tarnwick", "2026-10")
    world.mara.catalogue.publish(
        "tarnwick",
        files(
            rate_card("tenants-eur", "EUR", "tenants", "3", "2026-10-10"),
            rate_card("resellers-gbp", "GBP", "resellers", "2", "2026-10-10"),
            rate_card("own-cost", "EUR", "own-use", "0.9", "2026-10-10"),
        ),
    )
    world.user("edda").catalogue.publish("oxbow", files(rate_card("oxbow-gbp", "GBP", "any", "4", "2026-10-12")))
    settle(service.uow.engine)

    assert differing_pairs(service.uow) == {} and unbalanced(service.uow) == {}
    assert world.mara.spend.margins("tarnwick", "2026-10").rows != before.rows


def test_of_two_workers_on_one_pair_the_later_one_stores(world: World, service: Service) -> None:
    used(world)
    settle(service.uow.engine)
    pair = pair_of(service, "tarnwick", "quillstone").id
    with service.worker.gate:
        attempts = []
        for _ in range(2):
            attempt = current_charges.begin(service.uow, pairs=[pair], at=datetime.now(UTC))
            attempts.append((attempt, current_charges.rated_rows(service.uow, attempt=attempt)))
        (first, early), (last, late) = attempts
        given = {"at": datetime.now(UTC), "rest": timedelta(0)}
        assert current_charges.hold(service.uow, attempt=first, rows=early, **given) == 0
        assert current_charges.hold(service.uow, attempt=last, rows=late, **given) == 1
        assert pair_of(service, "tarnwick", "quillstone").generation == last.begun[0].fence
        assert differing_pairs(service.uow) == {}
        # What the first one left behind holds nowhere, and goes with the next but one rating.
        for _ in range(2):
            assert rate(service, [pair]) == 1
    with Session(service.uow.engine) as session:
        left = set(session.scalars(select(CurrentChargeRow.generation).where(CurrentChargeRow.pair_id == pair)))
    assert len(left) == 2
    assert first.begun[0].fence not in left


def test_a_worker_that_is_killed_before_its_charges_hold_changes_nothing(world: World, service: Service) -> None:
    used(world)
    settle(service.uow.engine)
    seen = world.user("finn").spend.period_so_far("tarnwick", SEPTEMBER)
    pair = pair_of(service, "tarnwick", "quillstone").id
    with service.worker.gate:
        attempt = current_charges.begin(service.uow, pairs=[pair], at=datetime.now(UTC))
        rows = current_charges.rated_rows(service.uow, attempt=attempt)
        assert rows.charges and rows.parts.height > 2
        current_charges.add(service.uow, rows=replace(rows, parts=rows.parts[:2]))
        assert world.user("finn").spend.period_so_far("tarnwick", SEPTEMBER).links == seen.links
        assert rate(service, [pair]) == 1
        assert differing_pairs(service.uow) == {}


@pytest.mark.parametrize("what", ["reading", "subscription", "charge by hand"])
def test_what_changes_while_a_pair_is_rated_is_in_it_soon_after(
    world: World, service: Service, monkeypatch: pytest.MonkeyPatch, what: str
) -> None:
    """The change is made after the revision was read and before anything else: the pair stays stale."""
    used(world)
    settle(service.uow.engine)
    changes: dict[str, Callable[[], Any]] = {
        "reading": lambda: world.mara.readings.send(
            "tarnwick/north-fell", [egress("c", 11 * GIB, owner="quillstone/archive", sequence=3)]
        ),
        "subscription": lambda: world.mara.subscriptions.end(
            world.mara.subscriptions.list("quillstone")[0].id, moment("2026-09-21").date()
        ),
        "charge by hand": lambda: world.mara.one_off_charges.enter(
            OneOffChargeCreate(
                seller="tarnwick",
                organisation="quillstone",
                subscription="Open Range",
                day=moment("2026-09-20").date(),
                description="Cabling",
                amount="12.50",
                currency="EUR",
            )
        ),
    }
    before = {line.rate: line for link in so_far(world) for line in link.lines}
    load = current_charges.load_links
    done = []

    def change_first(*given: Any, **chosen: Any) -> Any:
        loaded = load(*given, **chosen)
        if not done:
            done.append(changes[what]())
        return loaded

    monkeypatch.setattr(current_charges, "load_links", change_first)
    with service.worker.gate:
        assert rate(service, [pair_of(service, "tarnwick", "quillstone").id]) == 1
    world.settle()
    settle(service.uow.engine)

    assert done
    assert differing_pairs(service.uow) == {}
    assert {line.rate: line for link in so_far(world) for line in link.lines} != before


def so_far(world: World) -> Any:
    return [
        link
        for link in world.user("finn").spend.period_so_far("tarnwick", SEPTEMBER, wait=60).links
        if link.buyer == "quillstone"
    ]


def test_a_page_rates_nothing_and_says_that_something_waits(
    world: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    used(world)
    settle(service.uow.engine)
    before = so_far(world)
    monkeypatch.setattr(service.worker, "rate_next", lambda: False)
    world.send(egress("late", GIB, owner="quillstone/archive"))
    found = world.user("finn").spend.period_so_far("tarnwick", SEPTEMBER)
    assert [link for link in found.links if link.buyer == "quillstone"] == before
    assert found.waiting
    assert world.user("finn").spend.margins("tarnwick", SEPTEMBER).waiting
    assert not world.user("una").spend.period_so_far("quillstone", "2026-08").waiting
    monkeypatch.undo()
    assert so_far(world) != before


def test_a_pair_that_cannot_be_rated_says_why_and_its_bill_run_fails_with_that(
    world: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    used(world)
    settle(service.uow.engine)

    def refuse(*given: Any, **chosen: Any) -> Any:
        raise Invalid("the usage of this period is too large to add up exactly", field="quantity")

    monkeypatch.setattr(current_charges, "load_links", refuse)
    world.send(egress("late", GIB, owner="quillstone/archive"))
    run = world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", SEPTEMBER).id)
    assert (run.state, run.problem) == ("needs a hand", "the usage of this period is too large to add up exactly")
    assert pair_of(service, "tarnwick", "quillstone").problem == run.problem
    monkeypatch.undo()
    world.mara.tasks.retry(run.id)
    assert world.mara.bill_runs.wait(run.id).state == "done"
    assert pair_of(service, "tarnwick", "quillstone").problem is None


def test_a_pair_that_cannot_be_rated_leaves_the_others_current(
    world: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Those of its seller and month are rated apart from it, and so is what own services cost."""
    used(world)
    settle(service.uow.engine)
    load = current_charges.load_links
    broken = pair_of(service, "tarnwick", "quillstone").buyer_id

    def refuse(*given: Any, buyers: Any, **chosen: Any) -> Any:
        if buyers is None or broken in buyers:
            raise Invalid("the usage of this period is too large to add up exactly", field="quantity")
        return load(*given, buyers=buyers, **chosen)

    monkeypatch.setattr(current_charges, "load_links", refuse)
    world.mara.readings.send("tarnwick/north-fell", [egress("l1", GIB, owner="quillstone/archive"), egress("l2", GIB)])
    deadline = time.monotonic() + 120
    # A pair that is refused together with others is rated apart from them right after.
    others = (("tarnwick", "oxbow"), ("oxbow", "saltmarsh"))
    while not pair_of(service, "tarnwick", "quillstone").problem or any(
        pair_of(service, *each).stale_since for each in others
    ):
        assert time.monotonic() < deadline
        time.sleep(0.05)
    (told,) = [
        each
        for each in world.user("finn").spend.period_so_far("tarnwick", SEPTEMBER).problems
        if each.buyer == "quillstone"
    ]
    assert told.problem == "the usage of this period is too large to add up exactly"
    assert world.user("una").spend.period_so_far("quillstone", SEPTEMBER).problems == [], "it is the seller's to mend"
    assert pair_of(service, "tarnwick", "quillstone").stale_since is not None
    assert pair_of(service, "tarnwick", "tarnwick").stale_since is not None
    assert pair_of(service, "oxbow", "saltmarsh").problem is None


def test_all_that_was_used_is_charged_or_listed_on_every_link(world: World, service: Service) -> None:
    """By part, through the database: usage of a seller's buyers = charged (what is covered with it) + not priced."""
    used(world)
    world.send(egress("nobody", 5 * GIB, owner=None, account="x"))
    settle(service.uow.engine)
    with Session(service.uow.engine) as session:
        slugs = dict(session.execute(select(OrganisationRow.id, OrganisationRow.slug)).all())
        meters = dict(session.execute(select(MeterRow.id, MeterRow.slug)).all())
        usage: Counter[tuple[str, str]] = Counter()
        for owner, meter, quantity in session.execute(
            select(ProjectRow.organisation_id, UsageDayRow.meter_id, UsageDayRow.total).join(
                ProjectRow, ProjectRow.number == UsageDayRow.project_number
            )
        ):
            usage[slugs[owner], meters[meter]] += quantity
        found: Counter[tuple[str, str, str]] = Counter()
        pairs = {row.id: row for row in session.scalars(select(PairRow).where(PairRow.period == SEPTEMBER))}
        charges = (
            select(
                CurrentChargeRow.pair_id, CurrentChargeRow.generation, CurrentChargeRow.meter, CurrentPartRow.quantity
            )
            .join(
                CurrentPartRow,
                (CurrentPartRow.pair_id == CurrentChargeRow.pair_id)
                & (CurrentPartRow.generation == CurrentChargeRow.generation)
                & (CurrentPartRow.charge_position == CurrentChargeRow.position),
            )
            .where(CurrentChargeRow.meter.is_not(None))
        )
        missing = select(NotPricedRow.pair_id, NotPricedRow.generation, NotPricedRow.meter, NotPricedRow.quantity)
        for query in (charges, missing):
            for pair, generation, meter, quantity in session.execute(query):
                row = pairs.get(pair)
                if row is not None and row.generation == generation and row.seller_id != row.buyer_id:
                    found[slugs[row.seller_id], slugs[row.buyer_id], meter] += quantity
        nobodys = session.scalar(select(func.sum(UsageDayRow.total)).where(UsageDayRow.project_number == 0))
    below = {
        ("tarnwick", "oxbow"): ("oxbow", "saltmarsh", "thistledown"),
        ("tarnwick", "quillstone"): ("quillstone",),
        ("oxbow", "saltmarsh"): ("saltmarsh",),
        ("oxbow", "thistledown"): ("thistledown",),
    }
    expected = {
        (*link, meter): total
        for link, owners in below.items()
        for meter in ("network/egress", "compute/vcpu")
        if (total := add([usage[owner, meter] for owner in owners]))
    }
    assert dict(found) == expected
    assert nobodys == Decimal(5 * GIB)


def test_the_oldest_pairs_are_rated_together_and_then_rest(world: World, service: Service) -> None:
    used(world)
    settle(service.uow.engine)
    now = datetime.now(UTC)
    with service.worker.gate:
        with service.uow.engine.begin() as connection:
            connection.execute(text("UPDATE pairs SET stale_since = '2026-01-02', wanted = wanted + 1"))
            connection.execute(
                text("UPDATE pairs SET stale_since = '2026-01-01' WHERE period = '2026-08' AND buyer_id <> seller_id")
            )
        chosen = current_charges.due_pairs(service.uow, at=now)
        with Session(service.uow.engine) as session:
            rows = session.scalars(select(PairRow).where(PairRow.id.in_(chosen))).all()
            assert len(rows) > 1
            assert len({(row.seller_id, row.period) for row in rows}) == 1
            assert rows[0].period == "2026-08"
        rested = current_charges.rate_pairs(service.uow, chosen, now=lambda: now, rests=10, least=timedelta(seconds=30))
        assert rested == len(chosen)
        with service.uow.engine.begin() as connection:
            connection.execute(
                text("UPDATE pairs SET stale_since = '2026-01-01', wanted = wanted + 1 WHERE not_before > :now"),
                {"now": now.replace(tzinfo=None)},
            )
        assert not set(chosen) & set(current_charges.due_pairs(service.uow, at=now))
        assert set(chosen) & set(current_charges.due_pairs(service.uow, at=now + timedelta(seconds=31)))


def test_an_attempt_is_of_the_pairs_that_were_asked_for(world: World, service: Service) -> None:
    used(world)
    settle(service.uow.engine)
    pair = pair_of(service, "oxbow", "saltmarsh")
    attempt: Attempt = current_charges.begin(service.uow, pairs=[pair.id], at=datetime.now(UTC))

    assert [(each.pair, each.fence, each.wanted) for each in attempt.begun] == [(pair.id, pair.fence + 1, pair.wanted)]
    assert (attempt.seller, attempt.period) == (pair.seller_id, SEPTEMBER)
