"""A what-if is a task: what it comes to is what the documents say and would say, and nothing else is touched by it."""

from collections import defaultdict
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from uuid import uuid4

import pytest
from sqlalchemy import text

from gradumen.core.errors import CatalogueInvalid, Conflict, Invalid, NotFound
from gradumen.core.exact import add
from gradumen.jobs import what_ifs as jobs
from gradumen.usecases.rating import what_ifs
from gradumen.wire.rating.what_ifs import WhatIfBody
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate
from tests.conftest import Service
from tests.world import GIB, NIGHT, World, egress, files, moment, rate_card, reading

DEARER = files(rate_card("tenants-eur", "EUR", "tenants", "2", "2027-01-01"))


def price(world: World, period: str = "2026-09") -> WhatIfBody:
    return world.mara.what_ifs.wait(world.mara.what_ifs.ask("tarnwick", period, DEARER).id, seconds=60)


def test_a_closed_month_is_priced_again_and_nothing_is_touched(world: World) -> None:
    world.send(egress("a", 100 * GIB, owner="quillstone/archive"))
    before = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    found = price(world)
    amounts = world.mara.what_ifs.amounts(found.id)
    rows = {(row.buyer, row.service): row for row in amounts}

    assert (found.state, found.made, found.total, found.not_priced) == ("done", 2, 2, [])
    assert [(card.rate_card, found.asked_by) for card in found.cards] == [("tenants-eur", "mara@tarnwick.example")]
    assert rows["quillstone", "network"].before * 2 == rows["quillstone", "network"].after
    assert rows["quillstone", "open-range"].difference == Decimal(79)
    assert (rows["quillstone", "open-range"].service_name, rows["oxbow", "open-range"].difference) == (
        "Open Range: fees",
        0,
    )
    august = [line.amount for line in before.lines if line.service_start < moment("2026-08-31")]
    assert add([row.before for row in amounts if row.buyer == "quillstone"] + august) == before.net
    assert world.user("finn").invoices.get(before.id) == before
    assert [version.number for version in world.mara.catalogue.rate_card("tarnwick", "tenants-eur").versions] == [1]


def test_sums_are_those_of_the_amounts_and_pages_miss_none(world: World) -> None:
    world.send(egress("a", 100 * GIB, owner="quillstone/archive"), egress("b", 7 * GIB))
    found = price(world)
    amounts = world.mara.what_ifs.amounts(found.id)
    sums: dict[tuple[str, str], list[Decimal]] = defaultdict(list)
    for row in amounts:
        sums[row.service, row.currency].append(row.difference)
    assert {(each.service, each.currency): each.difference for each in found.sums} == {
        key: add(differences) for key, differences in sums.items()
    }
    assert {(each.service, each.currency): (each.differing, each.buyers) for each in found.sums} == {
        key: (sum(each != 0 for each in differences), len(differences)) for key, differences in sums.items()
    }
    pages = world.mara.connection.all(f"what-ifs/{found.id}/amounts", type(amounts[0]), limit=1)
    assert pages == amounts
    assert world.mara.what_ifs.amounts(found.id, differing=True) == [each for each in amounts if each.difference]
    assert {each.buyer for each in world.mara.what_ifs.amounts(found.id, search="oxb")} == {"oxbow"}


def test_what_was_asked_is_listed_page_by_page_newest_first(world: World) -> None:
    asked = []
    for minutes in (0, 1, 1, 2):  # Two of one second: the clock stands.
        world.mara.clock.set(moment("2026-10-05") + timedelta(minutes=minutes), held=True)
        asked.append(price(world).id)
    pages = world.mara.connection.all("organisations/tarnwick/what-ifs", WhatIfBody, limit=1)
    assert [each.id for each in pages] == [each.id for each in world.mara.what_ifs.list("tarnwick")]
    assert sorted(each.id for each in pages) == sorted(asked)
    assert [each.asked_at for each in pages] == sorted((each.asked_at for each in pages), reverse=True)
    with pytest.raises(Invalid, match="no place in this list"):
        world.mara.connection.page("organisations/tarnwick/what-ifs", WhatIfBody, after="now")


def test_the_same_prices_change_nothing(world: World) -> None:
    world.send(egress("a", 100 * GIB, owner="quillstone/archive"))
    same = files(rate_card("tenants-eur", "EUR", "tenants", "1"))
    found = world.mara.what_ifs.wait(world.mara.what_ifs.ask("tarnwick", "2026-09", same).id, seconds=60)
    assert [each.difference for each in found.sums] == [0] * len(found.sums) != []
    assert world.mara.what_ifs.amounts(found.id, differing=True) == []


def test_a_time_window_of_what_would_be_alone_tells_hours_apart(world: World) -> None:
    world.send(reading("night", owner="quillstone/archive"))
    nights = files(rate_card("tenants-eur", "EUR", "tenants", "1") + NIGHT.format(price="0.01"))
    found = world.mara.what_ifs.wait(world.mara.what_ifs.ask("tarnwick", "2026-09", nights).id, seconds=60)
    (row,) = [each for each in world.mara.what_ifs.amounts(found.id, search="quill") if each.service == "compute"]
    assert row.before == Decimal("0.48"), "4 processors, 6 hours at 0.02"
    assert row.after == Decimal("0.28"), "5 of them until 6 o'clock in Dublin"


def test_what_nothing_would_price_is_named_with_how_many_use_it(world: World) -> None:
    world.send(egress("a", 100 * GIB, owner="quillstone/archive"))
    without = files(rate_card("tenants-eur", "EUR", "tenants", "1").split("  - rate: egress")[0])
    found = world.mara.what_ifs.wait(world.mara.what_ifs.ask("tarnwick", "2026-09", without).id, seconds=60)
    gap = next(each for each in found.not_priced if each.meter == "network/egress")
    assert (gap.buyers, gap.meter_name) == (1, "Network: Data sent out")
    (row,) = [each for each in world.mara.what_ifs.amounts(found.id, search="quill") if each.service == "network"]
    assert row.before > 0 == row.after


def test_cards_that_the_seller_does_not_have_are_refused(world: World) -> None:
    asked = world.mara.what_ifs.ask
    with pytest.raises(Invalid, match="no rate card 'new'"):
        asked("tarnwick", "2026-09", files(rate_card("new", "EUR", "any", "1")))
    with pytest.raises(Invalid, match="no rate card 'tenants-eur' in GBP"):
        asked("tarnwick", "2026-09", files(rate_card("tenants-eur", "GBP", "any", "1")))
    with pytest.raises(Invalid, match="at least one"):
        asked("tarnwick", "2026-09", [])
    with pytest.raises(CatalogueInvalid):
        asked("tarnwick", "2026-09", files(rate_card("tenants-eur", "EUR", "any", "1").replace("per: GiB", "per: ell")))
    with pytest.raises(NotFound):
        world.user("una").what_ifs.ask("tarnwick", "2026-09", DEARER)
    assert world.mara.what_ifs.list("tarnwick") == []


def test_a_repeated_call_asks_once_and_a_few_wait_at_once(world: World, service: Service) -> None:
    with service.worker.gate:
        key = str(uuid4())
        one, again = (world.mara.what_ifs.ask("tarnwick", "2026-09", DEARER, key=key) for _ in range(2))
        assert one == again
        for _ in range(what_ifs.MOST - 1):
            world.mara.what_ifs.ask("tarnwick", "2026-09", DEARER)
        with pytest.raises(Conflict, match="5 what-ifs"):
            world.mara.what_ifs.ask("tarnwick", "2026-09", DEARER)
        waiting = world.mara.what_ifs.get(one.id)
        assert (waiting.state, waiting.sums) == ("waiting", [])
        with pytest.raises(Conflict, match="when it is done"):
            world.mara.what_ifs.amounts(one.id)
    assert world.mara.what_ifs.wait(one.id, seconds=60).state == "done"


def test_a_worker_that_fails_in_the_middle_leaves_what_another_makes_whole(
    world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    world.send(egress("a", 100 * GIB, owner="quillstone/archive"))
    expected = price(world)
    original: Callable[..., int] = jobs.price
    calls: list[int] = []

    def failing(*args: object, **kwargs: object) -> int:
        done = original(*args, **kwargs)
        calls.append(done)
        if len(calls) == 1:
            raise RuntimeError("gone")
        return done

    monkeypatch.setattr(jobs, "price", failing)
    found = world.mara.what_ifs.ask("tarnwick", "2026-09", DEARER)
    world.mara.tasks.follow(found.id, seconds=60)
    done = world.mara.what_ifs.get(found.id)
    assert len(calls) > 1
    assert (done.state, done.sums) == ("done", expected.sums)
    assert world.mara.what_ifs.amounts(found.id) == world.mara.what_ifs.amounts(expected.id)


def test_what_is_old_is_forgotten_and_what_is_new_or_under_way_stays(world: World, service: Service) -> None:
    old = price(world)
    world.mara.clock.set(old.asked_at + what_ifs.WHAT_IFS - timedelta(days=1))
    what_ifs.forget_what_ifs(service.uow, at=datetime.now(UTC))
    assert world.mara.what_ifs.get(old.id) == old
    world.mara.clock.set(old.asked_at + what_ifs.WHAT_IFS + timedelta(days=1))
    new = price(world)
    what_ifs.forget_what_ifs(service.uow, at=datetime.now(UTC))
    assert [each.id for each in world.mara.what_ifs.list("tarnwick")] == [new.id]
    with pytest.raises(NotFound):
        world.mara.what_ifs.get(old.id)


def test_one_that_is_no_longer_kept_says_so_to_its_task(world: World, service: Service) -> None:
    with service.worker.gate:
        found = world.mara.what_ifs.ask("tarnwick", "2026-09", DEARER)
        with service.uow.engine.begin() as connection:
            connection.execute(text("DELETE FROM what_ifs"))
    assert world.mara.tasks.follow(found.id, seconds=60).problem == "this what-if is no longer kept; ask again"


@pytest.mark.parametrize(("change", "expected"), [("more", "158"), ("another", "98.9"), ("end", "0")])
def test_a_month_to_come_that_was_priced_follows_what_is_changed_before_it(
    world: World, change: str, expected: str
) -> None:
    """Its charges are stored since somebody asked what it would come to; nothing else has them rated again."""
    mara = world.mara
    price(world, "2027-02")
    [held] = mara.subscriptions.list("quillstone")
    if change == "more":
        mara.subscriptions.change(held.id, SubscriptionChange(starts_on=date(2026, 12, 1), quantity=2))
    elif change == "another":
        more = SubscriptionCreate(
            organisation="quillstone", plan="open-range", tier="heath", name="Heath", starts_on=date(2027, 1, 1)
        )
        mara.subscriptions.create(more)
    else:
        mara.subscriptions.end(held.id, date(2026, 12, 1))
    mara.clock.set(moment("2027-02-10"), held=True)
    found = mara.spend.period_so_far("quillstone", "2027-02", wait=60)
    assert not found.waiting
    assert add([line.amount for link in found.links for line in link.lines]) == Decimal(expected)
