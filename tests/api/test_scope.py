"""Every route, with every role and a foreign organisation: outside the scope is 404, 403 only for what one may see."""

from base64 import b64encode
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID, uuid4

import httpx
import pytest
import yaml
from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.client import Client
from gradumen.client.metering.readings import BATCH
from gradumen.core.errors import Forbidden
from gradumen.core.metering.uploads import UploadState
from gradumen.core.permissions import Role
from gradumen.core.subscriptions.orders import OrderKind
from gradumen.store.metering.breaches import Limited
from gradumen.store.metering.feeds import find_feed
from gradumen.store.metering.uploads import UploadRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.usecases.metering.limit_watch import new_breach
from gradumen.wire.access.programs import ProgramPlan
from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.organisations.clouds import CloudCreate
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.organisations.sites import SiteCreate
from gradumen.wire.quotas.pools import PoolCreate
from gradumen.wire.subscriptions.onboardings import OnboardingSketch
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeCreate
from gradumen.wire.subscriptions.orders import OrderCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.conftest import Service
from tests.world import EMAILS, PASSWORD, SERVICES, World, egress, files, join, rate_card, reading

PUBLIC = {"healthz", "readyz", "read_set_up", "set_up", "sign_in", "sign_out", "accept_invitation"}
PUBLIC |= {"reset_password", "ask_password_reset"}


@dataclass(frozen=True)
class Side:
    """A seller with a buyer, and what is theirs."""

    seller: str
    buyer: str
    project: str
    card: str
    against: str
    plan: str
    feed: str
    admin: str
    finance: str


TARNWICK = Side(
    "tarnwick", "quillstone", "archive", "tenants-eur", "tarnwick/own-cost", "open-range", "north-fell", "mara", "finn"
)
OXBOW = Side(
    "oxbow", "saltmarsh", "booking", "oxbow-gbp", "tarnwick/resellers-gbp", "hill-range", "vaults", "edda", "piers"
)
FILE = {"name": "a.csv", "content": b64encode(b"id,bytes,at\nx,1,2026-09-01T00:00:00Z\n").decode()}
TRIAL = {
    "feed": "any", "source": "s", "resource": "r", "meter": "m", "unit": "u", "start": "2026-09-01T00:00:00Z",
}  # fmt: skip
UPLOAD = {"name": "a.csv", "size": 1, "sha256": "0" * 64}
MAPPING = {
    "identity": ["id"],
    "measured": [{"quantity": {"column": "bytes"}, "meter": {"text": "network/egress"}, "unit": {"text": "byte"}}],
    "resource": {"column": "id"},
    "start": {"column": "at"},
    "lasts": "hour",
}
PULL = {
    "endpoint": "http://127.0.0.1:9",
    "queries": [
        {"name": "x", "query": "x", "meter": "network/egress", "unit": "byte", "how": "counter", "resource": ["x"]}
    ],
    "starts_at": "2026-10-01T00:00:00Z",
}
RANGE = {"first": "2026-09-01", "until": "2026-09-20"}
EXCHANGE = {"currency": "SEK", "into": "EUR", "starts_on": "2026-09-01", "rate": "0.09", "source": "ours"}
SEATS = {"measure": "seats", "unit": "seat", "kind": "stock"}
OWN = """
service: lookout
name: Lookout
category: Other
subcategory: Other
meters:
  kept: {name: Kept, unit: byte, combine: sum}
---
plan: hill-range
name: Hill Range
services: [lookout]
tiers: [{tier: heath, name: Foothill}]
"""


@dataclass(frozen=True)
class Call:
    """A call about a buyer, or a thing of its seller's or its own."""

    method: str
    path: str
    body: Any = None
    query: dict[str, Any] = field(default_factory=dict)
    foreign: int = 404
    """What those beside and below get: neither members of buyer or seller, nor above them."""
    viewer: int = 200
    """What a viewer of the seller gets, who sees all of it."""
    above: int = 403
    """What an administrator above the seller gets, who sees structure and quotas and nothing of the business."""
    headers: dict[str, str] = field(default_factory=dict)


def calls(side: Side, invoice: InvoiceBody, world: World, service: Service) -> dict[str, Call]:
    org, own = f"organisations/{side.buyer}", f"organisations/{side.seller}"
    admin, finance = world.user(side.admin), world.user(side.finance)
    feed = {"feed": f"{side.seller}/{side.feed}"}
    september = {**feed, "period": "2026-09"}
    upload = uploaded(side, service)
    delivery = admin.readings.send(feed["feed"], [egress("late", 1, owner=None, resource="spare")]).delivery_id
    world.settle()
    charge = next(line.charge_id for line in invoice.lines if line.rate == "egress")
    run = finance.bill_runs.list(side.seller)[0].id
    spent = {"organisation": side.buyer, "from": "2026-09-01", "to": "2026-10-01"}
    charged = admin.spend.charges(side.buyer, first=date(2026, 9, 1), end=date(2026, 10, 1)).items[0].id
    subscription = next(each.id for each in admin.subscriptions.list(side.buyer) if each.name == "Open Range")
    token = admin.tokens.create(side.seller, name="x", role=Role.VIEWER).id
    member = next(each.user_id for each in admin.members.list(side.seller) if each.email == EMAILS[side.finance])
    invitation = admin.invitations.create(side.seller, email=f"guest@{side.seller}.example", role=Role.VIEWER).id
    keeper = f"keeper@{side.seller}.example"
    join(world, side.admin, side.seller, keeper, Role.VIEWER, [ProgramPlan(name="x", role=Role.VIEWER)])
    with Client(world.url) as client:
        client.sign_in(keeper, PASSWORD)
        planned = client.programs.list()[0].id
    one_off = {
        "seller": side.seller,
        "organisation": side.buyer,
        "subscription": "Open Range",
        "day": "2026-10-01",
        "description": "Moving in",
        "amount": "10",
        "currency": invoice.currency,
    }
    entered = admin.one_off_charges.enter(OneOffChargeCreate.model_validate(one_off)).id
    rule = {"subscription": "Open Range", "starts_on": "2026-10-01", "conditions": {"service": "compute"}}
    new = {"slug": "new", "name": "New"}
    drafts = f"{own}/unpublished-changes"
    kept = yaml.safe_load(SERVICES.split("---")[0].replace("compute", f"kept-by-{side.seller}"))
    name = kept["service"]
    admin.unpublished_changes.save(side.seller, "service", name, kept)
    estimate = {"organisation": side.buyer, "plan": "open-range", "tier": "moor"}
    cards = [{"name": "a.yaml", "content": rate_card(side.card, invoice.currency, "tenants", "2")}]
    priced_again = {"period": "2026-09", "files": cards}
    asked = admin.what_ifs.ask(side.seller, "2026-09", files(cards[0]["content"])).id
    what_if = admin.what_ifs.wait(asked, seconds=60).id
    trial = admin.ownership_trials.ask(side.seller, []).id
    subscribe = {"organisation": side.buyer, "plan": "open-range", "tier": "moor", "name": "y"}
    tenant = {"parent": side.seller, "type": "tenant", "slug": "new", "name": "N", "country": "IE", "currency": "EUR"}
    tax = {"country": "IE", "starts_on": "2020-01-01", "category": "S", "percent": "23"}
    published = {
        "organisation": side.seller,
        "files": [{"name": "a.yaml", "content": rate_card("x", "EUR", "named", "1")}],
    }
    more = {"measure": "memory", "limit": "8", "reason": "More"}
    wanted, order = requested(side, world), ordered(side, invoice.currency, world)
    placed = {"kind": "subscribe", "day": "2026-11-01", "plan": "open-range", "tier": "heath", "name": "z"}
    refusal = {"approve": False, "reason": "No room"}
    breach = breached(side, service)
    newcomer = {"slug": f"new-of-{side.seller}", "name": "New", "subscriptions": [{"plan": side.plan, "tier": "heath"}]}
    sketch = admin.onboardings.draft(side.seller, OnboardingSketch(name="Quillstone Annexe")).id
    cloud = {"slug": "fell", "name": "Fell", "endpoint": world.cloud, "secret": "s"}
    fell = admin.clouds.register(side.seller, CloudCreate.model_validate(cloud)).id
    site = admin.sites.register(side.seller, SiteCreate(slug="ox-meadow", name="Ox Meadow")).id
    capacity = {"site": f"{site}", "name": "Ox Racks", "measure": "machines", "capacity": "9", "behind": "Shed 4"}
    pool = admin.pools.make(side.seller, PoolCreate.model_validate({"slug": "ox-racks", **capacity})).id
    said, bound = {"answer": "refuse", "reason": "No"}, {"subject": "SEK", "amount": "5"}
    limits = [{"organisation": side.buyer, "measure": "storage", "limit": "0"}]
    code, move = {"code": "123456"}, {"to": side.seller, "starts_on": "2026-12-01", "reason": "x"}
    message, text = admin.messages.list(side.seller, limit=1)[0].id, {"subject": "x", "body": "y"}
    versions = {"before": "1", "after": "1"}
    return {
        "read_session": Call("GET", "session", foreign=200, above=200),
        "list_sessions": Call("GET", "sessions", foreign=200, above=200),
        "end_session": Call("DELETE", "sessions/none", foreign=204, viewer=204, above=204),
        "change_password": Call(
            "POST", "session/password", {"current": "x", "new": "y"}, foreign=401, viewer=401, above=401
        ),
        "list_tokens": Call("GET", "tokens", foreign=200, above=200),
        "create_token": Call("POST", "tokens", {"organisation": side.buyer, "name": "x", "role": "viewer"}, viewer=403),
        "revoke_token": Call("DELETE", f"tokens/{token}", viewer=404, above=404),
        "list_programs": Call("GET", "programs", foreign=200, above=200),
        "collect_token": Call("POST", f"programs/{planned}/token", viewer=404, above=404),
        "drop_program": Call("DELETE", f"programs/{planned}", viewer=404, above=404),
        "list_members": Call("GET", f"{own}/members"),
        "set_member_services": Call("PUT", f"{own}/members/{member}/services", {"services": None}, viewer=403),
        "set_invitation_services": Call(
            "PUT", f"invitations/{invitation}/services", {"services": []}, viewer=404, above=404
        ),
        "change_member": Call("PATCH", f"{own}/members/{member}", {"role": "viewer"}, viewer=403),
        "remove_member": Call("DELETE", f"{own}/members/{member}", viewer=403),
        "make_password_reset": Call("POST", f"{own}/members/{member}/password-reset", viewer=403),
        "list_invitations": Call("GET", f"{own}/invitations", viewer=403),
        "invite_member": Call("POST", f"{own}/invitations", {"email": "new@x.example", "role": "viewer"}, viewer=403),
        "withdraw_invitation": Call("DELETE", f"invitations/{invitation}", viewer=404, above=404),
        "list_messages": Call("GET", f"{own}/messages", viewer=403),
        "retry_message": Call("POST", f"messages/{message}/retry", viewer=404, above=404),
        "list_notices": Call("GET", "notices", foreign=200, above=200),
        "read_notices": Call(
            "POST", "notices/read", {"until": "2026-10-01T00:00:00Z"}, foreign=204, viewer=204, above=204
        ),
        "list_message_texts": Call("GET", f"{own}/message-texts", viewer=403),
        "write_message_text": Call("PUT", f"{own}/message-texts/invoice", text, viewer=403),
        "drop_message_text": Call("DELETE", f"{own}/message-texts/invoice", viewer=403),
        "try_message_text": Call("POST", f"{own}/message-texts/invoice/try", text, viewer=403),
        "read_second_factor": Call("GET", "session/second-factor", foreign=200, above=200),
        "begin_second_factor": Call(
            "POST", "session/second-factor", {"password": "x"}, foreign=401, viewer=401, above=401
        ),
        "confirm_second_factor": Call(
            "POST", "session/second-factor/confirm", code, foreign=409, viewer=409, above=409
        ),
        "renew_recovery_codes": Call(
            "POST", "session/second-factor/recovery-codes", code, foreign=422, viewer=422, above=422
        ),
        "drop_second_factor": Call("POST", "session/second-factor/drop", code, foreign=422, viewer=422, above=422),
        "take_second_factor": Call("DELETE", f"{own}/members/{member}/second-factor", viewer=403),
        "read_sign_in_policy": Call("GET", f"{own}/sign-in-policy", viewer=403),
        "set_sign_in_policy": Call("PUT", f"{own}/sign-in-policy", {"second_factor": "nobody"}, viewer=403),
        "list_audit_entries": Call("GET", f"{own}/audit-entries", viewer=403),
        "list_organisations": Call("GET", "organisations", foreign=200, above=200),
        "create_organisation": Call("POST", "organisations", tenant, viewer=403, above=201),
        "read_organisation": Call("GET", org, above=200),
        "list_projects": Call("GET", f"{org}/projects", above=200),
        "change_organisation": Call("PATCH", org, {"cost_centre": "C-7"}, viewer=403, above=200),
        "read_details": Call("GET", f"{org}/details"),
        "change_details": Call("PUT", f"{org}/details", {"town": "Moorside"}, viewer=403),
        "list_states": Call("GET", f"{org}/states", above=200),
        "change_state": Call("POST", f"{org}/states", {"state": "active"}, viewer=403, above=200),
        "withdraw_planned": Call("DELETE", f"{org}/states/planned", viewer=403, above=200),
        "list_sites": Call("GET", f"{org}/sites", above=200),
        "register_site": Call("POST", f"{own}/sites", {"slug": "new-site", "name": "New"}, viewer=403),
        "change_site": Call("PATCH", f"sites/{site}", {"version": 1, "name": "Ox Meadow"}, viewer=403, above=404),
        "list_pools": Call("GET", f"{own}/pools"),
        "make_pool": Call("POST", f"{own}/pools", {"slug": "new-pool", **capacity}, viewer=403, above=404),
        "change_pool": Call("PATCH", f"pools/{pool}", {"version": 1, "capacity": "8"}, viewer=403, above=404),
        "list_site_quotas": Call("GET", f"{org}/site-quotas", above=200),
        "grant_site_quota": Call("PUT", f"{org}/site-quotas/{site}/machines", {"limit": None}, viewer=403, above=404),
        "read_permitted_sites": Call("GET", f"{org}/permitted-sites", above=200),
        "set_permitted_sites": Call("PUT", f"{org}/permitted-sites", {"sites": None}, viewer=403, above=200),
        "list_pool_days": Call("GET", f"pools/{pool}/days", above=404),
        "retire_pool": Call("DELETE", f"pools/{pool}", viewer=403, above=404),
        "retire_site": Call("DELETE", f"sites/{site}", viewer=403, above=404),
        "list_moves": Call("GET", f"{org}/moves", above=200),
        "plan_move": Call("POST", f"{org}/moves", move, viewer=403, above=409),
        "withdraw_move": Call("POST", f"{org}/moves/{UUID(int=7)}/withdraw", viewer=404, above=404),
        "create_project": Call("POST", f"{org}/projects", new, viewer=403, above=201),
        "change_project": Call(
            "PATCH", f"{org}/projects/{side.project}", {"version": 1, "name": "N"}, viewer=403, above=200
        ),
        "read_project_levels": Call("GET", f"{org}/project-levels", above=200),
        "set_project_levels": Call("PUT", f"{org}/project-levels", {"names": []}, viewer=403),
        "read_project_sites": Call("GET", f"{org}/projects/{side.project}/permitted-sites", above=200),
        "set_project_sites": Call(
            "PUT", f"{org}/projects/{side.project}/permitted-sites", {"sites": None}, viewer=403, above=200
        ),
        "read_project_people": Call("GET", f"{org}/projects/{side.project}/people", viewer=403),
        "set_project_people": Call("PUT", f"{org}/projects/{side.project}/people", {}, viewer=403),
        "list_quotas": Call("GET", f"{org}/quotas", above=200),
        "list_quota_changes": Call("GET", f"{org}/quotas/changes", above=200),
        "grant_quota": Call("PUT", f"{org}/quotas/storage", {"limit": "0"}, viewer=403, above=200),
        "grant_project_quota": Call(
            "PUT", f"{org}/projects/{side.project}/quotas/storage", {"limit": "0"}, viewer=403, above=200
        ),
        "read_quota_matrix": Call("GET", f"{own}/quota-matrix", above=200),
        "change_quota_matrix": Call("PUT", f"{own}/quota-matrix", {"changes": limits}, viewer=403, above=200),
        "list_quota_requests": Call("GET", f"{own}/quota-requests", above=200),
        "ask_quota": Call("POST", f"{org}/quota-requests", more, viewer=403),
        "answer_quota_request": Call("POST", f"quota-requests/{wanted}/answer", {"limit": "0"}, viewer=403, above=404),
        "withdraw_quota_request": Call("POST", f"quota-requests/{wanted}/withdraw", viewer=403, above=404),
        "list_orders": Call("GET", f"{own}/orders", above=200),
        "place_order": Call("POST", f"{org}/orders", placed, viewer=403),
        "answer_order": Call("POST", f"orders/{order}/answer", refusal, viewer=403, above=404),
        "withdraw_order": Call("POST", f"orders/{order}/withdraw", viewer=403, above=404),
        "list_order_policies": Call("GET", f"{own}/order-policies"),
        "set_order_policy": Call("PUT", f"{own}/order-policies", {"currency": "SEK", "amount": "5"}, viewer=403),
        "compare_catalogue": Call("POST", "catalogue/compare", published, viewer=403),
        "publish_catalogue": Call("POST", "catalogue/publish", published, viewer=403),
        "list_services": Call("GET", "services", foreign=200, above=200),
        "list_plans": Call("GET", "plans", foreign=200, above=200),
        "list_offers": Call("GET", f"{own}/offers"),
        "compare_prices": Call(
            "GET", f"rate-cards/{side.seller}/{side.card}/margins", query={"against": side.against}, above=404
        ),
        "list_price_changes": Call("GET", "price-changes", foreign=200, above=200),
        "list_rate_cards": Call("GET", "rate-cards", foreign=200, above=200),
        "read_rate_card": Call("GET", f"rate-cards/{side.seller}/{side.card}", above=404),
        "read_rate_card_file": Call("GET", f"rate-cards/{side.seller}/{side.card}/file", above=404),
        "read_catalogue_schema": Call("GET", "catalogue/schema", foreign=200, above=200),
        "list_plan_versions": Call("GET", f"plans/{side.plan}/versions", above=404),
        "set_tier_sale": Call(
            "PUT", f"plans/{side.plan}/tiers/heath/sale", {"withdrawn_on": None}, viewer=403, above=404
        ),
        "compare_plan_versions": Call("GET", f"plans/{side.plan}/differences", query=versions, above=404),
        "compare_rate_card_versions": Call(
            "GET", f"rate-cards/{side.seller}/{side.card}/differences", query=versions, above=404
        ),
        "list_unpublished_changes": Call("GET", drafts, viewer=403),
        "read_unpublished_change": Call("GET", f"{drafts}/service/{name}", viewer=403),
        "check_unpublished_change": Call("POST", f"{drafts}/service/{name}/check", viewer=403),
        "save_unpublished_change": Call(
            "PUT", f"{drafts}/service/new", {"organisation": side.seller, "form": {"service": "new"}}, viewer=403
        ),
        "publish_unpublished_change": Call(
            "POST", f"{drafts}/service/{name}/publish", headers={"If-Match": "1"}, viewer=403
        ),
        "discard_unpublished_change": Call("DELETE", f"{drafts}/service/{name}", viewer=403),
        "estimate_price": Call("POST", "estimates", estimate),
        "check_coverage": Call(
            "POST", "estimates/coverage", {"organisation": side.seller, "plan": side.plan}, viewer=403
        ),
        "ask_what_if": Call("POST", f"{own}/what-ifs", priced_again, viewer=403),
        "list_what_ifs": Call("GET", f"{own}/what-ifs", viewer=403),
        "read_what_if": Call("GET", f"what-ifs/{what_if}", viewer=403, above=404),
        "list_what_if_amounts": Call("GET", f"what-ifs/{what_if}/amounts", viewer=403, above=404),
        "ask_ownership_trial": Call("POST", f"{own}/ownership-trials", {"rules": []}, viewer=403),
        "list_ownership_trials": Call("GET", f"{own}/ownership-trials", viewer=403),
        "read_ownership_trial": Call("GET", f"ownership-trials/{trial}", viewer=403, above=404),
        "onboard_customers": Call("POST", f"{own}/onboardings", {"customers": [newcomer]}, viewer=403),
        "list_onboardings": Call("GET", f"{own}/onboardings"),
        "draft_onboarding": Call("POST", f"{own}/onboardings/drafts", {"name": "N"}, viewer=403),
        "get_onboarding": Call("GET", f"onboardings/{sketch}", above=404),
        "save_onboarding": Call("PUT", f"onboardings/{sketch}", {"version": 1, "wanted": {}}, viewer=403, above=404),
        "check_onboarding": Call("POST", f"onboardings/{sketch}/check", viewer=403, above=404),
        "submit_onboarding": Call("POST", f"onboardings/{sketch}/submit", {"version": 1}, viewer=403, above=404),
        "answer_onboarding": Call("POST", f"onboardings/{sketch}/answer", said, viewer=403, above=404),
        "withdraw_onboarding": Call("POST", f"onboardings/{sketch}/withdraw", viewer=403, above=404),
        "discard_onboarding": Call("DELETE", f"onboardings/{sketch}", viewer=403, above=404),
        "undo_onboarding": Call("POST", f"onboardings/{sketch}/undo", viewer=403, above=404),
        "list_clouds": Call("GET", f"{own}/clouds"),
        "register_cloud": Call("POST", f"{own}/clouds", {**cloud, "slug": "other"}, viewer=403),
        "change_cloud": Call("PATCH", f"clouds/{fell}", {"version": 1, "name": "X"}, viewer=403, above=404),
        "try_cloud": Call("POST", f"clouds/{fell}/try", viewer=403, above=404),
        "list_hosts": Call("GET", f"clouds/{fell}/hosts", above=404),
        "look_at_hosts": Call("POST", f"clouds/{fell}/hosts/look", viewer=403, above=404),
        "list_host_days": Call("GET", f"clouds/{fell}/host-days", above=404),
        "retire_cloud": Call("DELETE", f"clouds/{fell}", viewer=403, above=404),
        "list_cloud_accounts": Call("GET", f"{org}/cloud-accounts"),
        "list_first_readings": Call("GET", f"{org}/first-readings"),
        "list_onboarding_policies": Call("GET", f"{own}/onboarding-policies"),
        "set_onboarding_policy": Call("PUT", f"{own}/onboarding-policies", bound, viewer=403),
        "list_subscriptions": Call("GET", f"{org}/subscriptions", above=200),
        "create_subscription": Call("POST", "subscriptions", {**subscribe, "starts_on": "2026-09-01"}, viewer=403),
        "change_subscription": Call(
            "POST", f"subscriptions/{subscription}/change", {"starts_on": "2026-09-01", "quantity": 1}, viewer=403
        ),
        "end_subscription": Call("PATCH", f"subscriptions/{subscription}", {"ends_on": None}, viewer=403),
        "agree_special_terms": Call(
            "POST",
            f"subscriptions/{subscription}/special-terms",
            {"seller": side.seller, "starts_on": "2026-09-01", "special_terms": {}},
            viewer=403,
        ),
        "read_month_margins": Call("GET", f"{own}/margins"),
        "list_special_terms": Call("GET", f"{own}/special-terms"),
        "list_assignment_rules": Call("GET", f"{org}/assignment-rules"),
        "set_assignment_rule": Call("PUT", f"{org}/assignment-rules/new", rule, viewer=403),
        "delete_assignment_rule": Call("DELETE", f"{org}/assignment-rules/new", viewer=403),
        "list_one_off_charges": Call("GET", f"{own}/one-off-charges"),
        "enter_one_off_charge": Call("POST", "one-off-charges", one_off, viewer=403),
        "withdraw_one_off_charge": Call("POST", f"one-off-charges/{entered}/withdraw", viewer=403, above=404),
        "list_feeds": Call("GET", f"{own}/feeds"),
        "list_feed_arrivals": Call("GET", f"{own}/feed-arrivals"),
        "create_feed": Call("POST", f"{own}/feeds", new, viewer=403),
        "allow_sender": Call("PUT", "feeds/senders", {**feed, "email": EMAILS[side.admin]}, viewer=403, above=404),
        "list_cloud_feeds": Call("GET", f"{own}/cloud-feeds"),
        "set_cloud_feed": Call("PUT", f"clouds/{fell}/feed", feed, viewer=403, above=404),
        "drop_cloud_feed": Call("DELETE", f"clouds/{fell}/feed", viewer=403, above=404),
        "list_feed_precedences": Call("GET", f"{own}/feed-precedences"),
        "set_feed_precedences": Call("PUT", "feeds/precedences", {"to": []}, feed, viewer=403, above=404),
        "compare_feed": Call("GET", "feeds/comparison", query=september, above=404),
        "list_ownership_rules": Call("GET", f"{own}/ownership-rules"),
        "set_ownership_rules": Call("PUT", f"{own}/ownership-rules", {"version": 0, "rules": []}, viewer=403),
        "preview_ownership_rules": Call("POST", f"{own}/ownership-rules/preview", {"rules": []}, viewer=403),
        "list_kind_rules": Call("GET", f"{own}/kind-rules"),
        "set_kind_rules": Call("PUT", f"{own}/kind-rules", {"version": 0, "rules": []}, viewer=403),
        "preview_kind_rules": Call("POST", f"{own}/kind-rules/preview", {"rules": []}, viewer=403),
        "try_reading": Call("POST", f"{own}/kind-rules/trial", TRIAL, viewer=403),
        "list_unknown_kinds": Call("GET", f"{own}/unknown-kinds", query={"period": "2026-09"}),
        "get_resource_facts": Call("GET", f"{org}/resource-facts", query={"resource": "vm-1"}, above=200),
        "list_resource_owners": Call("GET", f"{own}/resource-owners", query={"period": "2026-09", "resource": "vm-1"}),
        "list_unowned_usage": Call("GET", f"{own}/unowned-usage", query={"period": "2026-09"}),
        "list_usage_balances": Call("GET", f"{own}/usage-balances", query={"period": "2026-09"}),
        "list_not_priced": Call("GET", f"{own}/not-priced", query={"period": "2026-09"}),
        "list_feed_balances": Call("GET", f"{own}/feed-balances", query={"period": "2026-09"}),
        "sign_off_feed": Call("PUT", "feeds/sign-off", {"reason": "x"}, september, viewer=403, above=404),
        "withdraw_feed_sign_off": Call("DELETE", "feeds/sign-off", None, september, viewer=403, above=404),
        "list_deliveries": Call("GET", "deliveries", query=feed, above=404),
        "list_refused_items": Call("GET", "refused-items", query=feed, above=404),
        "write_refused_items": Call("GET", "refused-items/file", query=feed, above=404),
        "get_file_mapping": Call("GET", "feeds/file-mapping", query=feed, above=404),
        "set_file_mapping": Call(
            "PUT", "feeds/file-mapping", {"version": 0, "mapping": MAPPING}, feed, viewer=403, above=404
        ),
        "look_at_file": Call("POST", "feeds/file-looks", FILE, feed, viewer=403, above=404),
        "send_file": Call("POST", "deliveries/files", FILE | {"mapping": MAPPING}, feed, viewer=403, above=404),
        "list_pulls": Call("GET", f"{own}/pulls", above=403),
        "get_pull": Call("GET", "feeds/pull", query=feed, above=404),
        "set_pull": Call("PUT", "feeds/pull", {"version": 0, "pull": PULL}, feed, viewer=403, above=404),
        "drop_pull": Call("DELETE", "feeds/pull", None, feed, viewer=403, above=404),
        "pause_pull": Call("PUT", "feeds/pull/paused", {"paused": True}, feed, viewer=403, above=404),
        "pull_again": Call("POST", "feeds/pull/runs", {"since": None}, feed, viewer=403, above=404),
        "list_pulled_files": Call("GET", "feeds/pull/files", query=feed, above=404),
        "confirm_pulled_file": Call("POST", "feeds/pull/files/confirm", {"name": "x.csv"}, feed, viewer=403, above=404),
        "try_pull": Call("POST", "feeds/pull/try", {"pull": PULL}, feed, viewer=403, above=404),
        "get_cost_meter": Call("GET", "feeds/cost-meter", query=feed, above=404),
        "set_cost_meter": Call("PUT", "feeds/cost-meter", {"meter": None}, feed, viewer=403, above=404),
        "send_costs": Call("POST", "deliveries/cost-files", FILE, feed, viewer=403, above=404),
        "begin_upload": Call("POST", "uploads", UPLOAD, feed, viewer=403, above=404),
        "list_uploads": Call("GET", "uploads", query=feed, above=404),
        "read_upload": Call("GET", f"uploads/{upload}", above=404),
        "send_piece": Call("PUT", f"uploads/{upload}/pieces/0", {"content": "eA=="}, viewer=403, above=404),
        "confirm_upload": Call("POST", f"uploads/{upload}/confirm", viewer=403, above=404),
        "give_up_upload": Call("POST", f"uploads/{upload}/give-up", viewer=403, above=404),
        "list_imported_costs": Call("GET", f"{own}/imported-costs", query={"period": "2026-09"}),
        "list_exchange_rates": Call("GET", f"{own}/exchange-rates"),
        "set_exchange_rates": Call("PUT", f"{own}/exchange-rates", {"rates": [EXCHANGE]}, viewer=403),
        "take_back_delivery": Call("POST", f"deliveries/{delivery}/take-back", viewer=403, above=404),
        "send_readings": Call(
            "POST", "readings", [egress("z", 1)], feed, viewer=403, above=404, headers={"Content-Type": BATCH}
        ),
        "sum_usage": Call("GET", f"{org}/usage", query={"period": "2026-09"}, above=200),
        "start_usage_remake": Call("POST", f"{org}/usage-remakes", {"period": "2026-02"}, viewer=403, above=202),
        "list_spells": Call("GET", f"{org}/spells", query={"period": "2026-09", "resource": "vm-1"}, above=200),
        "list_composites": Call("GET", f"{own}/composites", query={"period": "2026-09", "resource": "vm-1"}, above=403),
        "list_loads": Call("GET", f"{org}/loads", query=RANGE | {"resource": "vm-1"}, above=200),
        "period_so_far": Call("GET", f"{org}/period-so-far", above=200),
        "sum_spend": Call("GET", "spend", query=spent | {"by": ["plan", "resource"]}, above=200),
        "write_spend_file": Call("GET", "spend/file", query=spent | {"by": ["plan", "resource"]}, above=200),
        "list_spent_charges": Call("GET", "spend/charges", query=spent, above=200),
        "explain_spent_charge": Call("GET", f"spend/charges/{charged}", above=404),
        "start_bill_run": Call("POST", "bill-runs", {"organisation": side.seller, "period": "2026-09"}, viewer=403),
        "list_bill_runs": Call("GET", "bill-runs", query={"organisation": side.seller}),
        "read_bill_run": Call("GET", f"bill-runs/{run}", above=404),
        "list_invoices": Call("GET", "invoices", foreign=200, above=200),
        "read_invoice": Call("GET", f"invoices/{invoice.id}", above=404),
        "list_uses": Call("GET", f"{own}/uses", above=200),
        "list_use_days": Call("GET", f"{own}/uses/processors/days", above=200),
        "list_breaches": Call("GET", f"{org}/breaches"),
        "note_breach": Call("PUT", f"breaches/{breach}/note", {"note": "We talk"}, viewer=403, above=404),
        "list_retentions": Call("GET", "retentions", foreign=200, above=200),
        "get_archived_months": Call(
            "GET", "archived-months", foreign=403, viewer=200 if side is TARNWICK else 403, above=200
        ),
        "set_archived_months": Call("PUT", "archived-months", {"before": None}, foreign=403, viewer=403, above=200),
        "list_to_dos": Call("GET", f"{own}/to-dos"),
        "list_tasks": Call("GET", f"{own}/tasks"),
        "read_task": Call("GET", f"tasks/{run}", above=404),
        "retry_task": Call("POST", f"tasks/{run}/retry", viewer=403, above=404),
        "start_issuing": Call("POST", f"{own}/invoices/issue", {"invoices": [str(invoice.id)]}, viewer=403),
        "issue_invoice": Call("POST", f"invoices/{invoice.id}/issue", viewer=403, above=404),
        "discard_draft": Call("DELETE", f"invoices/{invoice.id}", viewer=403, above=404),
        "read_invoice_pdf": Call("GET", f"invoices/{invoice.id}/pdf", above=404),
        "explain_charge": Call("GET", f"charges/{charge}", above=404),
        "list_charge_readings": Call("GET", f"charges/{charge}/readings", above=404),
        "list_billed_months": Call(
            "GET", f"{own}/billed-months", query={"since": "2026-09-01", "used_by": own.rpartition("/")[2]}
        ),
        "list_rating_differences": Call("GET", f"{own}/rating-differences"),
        "list_tax_rates": Call("GET", f"{own}/tax-rates"),
        "set_tax_rate": Call("PUT", f"{own}/tax-rates", tax, viewer=403),
        "read_clock": Call("GET", "clock", foreign=200, above=200),
        "read_metrics": Call("GET", "metrics", viewer=200 if side is TARNWICK else 404, above=200),
        "list_measures": Call("GET", "measures", foreign=200, above=200),
        "define_measure": Call("PUT", "measures", SEATS, foreign=403, viewer=403, above=200),
        "retire_measure": Call("DELETE", "measures/seats", foreign=403, viewer=403, above=204),
        "set_clock": Call("PUT", "clock", {"to": None}, foreign=403, viewer=403, above=200),
    }


def requested(side: Side, world: World) -> UUID:
    """A request of another customer of the seller's for another limit."""
    seller, slug = world.user(side.admin), f"asks-{side.seller}"
    body = OrganisationCreate(parent=side.seller, type="tenant", slug=slug, name="A", country="GB", currency="GBP")
    seller.organisations.create(body)
    seller.quotas.grant(slug, "machines", Decimal(2))
    join(world, side.admin, slug, f"admin@{slug}.example", Role.ADMINISTRATOR)
    return world.user(f"admin@{slug}.example").quota_requests.ask(slug, "machines", Decimal(9), "More").id


def breached(side: Side, service: Service) -> UUID:
    """More in use by the buyer than the seller gave it."""
    with Session(service.uow.engine) as session, session.begin():
        slugs = OrganisationRow.slug.in_([side.seller, side.buyer])
        ids = {row.slug: row.id for row in session.scalars(select(OrganisationRow).where(slugs))}
        held = Limited(ids[side.buyer], "processors", ids[side.buyer], None, ids[side.seller], Decimal(1), None, None)
        row = new_breach(held, Decimal(2), datetime.now(UTC))
        row.crossed, row.limit_value, row.grace_until = "limit", Decimal(1), None
        session.add(row)
        return row.id


def uploaded(side: Side, service: Service) -> UUID:
    """A file of costs on its way to the seller's feed."""
    made = uuid4()

    def write(tx: Session) -> None:
        feed = find_feed(tx, side.seller, side.feed)
        assert feed is not None
        at = datetime.now(UTC)
        tx.add(
            UploadRow(
                public_id=made, feed_id=feed[0].id, known_by=made.bytes, digest=b"x" * 32, name="c.csv", size=1, part=0,
                confirmed=False, state=UploadState.SENDING, confirmable=False, begun_at=at, changed_at=at,
            )
        )  # fmt: skip

    service.uow.run(write)
    return made


def ordered(side: Side, currency: str, world: World) -> UUID:
    """An order of another customer of the seller's that waits for its approval."""
    slug = f"orders-{side.seller}"
    body = OrganisationCreate(parent=side.seller, type="tenant", slug=slug, name="O", country="GB", currency=currency)
    world.user(side.admin).organisations.create(body)
    join(world, side.admin, slug, f"admin@{slug}.example", Role.ADMINISTRATOR)
    wanted = OrderCreate(kind=OrderKind.SUBSCRIBE, day=date(2026, 11, 1), plan="open-range", tier="heath", name="O")
    made = world.user(f"admin@{slug}.example").orders.place(slug, wanted)
    assert made.state == "waiting"
    return made.id


def make(client: httpx.Client, call: Call) -> httpx.Response:
    return client.request(call.method, call.path, json=call.body, params=call.query, headers=call.headers)


def test_every_route_with_every_role_and_a_foreign_organisation(world: World, service: Service) -> None:
    world.send(egress("a", 10**12, owner="quillstone/archive"))
    invoice = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    table = calls(TARNWICK, invoice, world, service)
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
    # Open Range is offered to all of these.
    offered = {"list_plan_versions": 200, "compare_plan_versions": 200}
    for user in ("ines", "vera", "edda", "piers", "wynn"):
        client = world.user(user).connection.http
        for name, call in table.items():
            answer = make(client, call)
            assert answer.status_code == offered.get(name, call.foreign), (user, name, answer.text)
            told = answer.text.replace(call.path, "")
            if answer.status_code == 200:
                assert not any(word in told for word in words), (user, name, told)
    for name, call in table.items():
        answer = make(world.user("oda").connection.http, call)
        assert answer.status_code == call.viewer, (name, answer.text)


def test_above_is_structure_and_quotas_and_nothing_of_the_business(world: World, service: Service) -> None:
    """Every route on a reseller's things: by its own people, from above, from beside and from below."""
    edda = world.user("edda")
    card = rate_card("hills-gbp", "GBP", "named", "1").partition("rates:")[0]
    fee = (
        "rates: [{rate: fee, fee: hill-range/heath, price: 31}, {rate: kept, meter: lookout/kept, per: GiB, price: 7}]"
    )
    edda.catalogue.publish("oxbow", files(OWN, card + fee, "offer: open-range\nto: all\nname: Ox Track"))
    edda.catalogue.publish("oxbow", files("offer: hill-range"))
    edda.feeds.create("oxbow", slug="vaults", name="Vaults")
    edda.subscriptions.create(
        SubscriptionCreate(
            organisation="saltmarsh",
            plan="hill-range",
            tier="heath",
            name="Hills",
            starts_on=date(2026, 9, 1),
            rate_card="hills-gbp",
        )
    )
    kept = reading("k", meter="lookout/kept", quantity="5000", unit="byte", attributes={}, owner="saltmarsh/booking")
    assert edda.readings.send("oxbow/vaults", [kept]).refused == 0
    world.settle()
    world.send(egress("a", 10**12))
    invoice = world.close("oxbow", "piers", "2026-09")[0]
    edda.organisations.change("saltmarsh", segment="ferry-lines")
    join(world, "edda", "oxbow", "viv@oxbow.example", Role.VIEWER)
    table = calls(OXBOW, invoice, world, service)
    secret = (
        *("ox-meadow", "Ox Meadow", "ox-racks", "Ox Racks", "Shed 4"),
        *("lookout", "Lookout", "hill-range", "Foothill", "Ox Track", "Hills", "oxbow-gbp", "hills-gbp", "ferry-lines"),
        *(EMAILS["edda"], EMAILS["piers"], EMAILS["ines"], str(invoice.number), f"{invoice.net}"),
    )
    administrator = {name: call.above for name, call in table.items()}
    changing = ("create_organisation", "change_organisation", "create_project", "grant_quota", "grant_project_quota")
    changing += ("change_project", "set_project_sites")
    changing += ("change_state", "withdraw_planned", "change_quota_matrix", "plan_move")
    changing += ("set_permitted_sites", "grant_site_quota", "start_usage_remake")
    of_all = ("set_clock", "define_measure", "retire_measure", "set_archived_months")
    reading_only = administrator | dict.fromkeys((*changing, *of_all), 403)
    for user, expected in (("oda", reading_only), ("finn", reading_only), ("mara", administrator)):
        for name, call in table.items():
            answer = make(world.user(user).connection.http, call)
            assert answer.status_code == expected[name], (user, name, answer.text)
            asked = f"{call.path} {call.query} {call.body}"
            told = [word for word in secret if word in answer.text and word not in asked]
            assert not told, (user, name, told, answer.text)
    for user in ("una", "wynn"):
        for name, call in table.items():
            if user == "wynn" and name in ("list_plan_versions", "compare_plan_versions"):
                continue
            answer = make(world.user(user).connection.http, call)
            if (user, name) == ("wynn", "read_rate_card"):
                continue
            assert answer.status_code == call.foreign, (user, name, answer.text)
    for name, call in table.items():
        answer = make(world.user("viv@oxbow.example").connection.http, call)
        assert answer.status_code == call.viewer, (name, answer.text)


def test_a_sellers_retail_is_closed_to_its_supplier(world: World) -> None:
    """Tarnwick sees Saltmarsh and its usage, but not what Oxbow takes from it; Saltmarsh not what Oxbow pays."""
    world.send(egress("a", 10**12))
    retail = world.close("oxbow", "edda", "2026-09")[0]
    cost = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "oxbow")
    mara, edda, ines = world.mara, world.user("edda"), world.user("ines")

    def links(client: Client, organisation: str) -> set[tuple[str, str]]:
        return {
            (link.seller, link.buyer) for link in client.spend.period_so_far(organisation, "2026-09", wait=60).links
        }

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
        mara.connection.http.post("bill-runs", json={"organisation": "oxbow", "period": "2026-09"}).status_code == 403
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


RESOLD = """
plan: drift
name: Drift
services: [network, lookout]
tiers: [{tier: low, name: Low}]
---
offer: drift
---
rate-card: oxbow-gbp
name: Oxbow
currency: GBP
starts-on: 2026-10-06
rates:
  - {rate: kept, meter: lookout/kept, per: GiB, price: 1}
  - {rate: egress, meter: network/egress, per: GiB, price: 1}
"""


def test_a_plan_of_a_resellers_making_is_not_named_to_its_supplier(world: World) -> None:
    """Tarnwick sees that Saltmarsh has something of its network, and neither the plan's name nor the tier's."""
    edda = world.user("edda")
    edda.catalogue.publish("oxbow", files(OWN, RESOLD))
    edda.subscriptions.create(
        SubscriptionCreate(
            organisation="saltmarsh", plan="drift", tier="low", name="Second", starts_on=date(2026, 10, 6)
        )
    )
    seen = {
        user: next(each for each in world.user(user).subscriptions.list("saltmarsh") if each.name == "Second")
        for user in ("mara", "edda", "ines")
    }
    assert {user: (each.plan, each.tier, each.stretches[0].tier) for user, each in seen.items()} == {
        "mara": (None, None, None),
        "edda": ("drift", "low", "low"),
        "ines": ("drift", "low", "low"),
    }
    assert "drift" not in world.mara.connection.http.get("organisations/saltmarsh/subscriptions").text
