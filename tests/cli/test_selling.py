"""The command line of who sells what to whom: offers, own terms, rules, charges by hand, margins."""

import json
from decimal import Decimal
from pathlib import Path

import pytest

from gradumen.core.permissions import Role
from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import GIB, World, egress, rate_card

__all__ = ["profiles", "terminal"]

PLAN = """
plan: kit
name: Kit
services: [network]
minimum-months: 3
renewal: {months: 3, notice-days: 30}
terms: {version: t1, text: Be kind.}
tiers:
  - {tier: heath, name: Heath, levels: {copies: 1}}
"""


def test_a_plan_is_offered_and_subscribed_to_with_its_terms(terminal: Terminal, tmp_path: Path) -> None:
    path = tmp_path / "kit.yaml"
    path.write_text(PLAN)
    terminal("catalogue", "publish", str(path))
    create = ("subscriptions", "create", "quillstone", "kit/heath", "--from", "2026-10-01")
    assert "Tarnwick Cloud does not offer kit/heath to Quillstone Observatory" in terminal(*create, exit=1)
    path.write_text("offer: kit\nname: Small Kit\nto: [quillstone]\nrecommended: heath\n")
    assert "offer" in terminal("catalogue", "publish", str(path))
    offers = terminal("catalogue", "offers")
    assert "Small Kit" in offers and "quillstone" in offers and "Heath" in offers
    assert "has the terms 't1'" in terminal(*create, exit=1)
    assert "kit" in terminal(*create, "--accept-terms", "t1")
    listed = json.loads(terminal("subscriptions", "list", "--json"))
    kit = next(each for each in listed if each["plan"] == "kit")
    assert (kit["notice_by"], kit["accepted"][0]["accepted_by"]) == ("2026-12-02", "Mara Fell")
    assert "earliest end from 2026-10-05 is 2027-01-01" in terminal(
        "subscriptions", "end", "quillstone", "kit", "2026-10-31", exit=1
    )
    path.write_text(PLAN.replace("copies: 1", "copies: 2"))
    terminal("catalogue", "publish", str(path))
    changed = terminal("subscriptions", "change", "quillstone", "kit", "--from", "2026-11-01", "--plan-version", "2")
    assert [line.split()[:2] for line in changed.splitlines()[1:]] == [["2026-10-01", "1"], ["2026-11-01", "2"]]
    assert "copies" in terminal("catalogue", "differences", "kit", "1", "2")


def test_own_terms_rules_and_charges_by_hand(terminal: Terminal, world: World) -> None:
    assert "no special terms" in terminal("subscriptions", "special-terms")
    own = ("subscriptions", "agree", "quillstone", "Open Range", "--from", "2026-10-01")
    assert "network/egress 70 GiB" in terminal(*own, "--allowance", "network/egress=70 GiB")
    assert "is not one of" in terminal(*own, "--level", "speed=1", exit=1)
    assert "has no equals sign" in terminal(*own, "--level", "speed", exit=1)
    special_terms = terminal("subscriptions", "special-terms")
    assert "network/egress" in special_terms and "70 GiB" in special_terms
    terminal(*own, "--as-tier")
    assert "no special terms" in terminal("subscriptions", "special-terms")

    assert "no rules" in terminal("assignment-rules", "list", "quillstone")
    rule = ("assignment-rules", "set", "quillstone", "dishes", "Open Range", "--from", "2026-10-01")
    assert "at least one of" in terminal(*rule, exit=1)
    terminal(*rule, "--resource", "dish*", "--where", "size=large")
    shown = terminal("assignment-rules", "list", "quillstone")
    assert 'resource {"prefix": "dish"}, size large' in shown
    assert "'size' has no equals sign; write NAME=VALUE" in terminal(*rule, "--where", "size", exit=1)
    assert "by rule dishes" in terminal("subscriptions", "special-terms")
    terminal("assignment-rules", "delete", "quillstone", "dishes")
    assert "no rules" in terminal("assignment-rules", "list", "quillstone")

    assert "nothing was charged by hand" in terminal("one-off-charges", "list")
    enter = ("one-off-charges", "enter", "quillstone", "Open Range", "120.50", "EUR", "Moving in")
    assert "120.50" in terminal(*enter, "--day", "2026-10-02")
    assert "Moving in" in terminal("spend", "period-so-far", "--wait", "60")
    (charge,) = json.loads(terminal("one-off-charges", "list", "--json"))
    assert "what is billed of it comes back" in terminal("one-off-charges", "withdraw", charge["id"])
    assert "withdrawn" in terminal("one-off-charges", "list")
    assert "Moving in" not in terminal("spend", "period-so-far", "--wait", "60")


def test_segments_margins_and_coming_prices(
    terminal: Terminal, world: World, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert "school" in terminal(
        "organisations", "change", "quillstone", "--segment", "school", "--tags", "coast, hills"
    )
    listed = terminal("organisations", "change", "quillstone", "--segment", "")
    assert "school" not in listed
    assert "coast, hills" in listed
    margins = terminal("catalogue", "margins", "tarnwick/tenants-eur")
    assert "tarnwick/own-cost bought, in EUR" in margins
    assert "vcpu-large" in margins and "60" in margins
    september = terminal("spend", "margins", "--period", "2026-09")
    assert "Open Range: fees" in september and "31.60 EUR tarnwick" in september
    assert "2026-09 in all: 79.00 EUR charged, 15.80 margin" in september, "79 less the own use's 31.6 and 31.6"
    assert "GBP charged, of which cost in another currency is not taken off" in september
    assert "no prices that you pay" in terminal("catalogue", "price-changes")
    path = tmp_path / "card.yaml"
    path.write_text(rate_card("resellers-gbp", "GBP", "resellers", "0.8", "2026-12-01"))
    terminal("catalogue", "publish", str(path))
    token = world.user("edda").tokens.create("oxbow", name="program", role=Role.VIEWER)
    monkeypatch.setenv("GRADUMEN_TOKEN", token.secret)
    coming = terminal("catalogue", "price-changes")
    assert "from 2026-12-01: tarnwick/resellers-gbp (GBP), for 1 subscriptions of oxbow" in coming
    assert "Compute: Processors (vcpu): 0.014 → 0.016 GBP per vCPU-hour (+14.3 %)" in coming


def test_a_month_is_priced_again_and_found_again(terminal: Terminal, world: World, tmp_path: Path) -> None:
    world.send(egress("a", 100 * GIB, owner="quillstone/archive"))
    assert "nothing was asked yet" in terminal("what-ifs", "list")
    path = tmp_path / "next.yaml"
    path.write_text(rate_card("tenants-eur", "EUR", "tenants", "2", "2027-01-01"))
    shown = terminal("what-ifs", "ask", "2026-09", str(path))
    assert "2026-09 with Card tenants-eur (tenants-eur)" in shown
    fees = next(line for line in shown.splitlines() if line.startswith("quillstone  Open Range: fees"))
    assert fees.split()[-4:] == ["EUR", "79.00", "158.00", "79.00"]
    listed = terminal("what-ifs", "list")
    identity = listed.splitlines()[1].split()[0]
    assert "tenants-eur" in listed and identity in shown
    assert terminal("what-ifs", "show", identity) == shown
    assert "no what-if of your organisation begins with" in terminal("what-ifs", "show", "zz", exit=1)
    everything = json.loads(terminal("what-ifs", "amounts", identity, "--json"))
    differing = json.loads(terminal("what-ifs", "amounts", identity, "--differing", "--json"))
    assert differing == [each for each in everything if each["difference"] != "0"] != everything
    assert fees in terminal("what-ifs", "amounts", identity)
    path.write_text(rate_card("tenants-eur", "EUR", "tenants", "1"))
    same = terminal("what-ifs", "ask", "2026-09", str(path))
    assert "quillstone" not in same and "in all, EUR: the same" in same
    assert "nothing was sold in that month" in terminal("what-ifs", "ask", "2020-01", str(path))


def test_a_customer_asks_for_more_and_gets_less(terminal: Terminal, world: World) -> None:
    world.mara.quotas.grant("oxbow", "addresses", Decimal(40))
    edda = world.user("edda")
    edda.quota_requests.ask("oxbow", "addresses", Decimal(90), "Many harbours")
    listed = terminal("quota-requests", "list")
    assert "Oxbow Managed IT  addresses" in listed
    request = listed.splitlines()[1].split()[0]
    given = terminal("quota-requests", "grant", request, "--limit", "64", "--reason", "For now")
    assert "partly granted" in given
    assert "For now" in given
    assert "64" in terminal("quotas", "list", "-o", "oxbow")
    edda.quota_requests.ask("oxbow", "addresses", Decimal(90), "Still too few")
    request = terminal("quota-requests", "list").splitlines()[1].split()[0]
    assert "refused" in terminal("quota-requests", "refuse", request, "There is no room")
