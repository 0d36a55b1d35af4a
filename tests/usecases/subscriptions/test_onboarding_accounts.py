"""Accounts in clouds: held to limits, used by people, linked, or in the way."""

from collections.abc import Callable
from decimal import Decimal

import pytest

from gradumen.core.errors import Conflict
from gradumen.core.organisations.clouds import AccountState
from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.demo.clouds import SimulatedCloud
from gradumen.wire.subscriptions.onboardings import (
    OnboardingAccount,
)
from tests.usecases.subscriptions.stepping import asked, id_of, seen
from tests.world import World


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
        OnboardingAccount(cloud="north-fell", link=str(other["id"]), people=True),
        OnboardingAccount(cloud="north-fell", link="acc-9"),
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
