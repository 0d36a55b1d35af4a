"""Every route, with every role and a foreign organisation: outside the scope is 404, 403 only for what one may see."""

from dataclasses import dataclass, field
from typing import Any
from uuid import uuid4

import httpx
import pytest
import yaml

from gradumen.client import Client
from gradumen.client.readings import BATCH
from gradumen.core.errors import Forbidden
from gradumen.core.permissions import Role
from gradumen.wire.billing import InvoiceBody
from gradumen.wire.one_off_charges import OneOffChargeCreate
from tests.conftest import Service
from tests.world import SERVICES, World, egress, rate_card

PUBLIC = {"healthz", "readyz", "set_up", "sign_in", "sign_out"}


@dataclass(frozen=True)
class Call:
    """A call about quillstone, or a thing of Tarnwick's and quillstone's."""

    method: str
    path: str
    body: Any = None
    query: dict[str, Any] = field(default_factory=dict)
    foreign: int = 404
    """What those outside quillstone get."""
    viewer: int = 200
    """What a viewer of the provider gets, who sees all of it."""
    headers: dict[str, str] = field(default_factory=dict)


def calls(invoice: InvoiceBody, world: World) -> dict[str, Call]:
    org = "organisations/quillstone"
    charge = next(line.charge_id for line in invoice.lines if line.rate == "egress")
    run = world.user("finn").bill_runs.list("tarnwick")[0].id
    subscription = world.mara.subscriptions.list("quillstone")[0].id
    token = world.mara.tokens.create("tarnwick", name="x", role=Role.VIEWER).id
    one_off = {
        "seller": "tarnwick",
        "organisation": "quillstone",
        "subscription": "Open Range",
        "day": "2026-10-01",
        "description": "Moving in",
        "amount": "10",
        "currency": "EUR",
    }
    entered = world.mara.one_off_charges.enter(OneOffChargeCreate.model_validate(one_off)).id
    rule = {"subscription": "Open Range", "starts_on": "2026-10-01", "conditions": {"service": "compute"}}
    grant = {"limit": "0"}
    new = {"slug": "new", "name": "New"}
    drafts = "organisations/tarnwick/catalogue-drafts"
    kept = yaml.safe_load(SERVICES.split("---")[0].replace("compute", "kept"))
    world.mara.catalogue_drafts.save("tarnwick", "service", "kept", kept)
    estimate = {"organisation": "quillstone", "plan": "open-range", "tier": "moor"}
    cards = [{"name": "a.yaml", "content": rate_card("tenants-eur", "EUR", "tenants", "2")}]
    subscribe = {
        "organisation": "quillstone",
        "plan": "open-range",
        "tier": "moor",
        "name": "y",
        "starts_on": "2026-09-01",
    }
    tenant = {"parent": "quillstone", "type": "tenant", "slug": "new", "name": "N", "country": "IE", "currency": "EUR"}
    member = {"email": "new@x.example", "name": "New", "password": "a long enough one", "role": "viewer"}
    tax = {"country": "IE", "starts_on": "2020-01-01", "category": "S", "percent": "23"}
    published = {
        "organisation": "tarnwick",
        "files": [{"name": "a.yaml", "content": rate_card("x", "EUR", "any", "1")}],
    }
    feed = {"feed": "tarnwick/north-fell"}
    return {
        "read_session": Call("GET", "session", foreign=200),
        "list_tokens": Call("GET", "tokens", foreign=200),
        "create_token": Call(
            "POST", "tokens", {"organisation": "quillstone", "name": "x", "role": "viewer"}, viewer=403
        ),
        "revoke_token": Call("DELETE", f"tokens/{token}", viewer=404),
        "list_members": Call("GET", f"{org}/members"),
        "add_member": Call("POST", f"{org}/members", member, viewer=403),
        "list_organisations": Call("GET", "organisations", foreign=200),
        "create_organisation": Call("POST", "organisations", tenant, viewer=403),
        "read_organisation": Call("GET", org),
        "list_projects": Call("GET", f"{org}/projects"),
        "set_segment": Call("PATCH", org, {"segment": None}, viewer=403),
        "create_project": Call("POST", f"{org}/projects", new, viewer=403),
        "list_quotas": Call("GET", f"{org}/quotas"),
        "grant_quota": Call("PUT", f"{org}/quotas/storage", grant, viewer=403),
        "grant_project_quota": Call("PUT", f"{org}/projects/archive/quotas/storage", grant, viewer=403),
        "compare_catalogue": Call("POST", "catalogue/compare", published, viewer=403),
        "publish_catalogue": Call("POST", "catalogue/publish", published, viewer=403),
        "list_services": Call("GET", "services", foreign=200),
        "list_plans": Call("GET", "plans", foreign=200),
        "list_offers": Call("GET", "organisations/tarnwick/offers"),
        "compare_prices": Call(
            "GET", "rate-cards/tarnwick/tenants-eur/margins", query={"against": "tarnwick/own-cost"}
        ),
        "list_price_changes": Call("GET", "price-changes", foreign=200),
        "list_rate_cards": Call("GET", "rate-cards", foreign=200),
        "read_rate_card": Call("GET", "rate-cards/tarnwick/tenants-eur"),
        "read_rate_card_file": Call("GET", "rate-cards/tarnwick/tenants-eur/file"),
        "list_plan_versions": Call("GET", "plans/open-range/versions", foreign=200),
        "set_tier_sale": Call("PUT", "plans/open-range/tiers/heath/sale", {"withdrawn_on": None}, viewer=403),
        "compare_plan_versions": Call(
            "GET", "plans/open-range/differences", query={"before": "1", "after": "1"}, foreign=200
        ),
        "compare_rate_card_versions": Call(
            "GET", "rate-cards/tarnwick/tenants-eur/differences", query={"before": "1", "after": "1"}
        ),
        "list_catalogue_drafts": Call("GET", drafts, viewer=403),
        "read_catalogue_draft": Call("GET", f"{drafts}/service/kept", viewer=403),
        "check_catalogue_draft": Call("POST", f"{drafts}/service/kept/check", viewer=403),
        "save_catalogue_draft": Call(
            "PUT", f"{drafts}/service/new", {"organisation": "tarnwick", "form": {"service": "new"}}, viewer=403
        ),
        "publish_catalogue_draft": Call(
            "POST", f"{drafts}/service/kept/publish", headers={"If-Match": "1"}, viewer=403
        ),
        "discard_catalogue_draft": Call("DELETE", f"{drafts}/service/kept", viewer=403),
        "estimate_price": Call("POST", "estimates", estimate),
        "check_coverage": Call(
            "POST", "estimates/coverage", {"organisation": "tarnwick", "plan": "open-range"}, viewer=403
        ),
        "price_again": Call(
            "POST", "estimates/what-if", {**published, "period": "2026-09", "files": cards}, viewer=403
        ),
        "list_subscriptions": Call("GET", f"{org}/subscriptions"),
        "create_subscription": Call("POST", "subscriptions", subscribe, viewer=403),
        "change_subscription": Call(
            "POST", f"subscriptions/{subscription}/change", {"starts_on": "2026-09-01", "quantity": 1}, viewer=403
        ),
        "end_subscription": Call("PATCH", f"subscriptions/{subscription}", {"ends_on": None}, viewer=403),
        "deviate_subscription": Call(
            "POST",
            f"subscriptions/{subscription}/deviate",
            {"seller": "tarnwick", "starts_on": "2026-09-01", "deviations": {}},
            viewer=403,
        ),
        "read_month_margins": Call("GET", "organisations/tarnwick/margins"),
        "list_deviations": Call("GET", "organisations/tarnwick/deviations"),
        "list_assignment_rules": Call("GET", f"{org}/assignment-rules"),
        "set_assignment_rule": Call("PUT", f"{org}/assignment-rules/new", rule, viewer=403),
        "delete_assignment_rule": Call("DELETE", f"{org}/assignment-rules/new", viewer=403),
        "list_one_off_charges": Call("GET", "organisations/tarnwick/one-off-charges"),
        "enter_one_off_charge": Call("POST", "one-off-charges", one_off, viewer=403),
        "withdraw_one_off_charge": Call("POST", f"one-off-charges/{entered}/withdraw", viewer=403),
        "list_feeds": Call("GET", "organisations/tarnwick/feeds"),
        "create_feed": Call("POST", "organisations/tarnwick/feeds", new, viewer=403),
        "allow_sender": Call("PUT", "feeds/senders", {**feed, "email": "mara@tarnwick.example"}, viewer=403),
        "list_deliveries": Call("GET", "deliveries", query=feed),
        "send_readings": Call("POST", "readings", [egress("z", 1)], feed, viewer=403, headers={"Content-Type": BATCH}),
        "sum_usage": Call("GET", f"{org}/usage", query={"period": "2026-09"}),
        "period_so_far": Call("GET", f"{org}/period-so-far"),
        "start_bill_run": Call("POST", "bill-runs", {"organisation": "tarnwick", "period": "2026-09"}, viewer=403),
        "list_bill_runs": Call("GET", "bill-runs", query={"organisation": "tarnwick"}),
        "read_bill_run": Call("GET", f"bill-runs/{run}"),
        "list_invoices": Call("GET", "invoices", foreign=200),
        "read_invoice": Call("GET", f"invoices/{invoice.id}"),
        "issue_invoice": Call("POST", f"invoices/{invoice.id}/issue", viewer=403),
        "discard_draft": Call("DELETE", f"invoices/{invoice.id}", viewer=403),
        "read_invoice_pdf": Call("GET", f"invoices/{invoice.id}/pdf"),
        "explain_charge": Call("GET", f"charges/{charge}"),
        "list_charge_readings": Call("GET", f"charges/{charge}/readings"),
        "list_tax_rates": Call("GET", "organisations/tarnwick/tax-rates"),
        "set_tax_rate": Call("PUT", "organisations/tarnwick/tax-rates", tax, viewer=403),
        "read_clock": Call("GET", "clock", foreign=200),
        "set_clock": Call("PUT", "clock", {"to": None}, foreign=403, viewer=403),
    }


def make(client: httpx.Client, call: Call) -> httpx.Response:
    return client.request(call.method, call.path, json=call.body, params=call.query, headers=call.headers)


def test_every_route_with_every_role_and_a_foreign_organisation(world: World, service: Service) -> None:
    world.send(egress("a", 10**12, owner="quillstone/archive"))
    invoice = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    table = calls(invoice, world)
    operations = {
        operation["operationId"] for path in service.app.openapi()["paths"].values() for operation in path.values()
    }
    assert set(table) | PUBLIC == operations, "every route stands in the table"
    words = ("quillstone", "Quillstone", "archive", str(invoice.number), f"{invoice.net}")
    with httpx.Client(base_url=f"{world.url}/api/v1/") as anonymous:
        for name, call in table.items():
            answer = make(anonymous, call)
            assert answer.status_code == 401, name
            assert answer.headers["content-type"] == "application/problem+json"
    for user in ("ines", "vera", "edda", "piers", "wynn"):
        client = world.user(user).connection.http
        for name, call in table.items():
            answer = make(client, call)
            assert answer.status_code == call.foreign, (user, name, answer.text)
            told = answer.text.replace(call.path, "")
            if answer.status_code == 200:
                assert not any(word in told for word in words), (user, name, told)
    for name, call in table.items():
        answer = make(world.user("oda").connection.http, call)
        assert answer.status_code == call.viewer, (name, answer.text)


def test_a_sellers_retail_is_closed_to_its_supplier(world: World) -> None:
    """Tarnwick sees Saltmarsh and its usage, but not what Oxbow takes from it; Saltmarsh not what Oxbow pays."""
    world.send(egress("a", 10**12))
    retail = world.close("oxbow", "edda", "2026-09")[0]
    cost = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "oxbow")
    mara, edda, ines = world.mara, world.user("edda"), world.user("ines")

    def links(client: Client, organisation: str) -> set[tuple[str, str]]:
        return {(link.seller, link.buyer) for link in client.spend.period_so_far(organisation, "2026-09").links}

    assert links(mara, "saltmarsh") == {("tarnwick", "oxbow")}
    assert links(edda, "saltmarsh") == {("tarnwick", "oxbow"), ("oxbow", "saltmarsh")}
    assert links(ines, "saltmarsh") == {("oxbow", "saltmarsh")}
    assert {each.id for each in mara.invoices.list()} & {retail.id} == set()
    assert {each.id for each in ines.invoices.list()} == {retail.id}
    assert {each.id for each in edda.invoices.list()} == {retail.id, cost.id}
    for client, secret in ((mara, retail), (ines, cost)):
        for path in (f"invoices/{secret.id}", f"charges/{secret.lines[0].charge_id}", f"invoices/{secret.id}/pdf"):
            assert client.connection.http.get(path).status_code == 404
    assert {card.slug for card in mara.catalogue.rate_cards()} == {"tenants-eur", "resellers-gbp", "own-cost"}
    assert {card.slug for card in ines.catalogue.rate_cards()} == {"oxbow-gbp"}
    assert (
        mara.connection.http.post("bill-runs", json={"organisation": "oxbow", "period": "2026-09"}).status_code == 404
    )


def test_a_buyer_does_not_see_drafts(world: World) -> None:
    world.send(egress("a", 10**12))
    draft = world.close("oxbow", "edda", "2026-09", issue=False)[0]
    assert world.user("ines").invoices.list() == []
    assert world.user("ines").connection.http.get(f"invoices/{draft.id}").status_code == 404


def test_a_token_reaches_its_own_organisation_only(world: World) -> None:
    token = world.user("edda").tokens.create("oxbow", name="x", role=Role.VIEWER)
    with Client(world.url, token.secret) as program:
        assert {each.slug for each in program.organisations.list()} == {"oxbow", "saltmarsh", "thistledown"}
        assert program.connection.http.get("organisations/quillstone").status_code == 404
        assert (
            program.connection.http.post("organisations/oxbow/projects", json={"slug": "x", "name": "x"}).status_code
            == 403
        )
        world.user("edda").tokens.revoke(token.id)
        assert program.connection.http.get("organisations").status_code == 401
    with Client(world.url, "gdm_made-up") as program:
        assert program.connection.http.get("organisations").status_code == 401
    with pytest.raises(Forbidden, match="membership as administrator"):
        world.user("piers").tokens.create("oxbow", name="x", role=Role.ADMINISTRATOR)
    assert world.user("ines").connection.http.delete(f"tokens/{uuid4()}").status_code == 404
