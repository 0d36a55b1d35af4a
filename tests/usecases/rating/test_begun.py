"""Begun steps of time where lines, sellers, cards and months change while a resource is there: each step once."""

from datetime import date
from decimal import Decimal

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gradumen.store.rating.tables import CurrentChargeRow
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange
from tests.conftest import Service, settle
from tests.usecases.metering.test_held import NOVEMBER, RATES, charged, event, november, told
from tests.usecases.rating.test_current_charges import pair_of
from tests.usecases.subscriptions.test_moves import ToDay, to_day
from tests.world import RUBEN, World, add_bluefern, files, moment, rate_card
from tests.worlds.stored import differing_pairs

__all__ = ["november", "to_day"]


def test_a_step_is_of_the_tier_in_which_it_begins(november: World, service: Service) -> None:
    [held] = november.mara.subscriptions.list("quillstone")
    change = SubscriptionChange(starts_on=date(2026, 11, 28), tier="heath")
    november.mara.subscriptions.change(held.id, change)
    november.mara.clock.set(moment("2026-12-03"), held=True)
    november.send(
        event("made", "1", "2026-11-27 22:30", "awake"),
        event("changed", "2", "2026-11-28 00:00", "awake", attributes={"size": "large"}),
        event("gone", "3", "2026-11-28 01:31"),
    )
    assert charged(november) == {"awake": 4}, "at 22:30, 23:30, 0:30 and 1:30"
    settle(service.uow.engine)
    with Session(service.uow.engine) as session:
        row = CurrentChargeRow
        query = select(func.sum(row.quantity)).where(row.kind == "started_hour").group_by(row.supply_line_id)
        by_line = sorted(
            session.scalars(query.where(row.pair_id == pair_of(service, "tarnwick", "quillstone", NOVEMBER).id))
        )
    assert by_line == [2 * 3600, 2 * 3600]
    assert not differing_pairs(service.uow)


def test_a_step_is_of_the_seller_to_whom_it_began(world: World, november: World, to_day: ToDay) -> None:
    add_bluefern(world)
    cards = [rate_card("resellers-eur", "EUR", "resellers", "0.6", "2026-11-26") + RATES]
    world.mara.catalogue.publish("tarnwick", files(*cards))
    own = rate_card("bluefern-gbp", "GBP", "any", "0.9", "2026-11-26") + RATES
    world.user(RUBEN).catalogue.publish("bluefern", files(own))
    world.mara.moves.plan("saltmarsh", "bluefern", date(2026, 11, 28), "It moves house.")
    to_day("2026-11-30")
    world.send(
        event("made", "1", "2026-11-27 21:40", "awake", owner="saltmarsh/booking"),
        event("gone", "2", "2026-11-28 02:10", owner="saltmarsh/booking"),
    )

    def begun(user: str) -> dict[tuple[str, str], Decimal]:
        links = world.user(user).spend.period_so_far("saltmarsh", NOVEMBER, wait=60).links
        return {
            (link.seller, link.buyer): sum((line.quantity for line in link.lines if line.rate == "awake"), Decimal(0))
            for link in links
        }

    assert begun("ines") == {("oxbow", "saltmarsh"): 3, ("bluefern", "saltmarsh"): 2}, "at 23:40 for the first still"


def test_what_begins_costs_its_seller_too(november: World, service: Service) -> None:
    cost = rate_card("own-cost", "EUR", "own-use", "0.4", "2026-11-26") + RATES.replace("0.5", "0.2")
    november.mara.catalogue.publish("tarnwick", files(cost))
    november.mara.clock.set(moment("2026-12-03"), held=True)
    november.send(
        event("made", "1", "2026-11-27 10:00", "awake"),
        event("made", "2", "2026-11-27 10:00", "awake", resource="vm-2", owner="saltmarsh/booking"),
        event("made", "3", "2026-11-27 10:00", "awake", resource="vm-3", owner="tarnwick/own"),
    )
    told(november, "2026-11-27 12:00")
    november.mara.spend.period_so_far("tarnwick", NOVEMBER, wait=60)
    settle(service.uow.engine)
    with Session(service.uow.engine) as session:
        row, pair = CurrentChargeRow, pair_of(service, "tarnwick", "tarnwick", NOVEMBER)
        query = select(func.sum(row.amount)).where(row.pair_id == pair.id, row.kind == "started_hour")
        assert session.scalar(query.where(row.generation == pair.generation)) == Decimal("0.2") * 2 * 3
    assert not differing_pairs(service.uow)


@pytest.mark.parametrize(("old", "new", "factor"), [("0.5", "1.5", 3), ("started: hour, ", "", Decimal("2.25") / 3)])
def test_another_card_prices_what_began_too(november: World, old: str, new: str, factor: Decimal) -> None:
    november.send(event("made", "1", "2026-11-03 08:00", "awake"), event("gone", "2", "2026-11-03 10:15"))
    card = rate_card("tenants-eur", "EUR", "tenants", "1", "2026-11-01") + RATES.replace(old, new)
    found = november.mara.what_ifs.wait(november.mara.what_ifs.ask("tarnwick", NOVEMBER, files(card)).id, seconds=60)
    [row] = [each for each in november.mara.what_ifs.amounts(found.id, differing=True) if each.service == "compute"]
    assert (row.buyer, row.before) == ("quillstone", Decimal("1.5"))
    assert row.after == (row.before * factor).quantize(Decimal("0.01"), "ROUND_HALF_UP")
