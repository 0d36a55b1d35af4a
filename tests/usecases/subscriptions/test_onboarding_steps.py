"""Step by step: killed, refused, late or half done at each call to a cloud, it ends done once, or with nothing left."""

import itertools
from collections.abc import Callable
from datetime import date
from decimal import Decimal

import pytest

from gradumen.adapters.account_service import AccountService
from gradumen.adapters.door import Door
from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.core.organisations.clouds import AccountState
from gradumen.core.permissions import Role
from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.demo.clouds import TOKEN, SimulatedCloud
from gradumen.jobs.worker import Worker
from gradumen.wire.subscriptions.onboardings import (
    OnboardingAccount,
    OnboardingCreate,
    OnboardingPerson,
    OnboardingSketch,
    OnboardingSubscription,
)
from tests.conftest import Service
from tests.usecases.subscriptions.stepping import Killed, asked, id_of, seen
from tests.world import World, files, join, moment, rate_card

MOOR = OnboardingSubscription(plan="open-range", tier="moor", starts_on=date(2026, 10, 9))


def test_accounts_stand_before_people_and_tiers(world: World, fell: SimulatedCloud, hands: Callable[[], int]) -> None:
    told = asked(world, "gull")
    assert told.state is OnboardingState.RUNNING
    assert "It gets an account gull in North Fell." in told.sentences
    edda = world.user("edda")
    assert edda.organisations.get("gull").parent == "oxbow"
    assert edda.subscriptions.list("gull") == [] and not edda.messages.list("oxbow", search="gwen@")
    assert hands() >= 1
    done = seen(world, told)
    assert done.state is OnboardingState.DONE and done.task is not None
    assert [(each.name, each.state) for each in done.task.steps] == [
        ("account in North Fell", "done"), ("limits in North Fell", "done"), ("people and tiers", "done"),
    ]  # fmt: skip
    assert [each.tier for each in edda.subscriptions.list("gull")] == ["moor"]
    assert len(edda.messages.list("oxbow", search="gwen@")) == 1
    [account] = edda.clouds.accounts("gull")
    [made] = fell.accounts.values()
    assert (account.state, account.external_id, account.name) == (AccountState.MADE, made["id"], "gull")
    assert account.kept == ["processors", "memory", "storage", "machines"]
    assert TOKEN not in done.model_dump_json()
    with pytest.raises(Conflict, match="it is closed, not taken back"):
        edda.onboardings.undo(done.id)


def test_its_people_are_welcomed_in_words_that_are_seen_before_and_work_with_a_second_factor(
    world: World, fell: SimulatedCloud, hands: Callable[[], int]
) -> None:
    edda = world.user("edda")
    wanted = OnboardingCreate(
        slug="gull",
        name="Gull Fisheries",
        people=[OnboardingPerson(email="gwen@gull.example")],
        subscriptions=[MOOR],
        second_factor=True,
        welcome="Good to have you. {link}\n\nEdda looks after you.",
    )
    [seen_before] = edda.onboardings.make("oxbow", [wanted], check=True).items
    assert seen_before.welcome is not None and seen_before.welcome.subject == "Welcome, Gull Fisheries"
    told = (
        "Good to have you. {link}\n\nEdda looks after you.\n\nThis is there for Gull Fisheries:\nOpen Range, tier Moor"
    )
    assert seen_before.welcome.text.startswith(told) and "EUR" not in seen_before.welcome.text
    assert "Its members work with a second factor." in seen_before.sentences
    assert not edda.messages.list("oxbow", search="gwen@")
    [done] = edda.onboardings.make("oxbow", [wanted]).items
    assert done.sentences == seen_before.sentences and done.welcome is None
    kinds = sorted(each.kind for each in edda.messages.list("oxbow", search="gwen@"))
    assert kinds == ["invitation", "welcome"]
    join(world, "edda", "gull", "gwen@gull.example", Role.ADMINISTRATOR)
    with pytest.raises(NotFound):  # without one she has no rights there
        world.user("gwen@gull.example").organisations.get("gull")
    for odd in ("x" * 1501, "a\x07b"):
        with pytest.raises(Invalid, match="welcome has at most"):
            edda.onboardings.make("oxbow", [wanted.model_copy(update={"welcome": odd, "slug": "tern"})], check=True)


def test_a_buyer_sees_how_far_its_own_is_and_nothing_that_a_cloud_said(
    world: World, fell: SimulatedCloud, hands: Callable[[], int]
) -> None:
    told = asked(world, "gull", people=[OnboardingPerson(email="gwen@gull.example", role=Role.ADMINISTRATOR)])
    hands()
    fell.accounts.clear()
    edda = world.user("edda")
    edda.quotas.grant("gull", "storage", Decimal(5))
    hands()
    join(world, "edda", "gull", "gwen@gull.example", Role.ADMINISTRATOR)
    gwen = world.user("gwen@gull.example")
    seen_by = {each.kind: each for each in gwen.tasks.list("gull")}
    stuck = next(each for each in edda.tasks.list("oxbow") if each.kind == "limits in clouds")
    assert stuck.state == "needs a hand" and stuck.problem == "North Fell: it has no such account"
    assert seen_by["limits in clouds"].problem == "your seller looks after it"
    assert seen_by["onboarding"].state == "done"
    mine = gwen.tasks.get(stuck.id)
    assert [(each.name, each.result, each.log, each.inputs) for each in mine.steps] == [
        ("limits in North Fell", None, "", {})
    ]
    assert mine.asked_by is None and seen(world, told).state is OnboardingState.DONE
    assert not [each for each in gwen.to_dos.list("gull") if each.kind == "task"], "it is not hers to mend"
    with pytest.raises(Forbidden):
        gwen.tasks.retry(stuck.id)
    with pytest.raises(NotFound):
        world.user("ines").tasks.get(stuck.id)


CALLS = ("find", "named", "make", "limit", "admit")


@pytest.mark.parametrize("call", CALLS)
def test_a_worker_killed_before_or_after_each_call_leaves_it_to_another(
    world: World,
    service: Service,
    fell: SimulatedCloud,
    hands: Callable[[], int],
    monkeypatch: pytest.MonkeyPatch,
    call: str,
) -> None:
    for after, undone in itertools.product((False, True), (False, True)):
        slug = f"{call}-{int(after)}{int(undone)}"
        told = asked(world, slug, cloud_accounts=[OnboardingAccount(cloud="north-fell", people=True)])
        with monkeypatch.context() as patched:
            kill_at(patched, call, after=after)
            if undone:
                with pytest.raises(Killed):
                    Worker(service.uow, service.worker.owner, door=Door([fell.url])).do_next()
                assert world.user("edda").onboardings.undo(id_of(told)).state is OnboardingState.UNDOING
            hands()
        body = seen(world, told)
        left = fell.find("name", slug)
        assert (body.state, len(left)) == ((OnboardingState.UNDONE, 0) if undone else (OnboardingState.DONE, 1)), slug


def kill_at(patched: pytest.MonkeyPatch, call: str, *, after: bool) -> None:
    """The first worker that makes a call is killed then."""
    real, left = getattr(AccountService, call), [1]

    def killed(*args: object) -> object:
        first = left and left.pop()
        if first and not after:
            raise Killed
        found = real(*args)
        if first:
            raise Killed
        return found

    patched.setattr(AccountService, call, killed)


@pytest.mark.parametrize("mishap", ["refuse", "half", "late", "drop"])
def test_a_cloud_that_fails_or_answers_late_has_one_account_in_the_end_and_none_when_undone(
    world: World, service: Service, fell: SimulatedCloud, hands: Callable[[], int], mishap: str
) -> None:
    fell.mishaps.append(mishap)
    told = asked(world, f"made-{mishap}")
    assert hands() >= 2
    assert seen(world, told).state is OnboardingState.DONE
    for timer in fell.later:
        timer.join()
    assert [each["tag"] for each in fell.find("name", f"made-{mishap}")] != [] and len(fell.accounts) == 1

    fell.mishaps.append(mishap)
    told = asked(world, f"undone-{mishap}", people=[])
    hand = Worker(service.uow, service.worker.owner, door=Door([fell.url], seconds=1))
    hand.do_next()
    world.user("edda").onboardings.undo(id_of(told))
    # What is late comes after the first look, and is found by the second.
    hand.do_next()
    for timer in fell.later:
        timer.join()
    hands()
    assert seen(world, told).state is OnboardingState.UNDONE and len(fell.accounts) == 1


def test_what_is_undone_is_gone_and_its_name_is_free_again(
    world: World, fell: SimulatedCloud, hands: Callable[[], int]
) -> None:
    edda = world.user("edda")
    world.mara.quotas.grant("tarnwick", "storage", Decimal(5000))
    world.mara.quotas.grant("oxbow", "storage", Decimal(900))
    edda.catalogue.publish("oxbow", files("offer: open-range\nto: [saltmarsh]\n"))
    told = asked(world, "gull", limits={"storage": "900"}, offers=["open-range"])
    with pytest.raises(Forbidden):
        world.user("piers").onboardings.undo(id_of(told))
    edda.onboardings.undo(id_of(told))
    edda.onboardings.undo(id_of(told))
    hands()
    with pytest.raises(NotFound):
        edda.organisations.get("gull")
    assert all("undone" not in each.slug for each in edda.organisations.list())
    assert {each.measure: each.left for each in edda.quotas.list("oxbow")}["storage"] == 900
    assert [each.form.to for each in edda.catalogue.offers("oxbow")] == [["saltmarsh"]]
    again = asked(world, "gull", limits={"storage": "900"}, offers=["open-range"])
    hands()
    assert seen(world, again).state is OnboardingState.DONE
    actions = [each.action for each in edda.audit_entries.list("oxbow")]
    assert actions.count("onboarding taken back") == 1


def test_who_acts_from_above_is_not_named_by_its_task(
    world: World, fell: SimulatedCloud, hands: Callable[[], int]
) -> None:
    wanted = {"slug": "gull", "name": "Gull", "cloud_accounts": [OnboardingAccount(cloud="north-fell")]}
    [told] = world.mara.onboardings.make("oxbow", [OnboardingCreate.model_validate(wanted)]).items
    hands()
    body = seen(world, told)
    assert body.state is OnboardingState.DONE and body.task is not None and body.task.asked_by is None
    assert all(each.asked_by is None for each in world.user("edda").tasks.list("oxbow") if each.kind == "onboarding")


def test_steps_that_take_days_give_what_was_let_through_and_nothing_dearer(
    world: World, fell: SimulatedCloud, hands: Callable[[], int]
) -> None:
    """A tier begins on the day that was said, though its account stood later; another price needs a hand."""
    edda = world.user("edda")
    today = MOOR.model_copy(update={"starts_on": None})
    for slug in ("gull", "tern"):
        fell.make(slug, None)
        asked(world, slug, subscriptions=[today])
    hands()
    stuck = {each.wanted.slug: each for each in edda.onboardings.list("oxbow")}
    world.mara.clock.set(moment("2026-10-08"), held=True)
    fell.accounts.clear()
    edda.tasks.retry(stuck["gull"].task.id)  # type: ignore[union-attr]  # it has one: it is stuck
    hands()
    assert [each.starts_on for each in edda.subscriptions.list("gull")] == [date(2026, 10, 5)]
    edda.catalogue.publish("oxbow", files(rate_card("oxbow-gbp", "GBP", "any", "1.2", "2026-10-09")))
    edda.onboardings.undo(stuck["tern"].id)
    told = asked(world, "skua", subscriptions=[MOOR.model_copy(update={"starts_on": date(2026, 10, 12)})])
    assert [each.amount for each in told.monthly] == [Decimal("94.8")]
    edda.catalogue.publish("oxbow", files(rate_card("oxbow-gbp", "GBP", "any", "1.3", "2026-10-10")))
    hands()
    body = seen(world, told)
    assert body.task is not None and body.task.problem is not None
    assert "otherwise than what was let through" in body.task.problem and not edda.subscriptions.list("skua")


def test_what_waits_asks_no_cloud_until_it_is_approved(
    world: World, fell: SimulatedCloud, hands: Callable[[], int]
) -> None:
    piers, edda = world.user("piers"), world.user("edda")
    sketch = OnboardingSketch(
        slug="gull", name="Gull", cloud_accounts=[OnboardingAccount(cloud="north-fell")], subscriptions=[MOOR]
    )
    draft = piers.onboardings.draft("oxbow", sketch)
    waiting = piers.onboardings.submit(draft.id, draft.version)
    assert waiting.state is OnboardingState.WAITING and hands() == 0 and not fell.accounts
    told = edda.onboardings.check(waiting.id)
    assert edda.onboardings.approve(waiting.id, told.seal).state is OnboardingState.RUNNING
    # Who approved it is no administrator any more: its last step needs a hand.
    join(world, "edda", "oxbow", "nils@oxbow.example", Role.ADMINISTRATOR)
    nils = world.user("nils@oxbow.example")
    me = next(each for each in nils.members.list("oxbow") if each.email == "edda@oxbow.example")
    nils.members.change("oxbow", me.user_id, role=Role.VIEWER)
    hands()
    stuck = nils.onboardings.get(waiting.id)
    assert stuck.task is not None and stuck.task.state == "needs a hand" and len(fell.accounts) == 1
    nils.members.change("oxbow", me.user_id, role=Role.ADMINISTRATOR)
    nils.tasks.retry(stuck.task.id)
    hands()
    assert nils.onboardings.get(waiting.id).state is OnboardingState.DONE
