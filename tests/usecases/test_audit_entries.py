"""The record: what was done, by whom, with which token and from where, before and after; in the same transaction."""

from datetime import date
from decimal import Decimal

import pytest

from gradumen.client import Client
from gradumen.core.errors import Forbidden, NotFound, NotSignedIn, QuotaExceeded
from gradumen.core.permissions import Role
from gradumen.wire.audit_entries import AuditEntryBody
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange
from tests.world import EMAILS, World, egress, files, rate_card


def newest(world: World, user: str, organisation: str, action: str) -> AuditEntryBody:
    return world.user(user).audit_entries.list(organisation, action=action, limit=1)[0]


def test_what_changes_money_and_quotas_is_on_record(world: World) -> None:
    mara, finn = world.mara, world.user("finn")
    world.send(egress("a", 10**12, owner="quillstone/archive"))
    issued = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    entry = newest(world, "mara", "tarnwick", "invoice issued")
    assert entry.user == EMAILS["finn"] and entry.address == "127.0.0.1" and entry.token is None
    assert world.mara.audit_entries.list("tarnwick", search=issued.number or "")[0].after == {
        "gross": f"{issued.gross} EUR",
        "period": "2026-09",
        "buyer": "quillstone",
    }
    mara.tax_rates.set("tarnwick", country="NL", percent=Decimal(21), starts_on=date(2026, 1, 1), category="S")
    mara.tax_rates.set("tarnwick", country="NL", percent=Decimal(9), starts_on=date(2026, 1, 1), category="S")
    mara.tax_rates.set("tarnwick", country="NL", percent=Decimal(9), starts_on=date(2026, 1, 1), category="S")
    rates = mara.audit_entries.list("tarnwick", search="NL")
    assert [(each.before or {}).get("percent", "none") for each in rates] == ["21.0000", "none"] or len(rates) == 2
    mara.quotas.grant("oxbow", "storage", Decimal(0), label="none yet")
    grant = newest(world, "mara", "tarnwick", "quota set")
    assert (grant.subject, grant.concerns) == ("oxbow: storage", "oxbow")
    finn.catalogue.publish("tarnwick", files(rate_card("tenants-eur", "EUR", "tenants", "2", "2026-11-01")))
    assert newest(world, "mara", "tarnwick", "catalogue published").subject == "rate-card tenants-eur"
    held = mara.subscriptions.list("quillstone")[0]
    mara.subscriptions.change(held.id, SubscriptionChange(starts_on=date(2026, 10, 9), quantity=4))
    change = newest(world, "mara", "tarnwick", "subscription changed")
    assert change.before is not None and change.after is not None
    assert (change.before["quantity"], change.after["quantity"], change.after["from"]) == (1, 4, "2026-10-09")


def test_what_is_refused_or_changes_nothing_is_not_on_record(world: World) -> None:
    before = len(world.mara.audit_entries.list("tarnwick"))
    world.mara.quotas.grant("oxbow", "storage", Decimal(10))
    assert len(world.mara.audit_entries.list("tarnwick")) == before + 1
    world.mara.quotas.grant("oxbow", "storage", Decimal(10))
    with pytest.raises(QuotaExceeded):
        world.user("edda").quotas.grant("saltmarsh", "storage", Decimal(11))
    world.mara.catalogue.compare("tarnwick", files(rate_card("x", "EUR", "named", "1")))
    assert len(world.mara.audit_entries.list("tarnwick")) == before + 1


def test_sign_ins_and_failed_ones_are_on_record(world: World) -> None:
    with Client(world.url) as client:
        with pytest.raises(NotSignedIn):
            client.sign_in(EMAILS["una"], "not this one")
        with pytest.raises(NotSignedIn):
            client.sign_in("nobody@nowhere.example", "not this one")
    join_una = world.user("una").session().email
    world.mara.session()
    found = [each.subject for each in world.mara.audit_entries.list("tarnwick", action="sign-in failed")]
    assert found == ["nobody@nowhere.example"], "of no organisation; those of quillstone are quillstone's"
    assert join_una == EMAILS["una"]


def test_a_token_is_named_and_a_buyer_reads_what_its_seller_did_without_its_people(world: World) -> None:
    edda = world.user("edda")
    token = edda.tokens.create("oxbow", name="nightly", role=Role.ADMINISTRATOR)
    with Client(world.url, token.secret) as program:
        program.quotas.grant("saltmarsh", "processors", Decimal(0), label="trial")
    mine = newest(world, "edda", "oxbow", "quota set")
    assert (mine.user, mine.token, mine.concerns) == (EMAILS["edda"], "nightly", "saltmarsh")
    theirs = newest(world, "ines", "saltmarsh", "quota set")
    assert (theirs.organisation, theirs.user, theirs.token, theirs.address) == ("oxbow", "", None, "")


def test_who_is_above_the_own_seller_is_not_named(world: World) -> None:
    """Tarnwick made Saltmarsh; Saltmarsh buys from Oxbow, and knows of nobody above it."""
    made = newest(world, "ines", "saltmarsh", "organisation made")
    assert (made.organisation, made.user, made.concerns) == ("", "", "saltmarsh")
    assert "tarnwick" not in world.user("ines").connection.http.get("organisations/saltmarsh/audit-entries").text
    assert newest(world, "edda", "oxbow", "organisation made").organisation == "tarnwick"


def test_the_record_is_for_administrators_of_the_organisation(world: World) -> None:
    for user, organisation in (("finn", "tarnwick"), ("oda", "tarnwick"), ("mara", "oxbow"), ("piers", "oxbow")):
        with pytest.raises(Forbidden):
            world.user(user).audit_entries.list(organisation)
    for user in ("ines", "una"):
        with pytest.raises(NotFound):
            world.user(user).audit_entries.list("oxbow")


def test_the_record_comes_in_pages(world: World) -> None:
    for number in range(9):
        world.mara.projects.create("tarnwick", slug=f"p{number}", name="P")
    whole = world.mara.audit_entries.list("tarnwick")
    http = world.mara.connection.http
    found, after = [], None
    while True:
        query = {"limit": "2", **({"after": after} if after else {})}
        page = http.get("organisations/tarnwick/audit-entries", params=query).json()
        found += [each["id"] for each in page["items"]]
        after = page["next"]
        if after is None:
            break
    assert found == [str(each.id) for each in whole]
    assert http.get("organisations/tarnwick/audit-entries", params={"after": "x"}).status_code == 422
