"""Accounts in clouds: held to limits, used by people, linked, or in the way."""

from collections.abc import Callable
from datetime import UTC, date, datetime
from decimal import Decimal

import pytest

from gradumen.core.errors import Conflict
from gradumen.core.organisations.clouds import AccountState
from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.demo.clouds import SimulatedCloud
from gradumen.jobs.leases import now
from gradumen.jobs.worker import Worker
from gradumen.usecases.metering.stale_usage import refresh_usage
from gradumen.usecases.subscriptions.moves_due import complete_moves
from gradumen.wire.subscriptions.onboardings import (
    OnboardingAccount,
    OnboardingProject,
)
from tests.conftest import Service
from tests.usecases.subscriptions.stepping import asked, id_of, seen
from tests.world import World, add_bluefern, moment, reading


def test_an_account_is_held_to_limits_now_and_later_and_its_people_are_its_users(
    world: World, fell: SimulatedCloud, hands: Callable[[], int]
) -> None:
    mara, edda = world.mara, world.user("edda")
    for holder in ("tarnwick", "oxbow"):
        mara.quotas.grant(holder, "storage", Decimal(900))
    wanted = [OnboardingAccount(cloud="north-fell", people=True)]
    told = asked(world, "gull", limits={"storage": "500"}, cloud_accounts=wanted)
    assert "It gets an account gull in North Fell, of which its people become users." in told.sentences
    hands()
    [(id, limits)] = fell.limits.items()
    assert limits["storage"] == "500" and fell.people == {id: {"gwen@gull.example"}}
    edda.quotas.grant("gull", "storage", Decimal("600.5"))
    edda.quotas.grant("gull", "storage", Decimal("600.5"))
    edda.quotas.grant("gull", "users", Decimal(3))
    fell.mishaps.append("half")
    hands()
    assert fell.limits[id]["storage"] == "600.5"
    [task] = [each for each in edda.tasks.list("oxbow") if each.kind == "limits in clouds"]
    assert (task.subject, task.state, task.made) == ("gull", "done", 1)

    # What a cloud refuses needs a hand, until a later change takes its place.
    away = fell.accounts.pop(id)
    edda.quotas.grant("gull", "storage", Decimal(700))
    hands()
    fell.accounts[id] = away
    edda.quotas.grant("gull", "storage", Decimal(800))
    hands()
    states = [each.state for each in edda.tasks.list("oxbow") if each.kind == "limits in clouds"]
    assert sorted(states) == ["done", "done", "undone"] and fell.limits[id]["storage"] == "800"


def test_who_is_closed_has_empty_accounts_that_stay_empty(
    world: World, fell: SimulatedCloud, hands: Callable[[], int], service: Service
) -> None:
    edda = world.user("edda")
    world.mara.clock.set(moment("2026-09-10 12:00"), held=True)
    shop = OnboardingProject(slug="shop", name="Shop")
    asked(world, "gull", limits={"storage": "500"}, subscriptions=[], projects=[shop])
    hands()
    [(id, limits)] = fell.limits.items()
    assert (limits["storage"], limits["machines"]) == ("500", None), "where nobody has a limit, as everybody there"
    world.mara.readings.send("tarnwick/north-fell", [reading("last", owner="gull/shop")])
    refresh_usage(service.uow, at=now())
    while Worker.rate_next(service.worker):
        pass
    edda.states.change("gull", "closing", reason="Moves out")
    with pytest.raises(
        Conflict, match="its accounts in clouds are not empty: something in them was measured on 2026-09"
    ):
        edda.states.change("gull", "closed")
    world.mara.clock.set(moment("2026-09-12 12:00"), held=True)
    edda.states.change("gull", "closed")
    hands()
    assert set(fell.limits[id].values()) == {"0"} and len(fell.limits[id]) == 4
    assert [each.state for each in edda.tasks.list("oxbow") if each.kind == "limits in clouds"] == ["done"]


def test_who_moves_is_held_to_what_the_new_seller_gives(
    world: World, fell: SimulatedCloud, hands: Callable[[], int], service: Service
) -> None:
    add_bluefern(world)
    world.mara.clock.set(moment("2026-09-10 12:00"), held=True)
    asked(world, "gull", subscriptions=[])
    hands()
    assert next(iter(fell.limits.values()))["machines"] is None, "nobody has a limit"
    for holder, most in (("tarnwick", 10), ("oxbow", None), ("bluefern", 6)):
        if most:
            world.mara.quotas.grant(holder, "machines", Decimal(most))
    world.mara.moves.plan("gull", "bluefern", date(2026, 9, 15), "wants to")
    world.mara.clock.set(moment("2026-09-15 12:00"), held=True)
    complete_moves(service.uow, at=datetime.now(UTC))
    hands()
    assert next(iter(fell.limits.values()))["machines"] == "0"


def test_a_taken_name_without_our_tag_needs_a_hand_and_is_then_linked_or_renamed(
    world: World, fell: SimulatedCloud, hands: Callable[[], int]
) -> None:
    fell.make("gull", None)
    told = asked(world, "gull")
    hands()
    stuck = seen(world, told)
    assert stuck.task is not None and stuck.task.state == "needs a hand"
    assert stuck.task.problem is not None and "North Fell: there is an account 'gull' already" in stuck.task.problem
    [todo] = [each for each in world.user("edda").to_dos.list("oxbow") if each.kind == "onboarding"]
    assert "needs a hand" in todo.title and todo.subject == str(stuck.id)
    fell.accounts.clear()
    world.user("edda").tasks.retry(stuck.task.id)
    hands()
    assert seen(world, told).state is OnboardingState.DONE


def test_an_account_that_is_there_is_linked_once_and_never_taken_away(
    world: World, fell: SimulatedCloud, hands: Callable[[], int]
) -> None:
    _, there = fell.make("old-gull", None)
    link = [OnboardingAccount(cloud="north-fell", link=str(there["id"]))]
    told = asked(world, "gull", cloud_accounts=link)
    hands()
    assert [each.state for each in world.user("edda").clouds.accounts("gull")] == [AccountState.LINKED]
    with pytest.raises(Conflict, match="belongs to somebody already"):
        asked(world, "tern", cloud_accounts=link)
    _, other = fell.make("old-skua", None)
    shared = [
        OnboardingAccount(cloud="north-fell", name="a", link=str(other["id"]), people=True),
        OnboardingAccount(cloud="north-fell", name="b", link="acc-9"),
    ]
    half = asked(world, "shag", cloud_accounts=shared)
    hands()
    assert fell.people[str(other["id"])] == {"gwen@shag.example"} and not fell.limits, "it is limited by who made it"
    world.user("edda").onboardings.undo(id_of(half))
    hands()
    assert seen(world, half).state is OnboardingState.UNDONE and fell.people[str(other["id"])] == set()
    fell.remove(f"/accounts/{other['id']}")
    missing = asked(world, "skua", cloud_accounts=[OnboardingAccount(cloud="north-fell", link="acc-9")])
    hands()
    body = seen(world, missing)
    assert body.task is not None and body.task.problem == "North Fell: there is no account 'acc-9' in it"
    world.user("edda").onboardings.undo(body.id)
    hands()
    assert seen(world, missing).state is OnboardingState.UNDONE
    assert seen(world, told).state is OnboardingState.DONE and len(fell.accounts) == 1
