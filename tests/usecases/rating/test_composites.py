"""An application made of machines is charged as the whole or as its components, link by link, never as both."""

from collections import defaultdict
from datetime import date
from decimal import Decimal
from typing import Any

import pytest

from gradumen.client.metering.readings import life_event, told_event
from gradumen.core.errors import CatalogueInvalid, Forbidden, NotFound
from gradumen.wire.metering.kind_rules import KindRuleForm
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.conftest import Service, settle
from tests.usecases.spend.test_feed_balances import balance
from tests.world import GIB, SERVICES, World, egress, files, moment, rate_card, reading
from tests.worlds.stored import differing_pairs

NOVEMBER, MINE = "2026-11", {"owner": "quillstone/archive"}
NETWORK = SERVICES.split("---")[1].replace(
    "meters:",
    "meters:\n  running: {name: Applications, unit: piece-second, combine: level}\n"
    "  there: {name: Applications there, unit: piece-second, combine: held}",
)
ONLY = """plan: network-only
name: Network Only
services: [network]
tiers:
  - {tier: all, name: All}
"""
RATES = """  - {rate: app, meter: network/running, per: piece-hour, price: 1}
  - {rate: there, meter: network/there, per: piece-hour, started: hour, price: 2}
"""


def card(slug: str, currency: str, buyers: str, composites: str | None = None, starts_on: str = "2026-11-01") -> str:
    said = f"composites: {composites}\n" if composites else ""
    return rate_card(slug, currency, buyers, "1", starts_on) + RATES + said


@pytest.fixture
def sold(world: World) -> World:
    """From November on applications are sold beside their machines; the reseller is charged for the machines."""
    world.mara.clock.set(moment("2026-10-06"), held=True)
    cards = card("tenants-eur", "EUR", "tenants"), card("resellers-gbp", "GBP", "resellers", "components")
    world.mara.catalogue.publish("tarnwick", files(NETWORK, ONLY, "offer: network-only\nto: all\n", *cards))
    world.user("edda").catalogue.publish("oxbow", files(card("oxbow-gbp", "GBP", "any")))
    world.mara.clock.set(moment("2026-11-25"), held=True)
    return world


def app(identity: str, first: int, end: int, **changes: Any) -> dict[str, Any]:
    """An application that runs from an hour of a day to another."""
    told = {"resource": "app-1", "meter": "network/running", "quantity": "1", "unit": "piece", "attributes": {}}
    return reading(identity, **{**told, **hours(first, end), **changes})


def machine(identity: str, first: int, end: int, **changes: Any) -> dict[str, Any]:
    """A machine of four processors, which the application is made of."""
    told = {"attributes": {"size": "small", "component_of": "app-1"}, **hours(first, end)}
    return reading(identity, **{**told, **changes})


def hours(first: int, end: int) -> dict[str, str]:
    return {name: f"2026-11-10T{hour:02}:00:00Z" for name, hour in (("start", first), ("end", end))}


def charged(world: World, user: str, buyer: str) -> dict[str, Decimal]:
    """What a link's lines count, by rate, without fees."""
    world.settle()
    found: dict[str, Decimal] = defaultdict(Decimal)
    for link in world.user(user).spend.period_so_far(buyer, NOVEMBER, wait=60).links:
        if link.buyer == buyer:
            for line in link.lines:
                found[line.rate] += line.quantity
    return {rate: quantity for rate, quantity in found.items() if quantity and rate not in ("heath", "moor")}


def explained(world: World, user: str, buyer: str, said: str = "composites") -> dict[str, list[str] | None]:
    """Of which composites' components a link's charges say that they are, by rate; or what else they say."""
    client = world.user(user)
    days = {"first": date(2026, 11, 1), "end": date(2026, 12, 1)}
    items = client.spend.charges(buyer, side="bought", **days).items
    whys = [client.spend.explain(each.id).explanation for each in items]
    found = {each.rate: getattr(each, said) for each in whys}
    return {rate: each for rate, each in found.items() if rate not in ("heath", "moor")}


def test_each_link_charges_it_once_as_its_card_says(sold: World, service: Service) -> None:
    sold.send(machine("m", 0, 10), app("a", 2, 6), egress("e", 5 * GIB, resource="vm-1", **hours(2, 3)))
    assert charged(sold, "edda", "saltmarsh") == {"app": 4, "vcpu": 6 * 4}, "in the four hours of the whole only that"
    assert charged(sold, "mara", "oxbow") == {"vcpu": 10 * 4, "egress": 5}
    below = sold.user("edda").composites.list("oxbow", NOVEMBER, wait=60).items
    assert {
        (each.seller, each.charged_as, each.composite, each.resource, each.meter, each.hours) for each in below
    } == {
        ("oxbow", "whole", "app-1", "vm-1", "compute/vcpu", 4),
        ("oxbow", "whole", "app-1", "vm-1", "network/egress", 1),
        ("tarnwick", "components", "app-1", "app-1", "network/running", 4),
    }
    [above] = sold.mara.composites.list("tarnwick", NOVEMBER, resource="app-1").items
    assert (above.buyer, above.charged_as, above.quantity) == ("oxbow", "components", 4 * 3600)
    mine = sold.user("ines").composites.list("saltmarsh", NOVEMBER, resource="vm-1").items
    assert [each.meter for each in mine] == ["compute/vcpu", "network/egress"]
    assert sold.mara.spend.not_priced("tarnwick", NOVEMBER).items == []
    settle(service.uow.engine)
    assert differing_pairs(service.uow) == {}
    assert explained(sold, "mara", "oxbow") == {"egress": None, "vcpu": ["app-1"]}
    assert explained(sold, "edda", "saltmarsh") == {"app": None, "vcpu": ["app-1"]}


def test_an_application_says_of_what_it_lacks_hours_and_so_does_the_document(sold: World, service: Service) -> None:
    """Charged as components while there are any, as the whole before; another that has none is all there."""
    sold.send(machine("m", 4, 10), app("a", 2, 6), app("b", 2, 6, resource="app-2"))
    assert charged(sold, "mara", "oxbow") == {"app": 2 + 4, "vcpu": 6 * 4}
    settle(service.uow.engine)
    assert explained(sold, "mara", "oxbow", "as_components") == {"app": ["app-1"], "vcpu": None}
    assert explained(sold, "edda", "saltmarsh", "as_components") == {"app": None, "vcpu": None}
    sold.mara.clock.set(moment("2026-12-02"), held=True)
    [draft] = [each for each in sold.close("tarnwick", "mara", NOVEMBER, issue=False) if each.buyer == "oxbow"]
    [charge] = [each.charge_id for each in draft.lines if each.rate == "app" and each.charge_id]
    assert sold.mara.charges.explain(charge).explanation.as_components == ["app-1"]


def test_the_sums_close_and_say_so(sold: World) -> None:
    sold.send(machine("m", 0, 10, **MINE), app("a", 2, 6, **MINE))
    meters = balance(sold, period=NOVEMBER)[1]
    assert (meters["compute/vcpu"].charged, meters["compute/vcpu"].together) == (6 * 4 * 3600, 4 * 4 * 3600)
    whole = {each.meter: each for each in sold.mara.spend.balances("tarnwick", NOVEMBER, wait=60).items}
    assert whole["compute/vcpu"].together == 4 * 4 * 3600 and whole["compute/vcpu"].difference == 0


def test_what_no_subscription_covers_goes_with_its_application(sold: World) -> None:
    [before] = sold.mara.subscriptions.list("quillstone")
    sold.mara.subscriptions.end(before.id, date(2026, 11, 1))
    sold.mara.subscriptions.create(
        SubscriptionCreate(
            organisation="quillstone", plan="network-only", tier="all", name="Only", starts_on=date(2026, 11, 1)
        )
    )
    sold.send(machine("m", 0, 10, **MINE), app("a", 2, 6, **MINE))
    assert charged(sold, "mara", "quillstone") == {"app": 4}
    [missing] = sold.mara.spend.not_priced("tarnwick", NOVEMBER, wait=60).items
    assert (missing.reason, missing.quantity) == ("no subscription", 6 * 4 * 3600), "what of vm-1 is by itself"
    assert balance(sold, period=NOVEMBER)[1]["compute/vcpu"].together == 4 * 4 * 3600


def test_a_what_if_charges_it_the_other_way(sold: World) -> None:
    sold.send(machine("m", 0, 10, **MINE), app("a", 2, 6, **MINE))
    assert charged(sold, "mara", "quillstone") == {"app": 4, "vcpu": 24}
    other = card("tenants-eur", "EUR", "tenants", "components", "2026-11-01")
    found = sold.mara.what_ifs.wait(sold.mara.what_ifs.ask("tarnwick", NOVEMBER, files(other)).id, seconds=60)
    amounts = {each.service: each for each in sold.mara.what_ifs.amounts(found.id, search="quill")}
    apps, compute = amounts["network"], amounts["compute"]
    assert (apps.before, apps.after, compute.before, compute.after) == (4, 0, Decimal("0.48"), Decimal("0.8"))


def test_begun_hours_of_an_application_stand_for_its_machines(sold: World) -> None:
    event = {"meter": "network/there", "resource": "app-1", **MINE}
    sold.send(
        machine("m", 0, 10, **MINE),
        life_event("made", "/apps", "a-1", {**event, "at": "2026-11-10T02:10:00Z"}),
        life_event("gone", "/apps", "a-2", {**event, "at": "2026-11-10T03:30:00Z"}),
        told_event("/apps", "told", moment("2026-11-10 12:00")),
    )
    assert charged(sold, "mara", "quillstone") == {"there": 2, "vcpu": 8 * 4}


def test_a_rule_says_what_is_made_of_what(sold: World) -> None:
    rule = KindRuleForm(
        name="Machines of applications",
        starts_on=date(2026, 11, 1),
        conditions={"meter": "vm-hours"},
        meter="compute/vcpu",
        attributes={"size": "small"},
        taken={"component_of": "app"},
        unit="vCPU-hour",
    )
    sold.mara.kind_rules.set("tarnwick", version=0, rules=[rule])
    sold.send(
        app("a", 2, 6, **MINE),
        machine("m", 0, 10, **MINE, meter="vm-hours", unit="hours", quantity="40", attributes={"app": "app-1"}),
    )
    assert charged(sold, "mara", "quillstone") == {"app": 4, "vcpu": 24}


def test_who_is_no_member_sees_none(sold: World) -> None:
    with pytest.raises(Forbidden):
        sold.mara.composites.list("saltmarsh", NOVEMBER)
    with pytest.raises(NotFound):
        sold.user("una").composites.list("saltmarsh", NOVEMBER)
    assert sold.user("una").composites.list("quillstone", NOVEMBER, wait=60).items == []


def test_a_card_says_one_of_two(sold: World) -> None:
    wrong = card("tenants-eur", "EUR", "tenants", "both", "2027-01-01")
    with pytest.raises(CatalogueInvalid, match="composites"):
        sold.mara.catalogue.publish("tarnwick", files(wrong))
