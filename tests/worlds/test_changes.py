"""Whatever is changed, in whatever order: what is stored is what making and rating all anew gives."""

import os
import time
from datetime import UTC, date, datetime, timedelta
from random import Random
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.errors import GradumenError
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import raise_pairs_since
from gradumen.usecases.waiting import look
from tests.conftest import Service
from tests.worlds.changes import BEGIN, CHANGES, Market, send
from tests.worlds.market import open_market
from tests.worlds.stored import differing_pairs, stored_charges

FIRST = date(2026, 9, 14)


def at_rest(service: Service) -> None:
    """Wait until nothing is left to do."""
    deadline = time.monotonic() + 120
    while True:
        with service.worker.gate:
            waiting, _ = look(service.uow, at=datetime.now(UTC))
        if not (waiting.tasks or waiting.marks or waiting.pairs or waiting.moves):
            return
        assert time.monotonic() < deadline, waiting
        time.sleep(0.05)


def months(today: date) -> list[str]:
    return sorted({f"{BEGIN + timedelta(days=number):%Y-%m}" for number in range((today - BEGIN).days + 1)})


def check(market: Market, service: Service, what: str) -> None:
    """Stored charges are those of rating anew, all usage is in one place, and each link comes to one sum."""
    at_rest(service)
    assert {pair: differing(*both) for pair, both in differing_pairs(service.uow).items()} == {}, what
    for seller, client in market.clients.items():
        for month in months(market.today):
            balances = client.spend.balances(seller, month, wait=60).items
            assert [each for each in balances if each.difference] == [], f"{what}, {seller} {month}"
            compared = client.spend.compare(seller, month, wait=60)
            assert [each for each in compared if each.period != each.spend] == [], f"{what}, {seller} {month}"


def differing(kept: list[dict[str, Any]], anew: list[dict[str, Any]]) -> list[Any]:
    """What differs of two lists, field by field where they are as long."""
    left = [each for each in kept if each not in anew], [each for each in anew if each not in kept]
    if len(left[0]) != len(left[1]):
        return [*left]
    fields = [{name: (a[name], b[name]) for name in a if a[name] != b[name]} for a, b in zip(*left, strict=True)]
    return [*fields, *left]


def change(market: Market, rounds: int, service: Service, seed: int) -> None:
    """Some changes at random, several before each look; what is refused changes nothing."""
    told: list[str] = []
    for _ in range(rounds):
        for _ in range(market.random.randint(1, 4)):
            each = market.random.choice(CHANGES)
            try:
                each(market)
                told.append(each.__name__)
            except GradumenError as refused:
                told.append(f"{each.__name__} refused: {refused}")
        check(market, service, f"seed {seed}: {told}")


def test_what_is_stored_is_what_all_anew_gives(service: Service) -> None:
    """Also in months that nobody was told to rate again, and of usage that is made anew of all that came in."""
    seed = int(os.environ.get("GRADUMEN_SEED", "20261201"))
    random, rounds = Random(seed), int(os.environ.get("GRADUMEN_CHANGES", "4"))
    clients = open_market(service.url, random.choice(["Asia/Kathmandu", "America/Halifax", "Europe/Brussels"]))
    market = Market(random, clients, FIRST)
    clients["tarnwick"].clock.set(datetime(FIRST.year, FIRST.month, FIRST.day, 9, tzinfo=UTC), held=True)
    for _ in range(4):
        send(market)
    check(market, service, f"seed {seed}")
    change(market, rounds, service, seed)
    before = stored_charges(service.uow, f"{market.today:%Y-%m}")
    with Session(service.uow.engine) as session, session.begin():
        organisations = session.scalars(select(OrganisationRow.id)).all()
        raise_pairs_since(session, dict.fromkeys(organisations, BEGIN), market.today)
    at_rest(service)
    anew = stored_charges(service.uow, f"{market.today:%Y-%m}")
    assert (anew - before, before - anew) == (set(), set()), f"seed {seed}: nobody asked for it"
    for month in months(market.today):
        task = clients["tarnwick"].usage_remakes.start("tarnwick", month)
        assert clients["tarnwick"].tasks.follow(task.id, seconds=60).state == "done"
    at_rest(service)
    anew = stored_charges(service.uow, f"{market.today:%Y-%m}")
    assert (anew - before, before - anew) == (set(), set()), f"seed {seed}: usage made anew"
    for client in clients.values():
        client.close()
