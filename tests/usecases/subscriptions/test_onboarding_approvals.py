"""Drafts that several write, bounds that nothing passes in parts, and approvals of exactly what was read."""

from datetime import date
from decimal import Decimal
from threading import Barrier, Thread
from uuid import UUID

import pytest

from gradumen.client import Client
from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, GradumenError, Invalid, NotFound
from gradumen.core.messages import Kind
from gradumen.core.permissions import Role
from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.wire.subscriptions.onboardings import (
    OnboardedBody,
    OnboardingBody,
    OnboardingCreate,
    OnboardingPerson,
    OnboardingSketch,
    OnboardingSubscription,
)
from tests.world import World, files, join, moment, rate_card

MOOR = OnboardingSubscription(plan="open-range", tier="moor", starts_on=date(2026, 10, 9))
GULL = OnboardingSketch(slug="gull", name="Gull Chandlery", subscriptions=[MOOR])


def whole(**changes: object) -> OnboardingCreate:
    return OnboardingCreate.model_validate({**GULL.model_dump(), **changes})


@pytest.fixture
def nils(world: World) -> Client:
    """A second administrator of the reseller's."""
    join(world, "edda", "oxbow", "nils@oxbow.example", Role.ADMINISTRATOR)
    return world.user("nils@oxbow.example")


def id_of(told: OnboardedBody) -> UUID:
    assert told.onboarding is not None
    return told.onboarding


def submitted(client: Client, wanted: OnboardingSketch = GULL) -> OnboardingBody:
    draft = client.onboardings.draft("oxbow", wanted)
    return client.onboardings.submit(draft.id, draft.version)


def test_a_draft_is_gone_on_with_by_another_and_comes_on_board_at_once(world: World) -> None:
    piers, edda = world.user("piers"), world.user("edda")
    draft = piers.onboardings.draft("oxbow", OnboardingSketch(name="Gull"))
    with pytest.raises(Invalid, match="needs a short name"):
        edda.onboardings.submit(draft.id, draft.version)
    saved = edda.onboardings.save(draft.id, draft.version, GULL)
    assert (saved.version, saved.made_by, saved.changed_by, saved.wanted) == (2, "Piers", "Edda", GULL)
    assert edda.onboardings.save(draft.id, draft.version, GULL).version == 2
    with pytest.raises(EditedMeanwhile, match="Edda changed this draft meanwhile"):
        piers.onboardings.save(draft.id, draft.version, OnboardingSketch(name="Tern"))
    done = edda.onboardings.submit(draft.id, 2)
    assert (done.state, done.customer, done.version) == (OnboardingState.DONE, "gull", 3)
    assert edda.onboardings.submit(draft.id, 2) == done
    assert [each.tier for each in edda.subscriptions.list("gull")] == ["moor"]
    for act in (
        lambda: edda.onboardings.save(draft.id, 3, GULL),
        lambda: edda.onboardings.submit(draft.id, 3),
        lambda: edda.onboardings.discard(draft.id),
        lambda: edda.onboardings.withdraw(draft.id),
        lambda: edda.onboardings.check(draft.id),
    ):
        with pytest.raises(Conflict, match="is done"):
            act()


def test_who_may_not_do_it_alone_asks_and_an_administrator_approves_what_it_read(world: World) -> None:
    piers, edda = world.user("piers"), world.user("edda")
    asked = submitted(piers)
    assert (asked.state, asked.waits_because, asked.customer) == (
        OnboardingState.WAITING, "Piers may not do it alone", None,
    )  # fmt: skip
    assert [(each.currency, each.amount) for each in asked.monthly] == [("GBP", Decimal("75.05"))]
    assert asked.sentences[-1].startswith("It has Open Range, tier Moor, from 9 October 2026: 75.05 GBP a month")
    with pytest.raises(NotFound):
        edda.organisations.get("gull")
    [waits] = [each for each in edda.to_dos.list("oxbow") if each.kind == "onboarding"]
    assert waits.subject == str(asked.id) and waits.title.startswith("Piers asks to bring Gull Chandlery on board")
    assert [each.email for each in edda.messages.list("oxbow") if each.kind is Kind.ONBOARDING_WAITS] == [
        "edda@oxbow.example"
    ]
    for act in (lambda: piers.onboardings.approve(asked.id, "x"), lambda: piers.onboardings.refuse(asked.id, "x")):
        with pytest.raises(Forbidden):
            act()
    for seal, refusal in ((None, Invalid), ("x", EditedMeanwhile)):
        with pytest.raises(refusal):
            edda.onboardings.approve(asked.id, seal)  # type: ignore[arg-type]  # as a careless caller would
    told = edda.onboardings.check(asked.id)
    assert told.sentences == asked.sentences and told.waits_because == asked.waits_because
    done = edda.onboardings.approve(asked.id, told.seal)
    assert (done.state, done.customer, done.answered_by) == (OnboardingState.DONE, "gull", "Edda")
    assert edda.onboardings.approve(asked.id, told.seal) == done
    assert edda.subscriptions.list("gull")
    [answered] = [each for each in edda.messages.list("oxbow") if each.kind is Kind.ONBOARDING_ANSWERED]
    assert answered.email == "piers@oxbow.example"
    assert not [each for each in edda.to_dos.list("oxbow") if each.kind == "onboarding"]


def test_what_became_dearer_since_it_was_read_is_not_approved(world: World) -> None:
    piers, edda = world.user("piers"), world.user("edda")
    asked = submitted(piers)
    told = edda.onboardings.check(asked.id)
    edda.catalogue.publish("oxbow", files(rate_card("oxbow-gbp", "GBP", "any", "1", "2026-10-08")))
    with pytest.raises(EditedMeanwhile, match="look again and decide"):
        edda.onboardings.approve(asked.id, told.seal)
    assert edda.onboardings.get(asked.id).state is OnboardingState.WAITING
    again = edda.onboardings.check(asked.id)
    assert [each.amount for each in again.monthly] == [Decimal(79)]
    assert edda.onboardings.approve(asked.id, again.seal).monthly[0].amount == 79


def test_refused_asked_back_and_taken_back(world: World) -> None:
    piers, edda = world.user("piers"), world.user("edda")
    asked = submitted(piers)
    with pytest.raises(Invalid, match="say why"):
        edda.onboardings.ask_back(asked.id, "")
    back = edda.onboardings.ask_back(asked.id, "Which cost centre?")
    assert (back.state, back.answer) == (OnboardingState.DRAFT, "Which cost centre?")
    saved = piers.onboardings.save(back.id, back.version, GULL.model_copy(update={"cost_centre": "Pier 4"}))
    again = piers.onboardings.submit(saved.id, saved.version)
    assert (again.state, again.answer) == (OnboardingState.WAITING, None)
    with pytest.raises(Conflict, match="is waiting, no draft any more; take it back first"):
        piers.onboardings.save(again.id, again.version, GULL)
    drawn = piers.onboardings.withdraw(again.id)
    assert drawn.state is OnboardingState.DRAFT and piers.onboardings.withdraw(again.id) == drawn
    asked = piers.onboardings.submit(drawn.id, drawn.version)
    refused = edda.onboardings.refuse(asked.id, "Not this year")
    assert refused.state is OnboardingState.REFUSED and edda.onboardings.refuse(asked.id, "Not this year") == refused
    with pytest.raises(Conflict, match="it does not wait"):
        edda.onboardings.approve(asked.id, "x")
    piers.onboardings.discard(asked.id)
    piers.onboardings.discard(asked.id)
    assert not edda.onboardings.list("oxbow") and len(edda.onboardings.list("oxbow", state="withdrawn")) == 1
    actions = [each.action for each in edda.audit_entries.list("oxbow") if each.action.startswith("onboarding")]
    assert sorted(actions) == [
        "onboarding asked back", *["onboarding asked for"] * 3, "onboarding refused", "onboarding withdrawn",
    ]  # fmt: skip


def test_a_bound_is_not_passed_in_parts_and_nobody_approves_their_own(world: World, nils: Client) -> None:
    edda = world.user("edda")
    edda.onboardings.set_policy("oxbow", "GBP", Decimal(160))
    items = edda.onboardings.make("oxbow", [whole(), whole(slug="tern"), whole(slug="skua")]).items
    assert [each.state for each in items] == [OnboardingState.DONE, OnboardingState.DONE, OnboardingState.WAITING]
    assert items[2].waits_because is not None and "more than 160.00 GBP a month" in items[2].waits_because
    assert {each.slug for each in edda.organisations.list(parent="oxbow")} >= {"gull", "tern"}
    waiting = items[2].onboarding
    assert waiting is not None
    told = nils.onboardings.check(waiting)
    with pytest.raises(Conflict, match="somebody else approves it"):
        edda.onboardings.approve(waiting, told.seal)
    nils.onboardings.approve(waiting, told.seal)
    # What somebody approved is not held against what comes later.
    assert edda.onboardings.make("oxbow", [whole(slug="rook", subscriptions=[])]).items[0].waits_because is None
    world.mara.clock.set(moment("2026-11-01"), held=True)
    later = whole(slug="loon", subscriptions=[MOOR.model_copy(update={"starts_on": None})])
    assert edda.onboardings.make("oxbow", [later]).items[0].state is OnboardingState.DONE
    edda.onboardings.set_policy("oxbow", "GBP", None)
    assert edda.onboardings.policies("oxbow") == []


def test_limits_of_a_measure_are_bounded_too(world: World, nils: Client) -> None:
    edda = world.user("edda")
    world.mara.quotas.grant("tarnwick", "processors", Decimal(500))
    world.mara.quotas.grant("oxbow", "processors", Decimal(100))
    edda.onboardings.set_policy("oxbow", "processors", Decimal(16))
    [small] = edda.onboardings.make("oxbow", [whole(limits={"processors": "16"})]).items
    [large] = edda.onboardings.make("oxbow", [whole(slug="tern", limits={"processors": "1"})]).items
    assert small.waits_because is None and large.waits_because is not None
    told = nils.onboardings.check(id_of(large))
    assert [(each.measure, each.left, each.limit) for each in told.leaves] == [
        ("processors", Decimal(83), Decimal(100))
    ]
    for subject, amount, field in (("beds", Decimal(1), "subject"), ("GBP", Decimal(-1), "amount")):
        with pytest.raises(Invalid) as refused:
            edda.onboardings.set_policy("oxbow", subject, amount)
        assert refused.value.facts["field"] == field
    with pytest.raises(Forbidden):
        world.user("piers").onboardings.set_policy("oxbow", "GBP", Decimal(10**6))


def test_two_at_once_do_not_pass_a_bound_together(world: World, nils: Client) -> None:
    edda = world.user("edda")
    edda.onboardings.set_policy("oxbow", "GBP", Decimal(100))
    gate, states = Barrier(2), []

    def come(client: Client, slug: str) -> None:
        client.organisations.get("oxbow")
        gate.wait()
        states.append(client.onboardings.make("oxbow", [whole(slug=slug)]).items[0].state)

    threads = [Thread(target=come, args=each) for each in ((edda, "gull"), (nils, "tern"))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(states) == [OnboardingState.DONE, OnboardingState.WAITING]


def test_who_lost_the_right_approves_nothing_and_what_is_refused_goes_on_waiting(world: World, nils: Client) -> None:
    asked = submitted(world.user("piers"))
    told = nils.onboardings.check(asked.id)
    me = next(each for each in world.user("edda").members.list("oxbow") if each.email == "nils@oxbow.example")
    world.user("edda").members.change("oxbow", me.user_id, role=Role.FINANCE)
    with pytest.raises(Forbidden):
        nils.onboardings.approve(asked.id, told.seal)
    edda = world.user("edda")
    edda.onboardings.make("oxbow", [whole(subscriptions=[])])
    with pytest.raises(Conflict, match="'gull' is taken"):
        edda.onboardings.approve(asked.id, told.seal)
    assert edda.onboardings.get(asked.id).state is OnboardingState.WAITING


def test_only_members_of_the_seller_see_them(world: World) -> None:
    asked = submitted(world.user("piers"))
    for user in ("mara", "ines", "una", "wynn"):
        with pytest.raises(NotFound):
            world.user(user).onboardings.get(asked.id)
    for user, refusal in (("mara", Forbidden), ("una", NotFound)):
        with pytest.raises(refusal):
            world.user(user).onboardings.list("oxbow")
        with pytest.raises(refusal):
            world.user(user).onboardings.draft("oxbow", GULL)


def test_who_acts_from_above_is_bounded_too_and_not_named_below(world: World) -> None:
    """The supplier makes structure for a reseller's customers; what the reseller bounds waits for its own people."""
    edda = world.user("edda")
    for organisation, limit in (("tarnwick", 500), ("oxbow", 100)):
        world.mara.quotas.grant(organisation, "processors", Decimal(limit))
    edda.onboardings.set_policy("oxbow", "processors", Decimal(16))
    for slug, limit in (("gull", 16), ("tern", 17)):
        world.mara.onboardings.make("oxbow", [whole(slug=slug, subscriptions=[], limits={"processors": str(limit)})])
    assert {each.wanted.slug: each.state for each in edda.onboardings.list("oxbow")} == {
        "gull": OnboardingState.DONE,
        "tern": OnboardingState.WAITING,
    }
    seen = str([each.model_dump() for each in edda.onboardings.list("oxbow")])
    assert "Mara" not in seen and "somebody from outside" in seen
    assert "mara@" not in str([each.model_dump() for each in edda.audit_entries.list("oxbow")])
    [waiting] = edda.onboardings.list("oxbow", state="waiting")
    assert edda.onboardings.approve(waiting.id, edda.onboardings.check(waiting.id).seal).customer == "tern"


def test_a_program_makes_no_members(world: World) -> None:
    edda = world.user("edda")
    secret = edda.tokens.create("oxbow", name="crm", role=Role.ADMINISTRATOR).secret
    with Client(world.url, token=secret) as program:
        draft = program.onboardings.draft(
            "oxbow", GULL.model_copy(update={"people": [OnboardingPerson(email="gwen@gull.example")]})
        )
        with pytest.raises(GradumenError) as refused:
            program.onboardings.submit(draft.id, draft.version)
        assert refused.value.code == "needs_password"
    assert edda.onboardings.get(draft.id).state is OnboardingState.DRAFT
