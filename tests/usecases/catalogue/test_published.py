"""What is published stands: newer versions do not change what older ones price, and rivals do not mix."""

import threading
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from functools import partial

import pytest

from gradumen.client import Client
from gradumen.core.errors import CatalogueInvalid, GradumenError
from gradumen.usecases.catalogue import published
from gradumen.wire.spend.period_so_far import LinkPeriodBody
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange
from tests.world import EMAILS, GIB, OFFERS, PASSWORD, SERVICES, World, egress, files, rate_card, reading

NARROW_SERVICE = SERVICES.split("---")[0].replace("attributes: {size: [small, large]}\n", "")
NO_EGRESS = """
service: network
name: Network
category: Networking
subcategory: Network Infrastructure
meters:
  ingress: {name: Data taken in, unit: byte, combine: sum}
"""
NARROW_PLAN = """
plan: open-range
name: Open Range
services: [compute]
tiers:
  - {tier: heath, name: Heath}
"""
TOGETHER = SERVICES.split("---")[0].replace("category: Compute\n", "category: Compute\nrequires: [network]\n")


@pytest.fixture(autouse=True)
def always_cold(monkeypatch: pytest.MonkeyPatch) -> None:
    """Published versions are read anew each time, as by a service that starts after each publication."""
    monkeypatch.setattr(published.kept, "most", 0)


def used(world: World) -> list[LinkPeriodBody]:
    world.send(
        reading("a", owner="quillstone/archive", attributes={"size": "large"}),
        egress("b", 70 * GIB, owner="quillstone/archive"),
        egress("c", 70 * GIB),
    )
    return so_far(world)


def so_far(world: World) -> list[LinkPeriodBody]:
    return world.user("finn").spend.period_so_far("tarnwick", "2026-09", wait=60).links


@pytest.mark.parametrize(
    "narrower", [(NARROW_PLAN,), (NARROW_SERVICE,), (NO_EGRESS,), (TOGETHER,), (NARROW_SERVICE, NO_EGRESS, NARROW_PLAN)]
)
def test_a_narrower_version_changes_nothing_of_what_is_sold(world: World, narrower: tuple[str, ...]) -> None:
    """Without the tier, the attribute, the meter or the service that others still have, or with one more required."""
    before = used(world)
    world.mara.catalogue.publish("tarnwick", files(*narrower))

    assert so_far(world) == before
    assert sum((each.net for each in before), Decimal(0)) > 100
    billed = {each.buyer: each.net for each in world.close("tarnwick", "finn", "2026-09")}
    fees_of_august = {"oxbow": Decimal("13.93"), "quillstone": Decimal(79)}
    shown = {each.buyer: each.net for each in before if each.buyer != "tarnwick"}
    assert billed == {buyer: net + fees_of_august[buyer] for buyer, net in shown.items()}
    assert world.user("edda").catalogue.plans()
    assert world.user("finn").catalogue.rate_card("tarnwick", "tenants-eur").versions


def test_what_a_narrower_plan_lacks_is_refused_to_new_subscribers_only(world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(NARROW_PLAN))
    held = next(each for each in world.mara.subscriptions.list("quillstone"))

    changed = world.mara.subscriptions.change(held.id, SubscriptionChange(starts_on=date(2026, 10, 5), quantity=2))
    assert (changed.tier, changed.quantity) == ("moor", 2)
    with pytest.raises(CatalogueInvalid, match="has no tier 'moor'"):
        world.mara.catalogue.publish("tarnwick", files(rate_card("tenants-eur", "EUR", "tenants", "2", "2026-11-01")))


def at_once(calls: list[Callable[[], object]]) -> list[object]:
    """The outcome of calls that start together."""
    gate = threading.Barrier(len(calls))
    found: list[object] = [None] * len(calls)

    def call(place: int) -> None:
        gate.wait()
        try:
            found[place] = calls[place]()
        except GradumenError as refusal:
            found[place] = refusal

    threads = [threading.Thread(target=call, args=(place,)) for place in range(len(calls))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    return found


def signed_in(world: World, name: str) -> Client:
    client = Client(world.url)
    client.sign_in(EMAILS[name], PASSWORD)
    return client


def test_of_two_sellers_that_publish_one_slug_at_once_one_is_refused(world: World) -> None:
    """Whoever comes second is told that the slug is not available, not by whom it is taken."""
    for number in range(6):
        service = f"service: vault-{number}\nname: Vault\ncategory: Other\nsubcategory: Other\nmeters: {{}}\n"
        service = service.replace("meters: {}", "meters:\n  kept: {name: Kept, unit: byte, combine: sum}")
        plan = f"plan: vaults-{number}\nname: Vaults\nservices: [vault-{number}]\ntiers: [{{tier: one, name: One}}]\n"
        rivals = [signed_in(world, "mara"), signed_in(world, "edda")]
        outcomes = at_once(
            [
                partial(rival.catalogue.publish, seller, files(service, plan))
                for rival, seller in zip(rivals, ("tarnwick", "oxbow"), strict=True)
            ]
        )
        refused = [each for each in outcomes if isinstance(each, CatalogueInvalid)]
        assert len(refused) == 1, outcomes
        assert "is not available" in refused[0].message
        assert not any(name in refused[0].message for name in ("tarnwick", "oxbow"))
        for rival in rivals:
            rival.close()


def test_one_card_published_several_times_at_once_is_one_version(world: World) -> None:
    card = rate_card("tenants-eur", "EUR", "tenants", "2", "2026-11-01")
    rivals = [signed_in(world, "finn") for _ in range(5)]
    outcomes = at_once([partial(rival.catalogue.publish, "tarnwick", files(card)) for rival in rivals])
    for rival in rivals:
        rival.close()

    assert not [each for each in outcomes if isinstance(each, GradumenError)], outcomes
    changes = sorted(each.change for outcome in outcomes for each in outcome)  # type: ignore[attr-defined]  # of a list of results
    assert changes == ["new version"] + ["unchanged"] * 4
    assert len(world.user("finn").catalogue.rate_card("tarnwick", "tenants-eur").versions) == 2


def test_an_offer_keeps_its_names_where_the_plan_changed(world: World) -> None:
    edda = world.user("edda")
    edda.catalogue.publish("oxbow", files(OFFERS.replace("to: all", "name: Hill Range\ntiers: {heath: Hill}\nto: all")))
    world.mara.catalogue.publish("tarnwick", files(SERVICES.replace("name: Moor", "name: High Moor")))

    [listed] = world.user("ines").catalogue.plans()
    assert (listed.form.plain()["name"], [tier["name"] for tier in listed.form.plain()["tiers"]]) == (
        "Hill Range",
        ["Hill"],
    )
