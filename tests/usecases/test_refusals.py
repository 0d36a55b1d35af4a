"""What is refused with a reason, and leaves everything as it was."""

from collections.abc import Callable
from datetime import date
from decimal import Decimal

import pytest

from gradumen.client import Client
from gradumen.core.errors import CatalogueInvalid, Conflict, GradumenError, Invalid, NotFound, VersionInForce
from gradumen.core.permissions import Role
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.world import SERVICES, World, egress, files, moment, rate_card

COMPUTE = SERVICES.split("---")[0]


@pytest.mark.parametrize(
    ("contents", "words"),
    [
        ((rate_card("x", "EUR", "named", "1"), rate_card("x", "EUR", "named", "2")), "stands in two documents"),
        ((COMPUTE.replace("service: compute", "service: vm") + "sizes: network\n",), "'network' has no sizes to use"),
        (
            (
                COMPUTE.replace("service: compute", "service: vm") + "requires: [vn]\n",
                COMPUTE.replace("service: compute", "service: vn") + "requires: [vm]\n",
            ),
            "require each other in a circle: v",
        ),
        ((rate_card("tenants-eur", "GBP", "tenants", "1", "2026-12-01"),), "another currency is another card"),
        ((rate_card("x", "EUR", "named", "1") + "at-renewal: x\n",), "no other rate card of yours"),
        ((rate_card("x", "EUR", "named", "1") + "at-renewal: resellers-gbp\n",), "no other rate card of yours in EUR"),
        (("plan: p\nname: P\nservices: [compute]\ntiers: []\n",), "at least one tier"),
        (("plan: p\nname: P\nservices: [magic]\ntiers: [{tier: a, name: A}]\n",), "'magic' is not known"),
        (
            ("plan: p\nname: P\nservices: [compute]\ntiers: [{tier: a, name: A}, {tier: a, name: B}]\n",),
            "'a' stands twice",
        ),
        (
            ("plan: p\nname: P\nservices: [compute]\ntiers: [{tier: a, name: A, quotas: {magic: 1}}]\n",),
            "'magic' is not one of",
        ),
        (
            ("plan: p\nname: P\nservices: [compute]\ntiers: [{tier: a, name: A, levels: {copies: -1}}]\n",),
            "negative",
        ),
        (
            ("offer: open-range\nto: all\nfloors: [{currency: EUR, price: 1, meter: x, tier: moor}]\n",),
            "for a meter or",
        ),
        (("offer: open-range\nto: [Über]\n",), "lower-case letters"),
    ],
)
def test_a_catalogue_that_does_not_fit(world: World, contents: tuple[str, ...], words: str) -> None:
    before = {card.slug: len(card.versions) for card in world.mara.catalogue.rate_cards()}
    plans = {plan.slug: plan.version for plan in world.mara.catalogue.plans()}
    with pytest.raises(CatalogueInvalid, match=words):
        world.mara.catalogue.publish("tarnwick", files(*contents))
    assert {card.slug: len(card.versions) for card in world.mara.catalogue.rate_cards()} == before
    assert {plan.slug: plan.version for plan in world.mara.catalogue.plans()} == plans


def test_a_version_never_starts_in_a_billed_period(world: World) -> None:
    """Also where the business clock was set back."""
    world.send(egress("a", 10**12, owner="quillstone/archive"))
    world.close("tarnwick", "finn", "2026-09")
    world.mara.clock.set(moment("2026-09-10"), held=True)
    with pytest.raises(VersionInForce, match=r"2026-09 is billed; start the new version .* on 2026-10-01 or later"):
        world.mara.catalogue.publish("tarnwick", files(rate_card("tenants-eur", "EUR", "tenants", "2", "2026-09-20")))
    later = files(rate_card("tenants-eur", "EUR", "tenants", "2", "2026-10-01"))
    assert world.mara.catalogue.publish("tarnwick", later)[0].version == 2


def subscribe(client: Client, **changes: object) -> object:
    fields = {
        "organisation": "quillstone",
        "plan": "open-range",
        "tier": "moor",
        "name": "x",
        "starts_on": "2026-09-01",
    }
    return client.subscriptions.create(SubscriptionCreate.model_validate({**fields, **changes}))


def set_tax(client: Client, **changes: object) -> object:
    fields = {"country": "IE", "percent": Decimal(21), "starts_on": date(2027, 1, 1), "category": "S"}
    return client.tax_rates.set("tarnwick", **{**fields, **changes})  # type: ignore[arg-type]  # wrong on purpose


def invite(client: Client, email: str) -> object:
    return client.invitations.create("tarnwick", email=email, role=Role.VIEWER)


def join(client: Client, **changes: str) -> object:
    invited = client.invitations.create("tarnwick", email="new@tarnwick.example", role=Role.VIEWER)
    with Client(client.connection.url) as anybody:
        fields = {"name": "New", "password": "a long enough one"}
        return anybody.invitations.accept(invited.secret or "", **{**fields, **changes})


@pytest.mark.parametrize(
    ("call", "kind", "words"),
    [
        (lambda c: subscribe(c, starts_on="1999-12-31"), Invalid, "out of range"),
        (lambda c: subscribe(c, starts_on="2026-09-01", trial_until="2026-08-01"), Invalid, "trial_until"),
        (lambda c: subscribe(c, plan="nothing"), NotFound, "plan"),
        (lambda c: set_tax(c, category="Q"), Invalid, "not one of"),
        (lambda c: set_tax(c, percent=Decimal(101)), Invalid, "0 to 100"),
        (lambda c: set_tax(c, category="Z"), Invalid, "only S has one"),
        (lambda c: set_tax(c, country="Eire"), Invalid, "two capital letters"),
        (lambda c: invite(c, "nobody"), Invalid, "write it like"),
        (lambda c: join(c, password="short"), Invalid, "password"),
        (lambda c: invite(c, "mara@tarnwick.example"), Conflict, "change its role instead"),
        (lambda c: c.tokens.create("tarnwick", name="x", role=Role.VIEWER, days=0), Invalid, "lasts 1 to"),
        (lambda c: c.tokens.create("tarnwick", name="x", role=Role.VIEWER, days=10_000), Invalid, "lasts 1 to"),
        (lambda c: c.feeds.create("tarnwick", slug="north-fell", name="F"), Conflict, "another slug"),
        (lambda c: c.feeds.allow("tarnwick/north-fell", "nobody@x.example"), NotFound, "user"),
        (lambda c: c.bill_runs.start("tarnwick", "2026-13"), Invalid, "2026-13"),
        (lambda c: c.estimates.coverage("tarnwick", "nothing", []), NotFound, "plan"),
    ],
)
def test_what_does_not_fit_is_refused(
    world: World, call: Callable[[Client], object], kind: type[GradumenError], words: str
) -> None:
    with pytest.raises(kind, match=words) as refused:
        call(world.mara)
    assert type(refused.value) is not GradumenError, "not a failure inside"


def test_a_tenant_bills_nobody(world: World) -> None:
    with pytest.raises(Conflict, match="nobody to bill"):
        world.user("una").bill_runs.start("quillstone", "2026-09")


def test_a_tax_rate_does_not_change_under_what_is_issued(world: World) -> None:
    world.close("tarnwick", "finn", "2026-09")
    with pytest.raises(Conflict, match="start the rate on a later day"):
        set_tax(world.mara, starts_on=date(2026, 10, 1))
    set_tax(world.mara, starts_on=date(2026, 11, 1))
    same = set_tax(world.mara, starts_on=date(2020, 1, 1), percent=Decimal(23))
    assert same, "the same again changes nothing"


def test_a_subscription_does_not_end_before_it_starts(world: World) -> None:
    found = world.mara.subscriptions.list("quillstone")[0]
    with pytest.raises(Invalid, match="before starts_on"):
        world.mara.subscriptions.end(found.id, date(2026, 7, 1), version=found.version)
    assert world.mara.subscriptions.list("quillstone")[0].ends_on is None


def test_invoices_are_listed_by_period_page_by_page(world: World) -> None:
    world.send(egress("a", 10**12, owner="quillstone/archive"))
    world.close("tarnwick", "finn", "2026-08")
    world.close("tarnwick", "finn", "2026-09")
    http = world.user("finn").connection.http
    everything = http.get("invoices", params={"limit": 100}).json()["items"]
    assert len(everything) == 4, "two buyers, two months"
    seen, after = [], None
    for _ in everything:
        page = http.get("invoices", params={"limit": 1, **({"after": after} if after else {})}).json()
        seen += [each["id"] for each in page["items"]]
        after = page["next"]
    assert seen == [each["id"] for each in everything]
    for period in ("2026-08", "2026-09"):
        found = http.get("invoices", params={"period": period}).json()["items"]
        assert {each["period"] for each in found} == {period} and len(found) == 2
    assert http.get("invoices", params={"after": "2026-09|nothing"}).status_code == 422
    assert http.get("invoices", params={"buyer": "nobody"}).json()["items"] == []


def test_usage_that_no_subscription_covers_is_told(world: World) -> None:
    world.send(egress("a", 5 * 10**9, owner="thistledown/records"), egress("b", 10**9, owner="quillstone/archive"))
    found = world.mara.subscriptions.list("quillstone")[0]
    world.mara.subscriptions.end(found.id, date(2026, 9, 5), version=found.version)
    (link,) = world.user("una").spend.period_so_far("quillstone", "2026-09", wait=60).links
    assert [(each.meter, each.organisation, each.quantity, each.reason) for each in link.not_priced] == [
        ("network/egress", "quillstone/archive", Decimal(10**9), "no subscription")
    ]
    assert "network" not in {line.service for line in link.lines}
