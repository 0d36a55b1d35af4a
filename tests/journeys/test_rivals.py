"""Grants, moves, reductions and orders that come at once from two processes: no snapshot ever has too much promised."""

import os
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from datetime import date
from decimal import Decimal
from random import Random
from threading import Event, Thread
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import Engine, text

from gradumen.client import Client
from gradumen.core.errors import Conflict, GradumenError
from gradumen.run.database import PrivateDatabase
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.organisations.sites import SiteCreate
from gradumen.wire.quotas.pools import PoolCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.journeys.test_shared import serving
from tests.world import World, add_bluefern, files

DAY = date(2026, 11, 1)
THREADS = 8
RIVALS = int(os.environ.get("GRADUMEN_RIVALS", "104"))
EACH = RIVALS // THREADS
HOLDERS = {"oxbow": 70, "bluefern": 60, "pebble": 45, "saltmarsh": 30, "fern": 25, "moss": 25, "quillstone": 20}
"""Who may get something, and how much is asked for at most."""
PLAN = """
plan: open-range
name: Open Range
services: [compute, network]
tiers:
  - {tier: heath, name: Heath, quotas: {machines: 3}}
  - {tier: moor, name: Moor}
"""


@pytest.fixture
def four_levels(world: World) -> tuple[World, list[UUID]]:
    """Two resellers, one below one of them with two tenants, two sites with pools; gives the sites."""
    add_bluefern(world)
    mara = world.mara
    mara.catalogue.publish("tarnwick", files(PLAN))
    for parent, type, slug in (
        ("oxbow", "reseller", "pebble"),
        ("pebble", "tenant", "fern"),
        ("pebble", "tenant", "moss"),
    ):
        mara.organisations.create(
            OrganisationCreate(parent=parent, type=type, slug=slug, name=slug.title(), country="GB", currency="GBP",
                               billing_zone="UTC")
        )  # fmt: skip
    sites = []
    for slug in ("north-fell", "south-quay"):
        site = mara.sites.register("tarnwick", SiteCreate(slug=slug, name=slug.title())).id
        pool = PoolCreate(site=site, slug=f"at-{slug}", name=slug, measure="machines", capacity=Decimal(60))
        mara.pools.make("tarnwick", pool)
        sites.append(site)
    for slug, limit in (("tarnwick", 100), ("oxbow", 60), ("bluefern", 20), ("pebble", 20), ("saltmarsh", 8)):
        mara.quotas.grant(slug, "machines", Decimal(limit))
        for site in sites if slug != "tarnwick" else ():
            mara.site_quotas.grant(slug, site, "machines", Decimal(limit // 2))
    return world, sites


def acts(client: Client, sites: list[UUID], random: Random, number: int) -> Iterator[Callable[[], object]]:
    """What one of the rivals does, one after the other."""
    for count in range(EACH):
        holder, kind = random.choice(list(HOLDERS)), random.random()
        limit = Decimal(random.randint(0, HOLDERS[holder]))
        if kind < 0.4:
            yield lambda holder=holder, limit=limit: client.quotas.grant(holder, "machines", limit)
        elif kind < 0.75:
            site = random.choice(sites)
            yield lambda holder=holder, site=site, limit=limit: client.site_quotas.grant(
                holder, site, "machines", Decimal(int(limit) // 2)
            )
        elif kind < 0.9:
            mover, to = random.choice(["pebble", "saltmarsh"]), random.choice(["oxbow", "bluefern"])
            yield lambda mover=mover, to=to: move(client, mover, to)
        else:
            wanted = SubscriptionCreate(organisation="quillstone", plan="open-range", tier="heath",
                                        name=f"{number}-{count}", starts_on=date(2026, 10, 1))  # fmt: skip
            yield lambda wanted=wanted: client.subscriptions.create(wanted)


def move(client: Client, mover: str, to: str) -> None:
    """Plan a move, or take back the one that is planned."""
    planned = [each.id for each in client.moves.list(mover) if each.state == "planned"]
    if planned and planned[0]:
        client.moves.withdraw(mover, planned[0])
    else:
        client.moves.plan(mover, to, DAY, "why")


def breaches(engine: Engine) -> list[str]:
    """Where a snapshot of the database has more promised than there is (invariant 3)."""
    with engine.connect() as connection:
        connection.exec_driver_sql("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        connection.exec_driver_sql("START TRANSACTION WITH CONSISTENT SNAPSHOT")

        def read(statement: str) -> list[Any]:
            return list(connection.execute(text(statement)))

        names = dict(map(tuple, read("SELECT id, slug FROM organisations")))
        total = read(
            "SELECT holder_id, giver_id, next_giver_id, is_set, limit_value FROM quotas WHERE measure = 'machines'"
        )
        placed = read("SELECT holder_id, giver_id, next_giver_id, spot_id, limit_value FROM site_quotas")
        pools = read("SELECT site_id, SUM(capacity * factor) FROM pools GROUP BY site_id")
        own = read("SELECT organisation_id, 3 * COUNT(*) FROM subscriptions s JOIN supply_lines l ON l.subscription_id = s.id "
                   "AND l.depth = 0 AND l.tier = 'heath' WHERE s.name LIKE '%-%' GROUP BY organisation_id")  # fmt: skip
        connection.rollback()
    limits = {row[0]: row[4] for row in total if row[3]}
    given: dict[Any, Decimal] = defaultdict(Decimal)
    for holder, promised in own:
        given[holder] += promised
    for _, giver, coming, is_set, limit in total:
        for each in {giver, coming} - {None} if is_set else ():
            given[each] += Decimal("Infinity") if limit is None else limit
    found = [f"{names[each]}: {used} of {limits.get(each, 0)}" for each, used in given.items()
             if each in names and limits.get(each, 0) is not None and used > limits.get(each, 0)]  # fmt: skip
    there = {(row[0], row[3]): row[4] for row in placed}
    root = next(each for each, slug in names.items() if slug == "tarnwick")
    there |= {(root, site): capacity for site, capacity in pools}
    at: dict[Any, Decimal] = defaultdict(Decimal)
    for holder, giver, coming, spot, limit in placed:
        for each in {giver, coming} - {None}:
            at[each, spot] += limit
        if limit > limits.get(holder, 0):
            found.append(f"{names[holder]}: {limit} at a site, {limits.get(holder, 0)} in all")
    return found + [f"{names[who]}: {used} of {there.get((who, spot), 0)} at a site" for (who, spot), used in at.items()
                    if used > there.get((who, spot), 0)]  # fmt: skip


def test_rivals_over_four_levels_and_three_scopes(
    four_levels: tuple[World, list[UUID]], engine: Engine, database: PrivateDatabase
) -> None:
    world, sites = four_levels
    outcomes: Counter[str] = Counter()
    problems: list[str] = []
    done = Event()

    def rival(number: int, url: str) -> None:
        with Client(url) as client:
            cookies, token = world.signed_in()["mara"]
            client.connection.http.cookies.update(cookies)
            client.connection.http.headers["X-CSRF-Token"] = token
            for act in acts(client, sites, Random(number), number):
                try:
                    act()
                    outcomes["done"] += 1
                except Conflict:
                    outcomes["refused"] += 1
                except GradumenError as problem:
                    problems.append(f"{type(problem).__name__}: {problem}")

    def poll() -> None:
        while not done.is_set():
            problems.extend(breaches(engine))
            outcomes["snapshots"] += 1

    with serving(database_url=database.url, schema_url=database.owner_url) as (other, _):
        poller = Thread(target=poll)
        poller.start()
        rivals = [Thread(target=rival, args=(n, (world.url, other)[n % 2])) for n in range(THREADS)]
        for each in rivals:
            each.start()
        for each in rivals:
            each.join(240)
        done.set()
        poller.join(60)
    assert problems == []
    assert outcomes["done"] + outcomes["refused"] == THREADS * EACH, outcomes
    assert min(outcomes["done"], outcomes["refused"]) >= THREADS * EACH // 4, outcomes
    assert outcomes["snapshots"] > 10
