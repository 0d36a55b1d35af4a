"""Customers come on board with all that they begin with, or not at all; what is checked leaves nothing behind."""

from datetime import date
from decimal import Decimal
from threading import Barrier, Thread

import pytest

from gradumen.core.errors import Conflict, Forbidden, GradumenError, Invalid, NotFound, QuotaExceeded
from gradumen.core.messages import Kind
from gradumen.core.permissions import Role
from gradumen.core.quotas.measures import Measure
from gradumen.wire.access.programs import ProgramPlan
from gradumen.wire.organisations.clouds import CloudCreate
from gradumen.wire.organisations.details import BillingContactBody, DetailsGiven
from gradumen.wire.organisations.sites import SiteCreate
from gradumen.wire.subscriptions.onboardings import (
    OnboardedBody,
    OnboardingCreate,
    OnboardingPerson,
    OnboardingProject,
    OnboardingSubscription,
)
from tests.world import World, files

PROMISING = """
plan: stone-barn
name: Stone Barn
services: [compute]
tiers:
  - {tier: moor, name: Moor, quotas: {processors: 16, memory: 64}}
"""
OFFER = "offer: stone-barn\nto: all\n"
RENAMED = "offer: stone-barn\nname: Oxbow Vault\nto: all\n"
GULL = OnboardingCreate(
    slug="gull",
    name="Gull Chandlery",
    details=DetailsGiven(town="Harbour", billing_contacts=[BillingContactBody(name="Till", email="till@gull.example")]),
    projects=[OnboardingProject(slug="shop", name="Shop")],
    people=[OnboardingPerson(email="gwen@gull.example")],
    subscriptions=[OnboardingSubscription(plan="open-range", tier="moor", starts_on=date(2026, 10, 9))],
)


def test_all_that_a_customer_begins_with_is_there_after_one_call(world: World) -> None:
    edda = world.user("edda")
    [made] = edda.onboardings.make("oxbow", [GULL]).items
    assert made.sentences == [
        "Gull Chandlery is a tenant of Oxbow Managed IT, billed in GBP.",
        "Its details are on file.",
        "It has a project Shop.",
        "gwen@gull.example is invited as administrator, by mail.",
        "It has Open Range, tier Moor, from 9 October 2026: 75.05 GBP a month and what it uses.",
    ]
    assert [(each.currency, each.amount) for each in made.monthly] == [("GBP", Decimal("75.05"))]
    body = edda.organisations.get("gull")
    assert (body.parent, body.country, body.currency, body.billing_zone) == ("oxbow", "GB", "GBP", "Europe/London")
    assert edda.details.get("gull").billing_contacts[0].email == "till@gull.example"
    assert [each.slug for each in edda.projects.list("gull")] == ["shop"]
    [subscription] = edda.subscriptions.list("gull")
    assert (subscription.name, subscription.starts_on) == ("Open Range", date(2026, 10, 9))
    [told] = edda.messages.list("oxbow", search="gwen@")
    assert told.kind is Kind.INVITATION
    actions = {each.action for each in edda.audit_entries.list("oxbow")}
    assert {"organisation made", "details changed", "project made", "member invited", "subscription made"} <= actions


def test_each_person_has_its_services_and_its_programs(world: World) -> None:
    edda = world.user("edda")
    people = [
        OnboardingPerson(email="gwen@gull.example", programs=[ProgramPlan(name="Till sync", role=Role.FINANCE)]),
        OnboardingPerson(email="hal@gull.example", role=Role.FINANCE, services=["compute"], cloud_user=False),
        OnboardingPerson(email="ivo@gull.example", role=Role.FINANCE, services=[]),
    ]
    gull = GULL.model_copy(update={"people": people})
    [made] = edda.onboardings.make("oxbow", [gull]).items
    assert made.sentences[3:7] == [
        "gwen@gull.example is invited as administrator, by mail.",
        "A token waits there for the program Till sync, as finance, for 90 days once it is collected.",
        "hal@gull.example is invited as finance, ordering Compute only, by mail.",
        "ivo@gull.example is invited as finance, ordering nothing, by mail.",
    ]
    unknown = gull.model_copy(update={"slug": "tern", "people": [people[1].model_copy(update={"services": ["fog"]})]})
    with pytest.raises(Invalid, match="'fog' is no service that"):
        edda.onboardings.make("oxbow", [unknown])
    too_much = people[1].model_copy(update={"programs": [ProgramPlan(name="Boss", role=Role.ADMINISTRATOR)]})
    with pytest.raises(Invalid, match="may no more than hal@gull"):
        edda.onboardings.make("oxbow", [gull.model_copy(update={"slug": "tern", "people": [too_much]})])


def seen(told: OnboardedBody) -> tuple[object, ...]:
    """What does not depend on whether it was done."""
    return told.organisation, told.state, told.sentences, told.monthly, told.seal


def test_what_is_only_checked_says_the_same_and_leaves_nothing(world: World) -> None:
    edda = world.user("edda")
    before = len(edda.audit_entries.list("oxbow")), len(edda.messages.list("oxbow"))
    checked = edda.onboardings.make("oxbow", [GULL, GULL.model_copy(update={"slug": "tern", "people": []})], check=True)
    assert checked.checked_only and [each.organisation for each in checked.items] == ["gull", "tern"]
    with pytest.raises(NotFound):
        edda.organisations.get("gull")
    assert (len(edda.audit_entries.list("oxbow")), len(edda.messages.list("oxbow"))) == before
    made = edda.onboardings.make("oxbow", [GULL])
    assert seen(made.items[0]) == seen(checked.items[0])


def test_limits_follow_from_what_tiers_promise_wherever_the_seller_has_one(world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(PROMISING, OFFER))
    edda = world.user("edda")
    edda.catalogue.publish("oxbow", files(RENAMED))
    world.mara.quotas.grant("oxbow", Measure.PROCESSORS, Decimal(40))
    for customer in ("saltmarsh", "thistledown"):
        edda.quotas.grant(customer, Measure.PROCESSORS, Decimal(0))
    wanted = GULL.model_copy(
        update={"subscriptions": [OnboardingSubscription(plan="stone-barn", tier="moor", quantity=2)]}
    )
    [made] = edda.onboardings.make("oxbow", [wanted], check=True).items
    assert "It may have up to 32 vCPU." in made.sentences and not any("GiB" in each for each in made.sentences)
    assert any(each.startswith("It has Oxbow Vault, tier Moor, 2 pieces") for each in made.sentences)
    more = wanted.model_copy(update={"limits": {"processors": Decimal(36)}})
    [given] = edda.onboardings.make("oxbow", [more]).items
    assert "It may have up to 36 vCPU." in given.sentences
    with pytest.raises(QuotaExceeded, match="at most 4 vCPU"):
        edda.onboardings.make("oxbow", [wanted.model_copy(update={"slug": "tern", "people": []})])
    less = wanted.model_copy(update={"slug": "tern", "people": [], "limits": {"processors": Decimal(4)}})
    with pytest.raises(QuotaExceeded, match="this needs 32 vCPU"):
        edda.onboardings.make("oxbow", [less])
    with pytest.raises(NotFound):
        edda.organisations.get("tern")


def test_of_many_each_that_cannot_is_named_and_none_comes(world: World) -> None:
    customers = [
        GULL,
        GULL.model_copy(update={"slug": "saltmarsh", "people": []}),
        GULL.model_copy(update={"slug": "tern", "people": [], "limits": {"beds": Decimal(1)}}),
        GULL.model_copy(
            update={
                "slug": "skua",
                "people": [],
                "subscriptions": [OnboardingSubscription(plan="nothing", tier="moor")],
            }
        ),
    ]
    with pytest.raises(Conflict, match="3 of 4 customers cannot come on board, so none did") as refused:
        world.user("edda").onboardings.make("oxbow", customers)
    assert [(each["place"], each["code"]) for each in refused.value.facts["problems"]] == [
        (1, "conflict"), (2, "invalid"), (3, "not_found"),
    ]  # fmt: skip
    assert {each.slug for each in world.user("edda").organisations.list()} == {"oxbow", "saltmarsh", "thistledown"}


def test_one_alone_is_refused_as_its_step_is(world: World) -> None:
    edda = world.user("edda")
    for update, refusal, said in (
        ({"slug": "Not A Slug"}, Invalid, "slug"),
        ({"country": "Wales"}, Invalid, "country"),
        ({"people": [OnboardingPerson(email="edda@oxbow.example")]}, Conflict, "is a member of an organisation above"),
        ({"subscriptions": [OnboardingSubscription(plan="open-range", tier="summit")]}, GradumenError, "summit"),
        (
            {"subscriptions": [OnboardingSubscription(plan="open-range", tier="moor", starts_on=date(2026, 10, 1))]},
            Invalid,
            "is over",
        ),
    ):
        with pytest.raises(refusal, match=said):
            edda.onboardings.make("oxbow", [GULL.model_copy(update=update)])
    with pytest.raises(NotFound):
        edda.organisations.get("gull")


def test_only_who_may_do_each_step_does_it(world: World) -> None:
    for user, refusal in (("ines", NotFound), ("una", NotFound), ("mara", Forbidden)):
        with pytest.raises(refusal):
            world.user(user).onboardings.make("oxbow", [GULL])
    assert "gull" not in {each.slug for each in world.mara.organisations.list()}


def test_asking_twice_with_a_key_and_at_once_makes_one(world: World) -> None:
    edda, gate = world.user("edda"), Barrier(3)
    codes: list[str] = []

    def ask(number: int) -> None:
        gate.wait()
        try:
            edda.onboardings.make("oxbow", [GULL], key="same" if number else None)
            codes.append("made")
        except GradumenError as refused:
            codes.append(refused.code)

    threads = [Thread(target=ask, args=(number,)) for number in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(codes) in (["conflict", "conflict", "made"], ["conflict", "made", "made"])
    assert [each.slug for each in edda.organisations.list()].count("gull") == 1
    assert len(edda.subscriptions.list("gull")) == 1
    assert len(edda.invitations.list("oxbow")) == 0 and len(edda.messages.list("oxbow", search="gwen@")) == 1


def test_a_proposed_customer_has_its_tier_from_the_day_on_which_it_begins(world: World) -> None:
    wanted = GULL.model_copy(
        update={
            "starts_on": date(2026, 11, 1),
            "people": [OnboardingPerson(email="gwen@gull.example", role=Role.FINANCE)],
            "subscriptions": [OnboardingSubscription(plan="open-range", tier="heath")],
        }
    )
    [made] = world.user("edda").onboardings.make("oxbow", [wanted]).items
    assert "from 1 November 2026, billed in GBP" in made.sentences[0]
    [subscription] = world.user("edda").subscriptions.list("gull")
    assert subscription.starts_on == date(2026, 11, 1)
    assert world.user("edda").organisations.get("gull").state == "proposed"


def test_sites_and_limits_there_are_given_and_a_cloud_elsewhere_is_refused(world: World) -> None:
    mara = world.mara
    north, south = (
        mara.sites.register("tarnwick", SiteCreate(slug=slug, name=name)).id
        for slug, name in (("north-fell", "North Fell"), ("south-quay", "South Quay"))
    )
    mara.clouds.register(
        "tarnwick", CloudCreate(slug="quay", name="Quay", site=south, endpoint=world.cloud, secret="s")
    )
    wanted = {
        "slug": "gorse", "name": "Gorse", "type": "reseller", "currency": "GBP",
        "limits": {"machines": "9", "organisations": "4"}, "sites": ["north-fell"],
        "site_limits": [{"site": "north-fell", "measure": "machines", "limit": "6"}],
    }  # fmt: skip
    [told] = mara.onboardings.make("tarnwick", [OnboardingCreate.model_validate(wanted)]).items
    assert told.sentences[1:] == [
        "It may have up to 9 machines.",
        "It may have up to 4 organisations.",
        "It may use North Fell, and no other site.",
        "Of that it may have up to 6 machines at North Fell.",
        "It may order, and sell on, Open Range.",
    ]
    assert mara.site_quotas.permitted("gorse") == [north]
    assert [(each.site_slug, each.limit) for each in mara.site_quotas.list("gorse")] == [("north-fell", Decimal(6))]
    again = {**wanted, "slug": "whin", "cloud_accounts": [{"cloud": "quay"}]}
    with pytest.raises(Invalid, match="Quay is at a site that Gorse may not use"):
        mara.onboardings.make("tarnwick", [OnboardingCreate.model_validate(again)])
    with pytest.raises(QuotaExceeded, match="9 machines in all, so 10 machines at North Fell"):
        limits = [{"site": "north-fell", "measure": "machines", "limit": "10"}]
        mara.onboardings.make(
            "tarnwick", [OnboardingCreate.model_validate({**wanted, "slug": "w", "site_limits": limits})]
        )
    with pytest.raises(Invalid, match="no site that you may use is called 'moon'; there are: north-fell, south-quay"):
        mara.onboardings.make("tarnwick", [OnboardingCreate.model_validate({**wanted, "slug": "w", "sites": ["moon"]})])
    # One that serves nobody yet is told so.
    mara.catalogue.publish("tarnwick", files("offer: open-range\nto: [oxbow, quillstone]\n"))
    [alone] = mara.onboardings.make(
        "tarnwick", [OnboardingCreate.model_validate({**wanted, "slug": "x"})], check=True
    ).items
    assert alone.sentences[-1] == "Nothing is offered to it yet, so it has nothing to sell on: offer it a plan."


def test_plans_are_offered_by_name_to_one_that_comes_on_board(world: World) -> None:
    mara = world.mara
    mara.catalogue.publish("tarnwick", files(PROMISING, "offer: open-range\nto: [oxbow, quillstone]\n", OFFER))
    gorse = OnboardingCreate(slug="gorse", name="Gorse", type="reseller", currency="GBP", offers=["open-range"])
    [told] = mara.onboardings.make("tarnwick", [gorse], check=True).items
    assert told.sentences[1:] == ["Open Range is offered to it.", "It may order, and sell on, Open Range, Stone Barn."]
    assert offered(world, "open-range") == ["oxbow", "quillstone"]
    mara.onboardings.make("tarnwick", [gorse])
    assert offered(world, "open-range") == ["oxbow", "quillstone", "gorse"]
    # What is offered to all like it is offered to it already; one that orders at once may.
    whin = gorse.model_copy(
        update={
            "slug": "whin",
            "currency": "EUR",
            "type": "tenant",
            "offers": ["stone-barn", "open-range"],
            "subscriptions": [OnboardingSubscription(plan="open-range", tier="moor")],
        }
    )
    mara.onboardings.make("tarnwick", [whin])
    assert offered(world, "stone-barn") == "all" and offered(world, "open-range") == [
        "oxbow", "quillstone", "gorse", "whin",
    ]  # fmt: skip
    mara.catalogue.publish("tarnwick", files("offer: stone-barn\nto: tenants\n", "offer: open-range\nto: []\n"))
    for plan, why in (
        ("stone-barn", "Stone Barn is offered to all tenants, and Broom is a reseller"),
        ("open-range", "Open Range is off sale"),
        ("moon", "Tarnwick Cloud offers no plan 'moon'; it offers: open-range, stone-barn"),
    ):
        with pytest.raises(Invalid, match=why) as refused:
            mara.onboardings.make(
                "tarnwick", [gorse.model_copy(update={"slug": "broom", "name": "Broom", "offers": [plan]})]
            )
        assert refused.value.facts["field"] == "offers"
    # Who acts from above brings on board below it, and offers nothing in another's name.
    with pytest.raises(Forbidden):
        mara.onboardings.make("oxbow", [gorse.model_copy(update={"slug": "broom", "type": "tenant"})])


def offered(world: World, plan: str) -> object:
    """To whom the provider's newest offer of a plan is."""
    [form] = [each.form for each in world.mara.catalogue.offers("tarnwick") if each.plan == plan]
    return form.to
