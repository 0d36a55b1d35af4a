"""Rights to order come link by link: who is offered what, under which name, and never below a floor."""

from datetime import date
from decimal import Decimal

import pytest

from gradumen.core.errors import CatalogueInvalid, NotFound, NotOffered, NotPriceable
from gradumen.core.permissions import Role
from gradumen.wire.catalogue.plans import PublishedPlanBody
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.rating.estimates import EstimateAsked
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate
from tests.world import World, egress, files, join, rate_card, reading

LABOUR = """
service: labour
name: Labour
category: Other
subcategory: Other (Other)
meters:
  worked: {name: Hours worked, unit: second, combine: sum}
---
plan: helping-hands
name: Helping Hands
services: [labour]
tiers:
  - {tier: heath, name: On call}
---
offer: helping-hands
---
rate-card: helping-gbp
name: Labour
for: {segments: [looked-after]}
currency: GBP
starts-on: 2026-01-01
rates:
  - {rate: worked, meter: labour/worked, per: hour, price: 60}
  - {rate: on-call, fee: helping-hands/heath, price: 25}
"""


def offer(world: World, seller: str, text: str, user: str | None = None) -> None:
    who = user or {"tarnwick": "mara", "oxbow": "edda"}[seller]
    world.user(who).catalogue.publish(seller, files(f"offer: open-range\n{text}"))


def subscribe(world: World, organisation: str, tier: str, user: str = "mara", plan: str = "open-range") -> None:
    world.user(user).subscriptions.create(
        SubscriptionCreate(
            organisation=organisation, plan=plan, tier=tier, name=f"{plan} {tier}", starts_on=date(2026, 10, 1)
        )
    )


def plans(world: World, user: str) -> dict[str, PublishedPlanBody]:
    return {each.slug: each for each in world.user(user).catalogue.plans()}


def test_a_plan_is_ordered_only_where_every_link_offers_it(world: World) -> None:
    offer(world, "tarnwick", "to: tenants")
    with pytest.raises(NotFound, match="no plan 'open-range' here"):
        subscribe(world, "saltmarsh", "moor", "edda")
    subscribe(world, "quillstone", "heath")
    offer(world, "tarnwick", "to: [oxbow]\ntiers: [moor]")
    subscribe(world, "saltmarsh", "moor", "edda")
    assert [tier["tier"] for tier in plans(world, "wynn")["open-range"].form.plain()["tiers"]] == ["moor"]
    with pytest.raises(NotOffered, match="Tarnwick Cloud does not offer open-range/heath to Oxbow Managed IT; it may"):
        subscribe(world, "thistledown", "heath", "edda")
    with pytest.raises(NotOffered, match="to Quillstone Observatory; it may order none"):
        subscribe(world, "quillstone", "heath", "finn")
    offer(world, "oxbow", "to: [thistledown]")
    with pytest.raises(NotOffered, match="Oxbow Managed IT does not offer open-range/moor to Saltmarsh Ferries"):
        world.user("edda").estimates.price(EstimateAsked(organisation="saltmarsh", plan="open-range", tier="moor"))
    held = world.user("edda").subscriptions.list("saltmarsh")[0]
    again = SubscriptionChange(starts_on=date(2026, 10, 2), quantity=2)
    assert world.user("edda").subscriptions.change(held.id, again).quantity == 2, "what is sold goes on"


def test_what_is_not_offered_to_a_reseller_is_not_there_for_it(world: World) -> None:
    world.mara.catalogue.publish(
        "tarnwick",
        files("plan: home\nname: Home\nservices: [compute]\ntiers: [{tier: heath, name: Heath}]"),
    )
    assert set(plans(world, "mara")) == {"home", "open-range"}
    assert set(plans(world, "edda")) == {"open-range"}
    with pytest.raises(NotFound):
        subscribe(world, "thistledown", "heath", "edda", "home")
    with pytest.raises(NotFound):
        world.user("edda").catalogue.plan_versions("home")
    subscribe(world, "tarnwick", "heath", plan="home")


def test_an_offer_to_one_project_is_for_that_project(world: World) -> None:
    offer(world, "oxbow", "to: [saltmarsh/harbour]")
    edda = world.user("edda").subscriptions
    body = SubscriptionCreate(
        organisation="saltmarsh", plan="open-range", tier="moor", name="Harbour", starts_on=date(2026, 10, 1)
    )
    with pytest.raises(NotOffered):
        edda.create(body)
    assert edda.create(body.model_copy(update={"project": "harbour"})).project == "harbour"
    assert list(plans(world, "ines")) == ["open-range"]


def test_a_tenant_sees_its_sellers_names_and_tiers_only(world: World) -> None:
    offer(world, "oxbow", "name: Ox Track\ndescription: By Oxbow.\ntiers: {moor: Wide}\nrecommended: moor")
    seen = plans(world, "wynn")["open-range"]
    assert (seen.seller, seen.form.plain()["name"], seen.recommended, seen.offered) == (
        "oxbow",
        "Ox Track",
        "moor",
        True,
    )
    assert [(tier["tier"], tier["name"]) for tier in seen.form.plain()["tiers"]] == [("moor", "Wide")]
    kept = plans(world, "ines")["open-range"]
    assert {tier["tier"] for tier in kept.form.plain()["tiers"]} == {"heath", "moor"}, (
        "it has heath, and may order moor"
    )
    assert plans(world, "edda")["open-range"].form.plain()["name"] == "Open Range"
    assert "Tarnwick" not in world.user("wynn").connection.http.get("plans").text
    offer(world, "oxbow", "to: []")
    assert plans(world, "wynn") == {}
    assert not plans(world, "ines")["open-range"].offered


def test_a_resellers_documents_have_its_names_and_its_suppliers_have_theirs(world: World) -> None:
    offer(world, "oxbow", "name: Ox Track\ntiers: {heath: Narrow}")
    world.send(egress("a", 10**12))
    retail = world.close("oxbow", "edda", "2026-09")[0]
    cost = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "oxbow")
    assert "Ox Track Narrow, monthly fee" in {line.description for line in retail.lines}
    assert "Open Range Heath, monthly fee" in {line.description for line in cost.lines}


def test_a_reseller_sells_services_of_its_own_and_its_supplier_bills_none_of_it(world: World) -> None:
    edda = world.user("edda")
    edda.organisations.change("saltmarsh", segment="looked-after")
    edda.catalogue.publish("oxbow", files(LABOUR))
    subscribe(world, "saltmarsh", "heath", "edda", "helping-hands")
    lines = edda.subscriptions.list("saltmarsh")
    assert {each.plan for each in lines} == {"open-range", "helping-hands"}
    so_far = edda.spend.period_so_far("saltmarsh", "2026-10", wait=60).links
    fees = {(link.seller, line.rate) for link in so_far for line in link.lines if line.rate == "on-call"}
    assert fees == {("oxbow", "on-call")}
    hour = {"meter": "labour/worked", "quantity": "3600", "unit": "second", "attributes": {}}
    world.send(reading("w", **hour, start="2026-10-02T08:00:00Z", end="2026-10-02T09:00:00Z"))
    for link in edda.spend.period_so_far("saltmarsh", "2026-10", wait=60).links:
        assert [each for each in link.not_priced if "labour" in each.meter] == []
        assert ("worked" in {line.rate for line in link.lines}) is (link.seller == "oxbow")
    assert "helping-hands" not in {line.service for link in so_far if link.seller == "tarnwick" for line in link.lines}
    assert "helping-hands" in plans(world, "ines")
    assert "helping-hands" not in plans(world, "una")


def test_a_reseller_sells_nothing_that_it_may_not(world: World) -> None:
    offer(world, "tarnwick", "to: [oxbow]\ntiers: [heath]")
    (lapsed,) = world.user("edda").catalogue.offers("oxbow")
    assert lapsed.lapsed == ["moor"]
    for text, words in (
        ("offer: open-range\ntiers: [moor]", "none that you may sell; those are: heath"),
        ("offer: nothing", "none that is offered to you"),
        ("offer: open-range\nto: [quillstone]", "does not buy from you"),
        ("offer: open-range\nto: [saltmarsh/attic]", "has no project 'attic'"),
    ):
        with pytest.raises(CatalogueInvalid, match=words):
            world.user("edda").catalogue.publish("oxbow", files(text))
    mixed = LABOUR.replace("services: [labour]", "services: [labour, network]").replace(
        "for: {segments: [looked-after]}", "for: named"
    )
    world.user("edda").catalogue.publish("oxbow", files(mixed))
    order = SubscriptionCreate(
        organisation="saltmarsh",
        plan="helping-hands",
        tier="heath",
        name="Hands",
        starts_on=date(2026, 10, 1),
        rate_card="helping-gbp",
    )
    world.user("edda").subscriptions.create(order)
    offer(world, "tarnwick", "to: tenants")
    with pytest.raises(NotOffered, match="Oxbow Managed IT may not sell helping-hands any more: service 'network'"):
        world.user("edda").subscriptions.create(order.model_copy(update={"name": "More hands"}))
    own = "plan: ox\nname: Ox\nservices: [compute]\ntiers: [{tier: heath, name: Heath}]"
    with pytest.raises(CatalogueInvalid, match="in no plan that is offered to you"):
        world.user("edda").catalogue.publish("oxbow", files(own))


def test_a_card_below_the_suppliers_floor_is_refused_and_the_floor_is_told_to_buyers_only(world: World) -> None:
    offer(world, "tarnwick", "floors: [{meter: compute/vcpu, per: vCPU-hour, currency: GBP, price: 0.015}]")
    edda = world.user("edda").catalogue
    with pytest.raises(CatalogueInvalid, match=r"rate 'vcpu' goes down to 0\.014 GBP per vCPU-hour.*floor is 0\.015"):
        edda.publish("oxbow", files(rate_card("oxbow-gbp", "GBP", "any", "0.7", "2026-12-01")))
    edda.publish("oxbow", files(rate_card("oxbow-gbp", "GBP", "any", "0.9", "2026-12-01")))
    assert "floors" in world.mara.catalogue.offers("tarnwick")[0].form.plain()
    assert "floors" not in world.user("wynn").connection.http.get("plans").text


def test_an_offer_that_did_not_change_makes_no_version(world: World) -> None:
    (change,) = world.mara.catalogue.publish("tarnwick", files("offer: open-range\nto: all"))
    assert (change.change, change.version) == ("unchanged", 1)
    (change,) = world.mara.catalogue.publish("tarnwick", files("offer: open-range\nto: resellers"))
    assert [(each.path, each.before, each.after) for each in change.differences] == [("to", "all", "resellers")]


def test_the_card_is_chosen_by_the_sellers_rules(world: World) -> None:
    cards = {
        "schools": "{segments: [school]}",
        "irish": "{countries: [IE]}",
        "just-una": "{organisations: [quillstone]}",
    }
    asked = EstimateAsked(organisation="quillstone", plan="open-range", tier="moor", months=1)
    found = [world.mara.estimates.price(asked).rate_card]
    world.mara.organisations.change("quillstone", segment="school")
    for slug, rule in cards.items():
        world.mara.catalogue.publish("tarnwick", files(rate_card(slug, "EUR", rule, "1")))
        found.append(world.mara.estimates.price(asked).rate_card)
    assert found == ["tenants-eur", "schools", "irish", "just-una"]
    with pytest.raises(CatalogueInvalid, match="'more-schools' and 'schools' are both for any of segment school"):
        world.mara.catalogue.publish(
            "tarnwick", files(rate_card("more-schools", "EUR", "{segments: [school, x]}", "1"))
        )
    assert world.user("una").organisations.get("quillstone").segment is None
    assert Decimal(world.mara.estimates.price(asked).total) > 0


def test_a_service_of_ones_own_needs_no_card_of_a_supplier(world: World) -> None:
    """Newt buys in kronor, in which Tarnwick has no card; its own labour is on no link above it."""
    for parent, type, slug in (("tarnwick", "reseller", "newt"), ("newt", "tenant", "eft")):
        world.mara.organisations.create(
            OrganisationCreate(parent=parent, type=type, slug=slug, name=slug, country="SE", currency="SEK")
        )
    join(world, "mara", "newt", "nils@newt.example", Role.ADMINISTRATOR)
    nils = world.user("nils@newt.example")
    own = LABOUR.replace("GBP", "SEK").replace("for: {segments: [looked-after]}", "for: any")
    nils.catalogue.publish("newt", files(own))
    subscribe(world, "eft", "heath", "nils@newt.example", "helping-hands")
    with pytest.raises(NotOffered, match="newt does not offer open-range/heath to eft"):
        subscribe(world, "eft", "heath", "nils@newt.example")
    nils.catalogue.publish("newt", files("offer: open-range"))
    with pytest.raises(NotPriceable, match=r"no rate card for (tenants|resellers) in SEK"):
        subscribe(world, "eft", "heath", "nils@newt.example")
