"""What a subscription promises: terms, renewal and its price, choices, quotas, plan versions, special terms."""

import threading
from datetime import date
from decimal import Decimal
from typing import Any

import pytest
from sqlalchemy import Engine, text

from gradumen.client import Client
from gradumen.core.errors import (
    Forbidden,
    GradumenError,
    Invalid,
    NotFound,
    QuotaBelowSubscribed,
    QuotaExceeded,
)
from gradumen.wire.rating.estimates import EstimateAsked, ExpectedUse
from gradumen.wire.subscriptions.subscriptions import (
    SpecialTermsAgree,
    SubscriptionBody,
    SubscriptionChange,
    SubscriptionCreate,
)
from tests.world import EMAILS, GIB, PASSWORD, World, egress, files, moment, rate_card

pytestmark = pytest.mark.usefixtures("charged_anew")

HOLD = """
service: vault
name: Vault
category: Storage
subcategory: Backup Storage
choices:
  site: {name: Where copies are, values: [north-fell, south-quay]}
meters:
  kept: {name: Kept, unit: byte-second, combine: level}
---
plan: long-hold
name: Long Hold
services: [network, vault]
minimum-months: 12
renewal: {months: 12, notice-days: 30}
terms: {version: "2026-1", text: "We hold it long."}
tiers:
  - tier: heath
    name: Heath
    quotas: {storage: 100}
    allowances: {network/egress: 10 GiB}
    levels: {copies: 2, response-time: 8 hour}
---
offer: long-hold
---
rate-card: later
name: Later
for: named
currency: EUR
starts-on: 2026-01-01
rates:
  - {rate: egress, meter: network/egress, per: GiB, price: 2}
  - {rate: hold, fee: long-hold/heath, price: 12}
---
rate-card: opening
name: Opening
for: named
currency: EUR
starts-on: 2026-01-01
at-renewal: later
rates:
  - {rate: egress, meter: network/egress, per: GiB, price: 1}
  - {rate: hold, fee: long-hold/heath, price: 10}
"""


def hold(world: World, name: str = "Hold", **changes: Any) -> SubscriptionBody:
    fields: dict[str, Any] = {
        "organisation": "quillstone",
        "plan": "long-hold",
        "tier": "heath",
        "name": name,
        "starts_on": date(2025, 10, 1),
        "rate_card": "opening",
        "accepted_terms": "2026-1",
    }
    return world.mara.subscriptions.create(SubscriptionCreate(**{**fields, **changes}))


@pytest.fixture
def holding(world: World) -> World:
    world.mara.catalogue.publish("tarnwick", files(HOLD))
    world.mara.quotas.grant("quillstone", "storage", Decimal(250))
    return world


def test_terms_are_accepted_before_and_it_is_known_by_whom(holding: World) -> None:
    for accepted in (None, "2025-9"):
        with pytest.raises(Invalid, match="has the terms '2026-1'"):
            hold(holding, accepted_terms=accepted)
    (accepted,) = hold(holding).accepted
    assert (accepted.plan_version, accepted.terms, accepted.accepted_by) == (1, "2026-1", "Mara Fell")
    newer = HOLD.split("---")[1].replace("2026-1", "2026-2")
    holding.mara.catalogue.publish("tarnwick", files(newer))
    held = next(each for each in holding.mara.subscriptions.list("quillstone") if each.name == "Hold")
    move = SubscriptionChange(starts_on=date(2026, 11, 1), plan_version=2)
    with pytest.raises(Invalid, match="has the terms '2026-2'"):
        holding.mara.subscriptions.change(held.id, move)
    moved = holding.mara.subscriptions.change(held.id, move.model_copy(update={"accepted_terms": "2026-2"}))
    assert [each.terms for each in moved.accepted] == ["2026-1", "2026-2"]
    assert [(each.starts_on, each.plan_version) for each in moved.stretches] == [
        (date(2025, 10, 1), 1),
        (date(2026, 11, 1), 2),
    ]
    with pytest.raises(NotFound):
        holding.mara.subscriptions.change(held.id, SubscriptionChange(starts_on=date(2026, 11, 1), plan_version=9))


def test_a_first_term_is_covered_but_by_a_trial_of_the_plan(holding: World) -> None:
    """From the beginning, and where it is ended later."""
    holding.mara.quotas.grant("quillstone", "storage", Decimal(900))
    trial = HOLD.split("---")[1].replace("renewal:", "trial: {days: 30}\nrenewal:")
    holding.mara.catalogue.publish("tarnwick", files(trial))
    first = date(2026, 10, 1)
    for ends, tried in ((date(2027, 9, 30), None), (date(2026, 11, 1), date(2026, 11, 1))):
        with pytest.raises(Invalid, match="lasts at least 12 months; the earliest end is 2027-10-01"):
            hold(holding, "Short", starts_on=first, ends_on=ends, trial_until=tried)
    hold(holding, "Whole", starts_on=first, ends_on=date(2027, 10, 1))
    hold(holding, "Tried and gone", starts_on=first, ends_on=date(2026, 10, 31), trial_until=date(2026, 10, 31))
    tried = hold(holding, "Tried", starts_on=first, trial_until=date(2026, 10, 31))
    assert (tried.earliest_end, tried.notice_by) == (date(2026, 10, 5), None), "today"
    assert hold(holding, "Bought", starts_on=first).earliest_end == date(2027, 10, 1)
    with pytest.raises(Invalid, match="at least 12 months"):
        holding.mara.subscriptions.end(tried.id, date(2026, 11, 1))
    for day in (date(2026, 10, 31), date(2026, 10, 12)):
        assert holding.mara.subscriptions.end(tried.id, day).ends_on == day


@pytest.mark.parametrize("starts_on", [date(2025, 10, 1), date(2025, 12, 15)])
def test_the_card_by_the_sellers_rules_is_that_of_the_renewal_once_it_renewed(
    holding: World, engine: Engine, starts_on: date
) -> None:
    """A card of its own for some time, then back: before the renewal, or after it."""
    rules = HOLD.split("---")[-1].replace("for: named", "for: {organisations: [quillstone]}")
    holding.mara.catalogue.publish("tarnwick", files(rules.replace("opening", "usual")))
    held = hold(holding, starts_on=starts_on, rate_card=None)
    for card, day in (("opening", date(2026, 1, 1)), ("", date(2026, 11, 1))):
        holding.mara.subscriptions.agree(held.id, SpecialTermsAgree(seller="tarnwick", starts_on=day, rate_card=card))
    columns = "c.slug, l.starts_on FROM supply_lines l JOIN rate_cards c ON c.id = l.rate_card_id"
    query = text(f"SELECT {columns} WHERE l.subscription_id = :one AND NOT l.void ORDER BY l.starts_on")
    with engine.connect() as connection:
        rows = [(slug, day) for slug, day in connection.execute(query, {"one": held.id.hex})]
    back = {
        date(2025, 10, 1): [("opening", date(2026, 10, 1)), ("later", date(2026, 11, 1))],
        date(2025, 12, 15): [("usual", date(2026, 11, 1)), ("later", date(2026, 12, 15))],
    }
    assert rows == [("usual", starts_on), ("opening", date(2026, 1, 1)), *back[starts_on]]


def test_a_moved_subscription_has_the_allowance_of_its_new_version_from_its_day(holding: World) -> None:
    held = hold(holding, starts_on=date(2026, 9, 1))
    newer = HOLD.split("---")[1].replace("10 GiB", "40 GiB")
    holding.mara.catalogue.publish("tarnwick", files(newer))
    holding.mara.subscriptions.change(held.id, SubscriptionChange(starts_on=date(2026, 9, 16), plan_version=2))
    holding.send(egress("a", 100 * GIB, owner="quillstone/archive"))
    bill = next(each for each in holding.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    covered = [
        holding.mara.charges.explain(line.charge_id).explanation.covered_by_allowance
        for line in bill.lines
        if line.subscription == "Hold" and line.rate == "egress"
    ]
    assert sum(int(each or 0) for each in covered) == 0, "the older plan takes the project's traffic"
    assert [line.rate for line in bill.lines if line.subscription == "Hold"] == ["hold", "hold"]


def test_it_renews_at_the_card_of_its_renewal_and_ends_only_with_notice(holding: World) -> None:
    held = hold(holding)
    assert (held.earliest_end, held.notice_by) == (date(2027, 10, 1), date(2027, 9, 1))
    subscriptions = holding.mara.subscriptions
    with pytest.raises(Invalid, match="the earliest end from 2026-10-05 is 2027-10-01"):
        subscriptions.end(held.id, date(2026, 12, 1))
    assert subscriptions.end(held.id, date(2027, 10, 1)).ends_on == date(2027, 10, 1)
    asked = EstimateAsked(
        organisation="quillstone",
        plan="long-hold",
        tier="heath",
        first_day=date(2027, 1, 1),
        months=14,
        rate_card="opening",
        expected=[ExpectedUse(meter="network/egress", quantity="30", unit="GiB", attributes={})],
    )
    estimate = holding.mara.estimates.price(asked)
    assert (estimate.renews_on, estimate.renewal_card) == (date(2028, 1, 1), "later")
    assert [month.total for month in estimate.months] == [Decimal(30)] * 12 + [Decimal(52)] * 2, "20 GiB and the fee"
    holding.mara.clock.set(moment("2026-11-05"), held=True)
    fees = {
        (period, line.amount)
        for period in ("2026-09", "2026-10")
        for link in holding.mara.spend.period_so_far("quillstone", period, wait=60).links
        for line in link.lines
        if line.rate == "hold"
    }
    assert {(period, str(amount)) for period, amount in fees} == {("2026-09", "10"), ("2026-10", "12")}


def test_choices_are_kept_with_their_defaults(holding: World) -> None:
    assert hold(holding).stretches[0].choices == {"vault/site": "north-fell"}
    chosen = hold(holding, "Other", choices={"vault/site": "south-quay"})
    assert chosen.stretches[0].choices == {"vault/site": "south-quay"}
    again = SubscriptionChange(starts_on=date(2026, 11, 1), choices={"vault/site": "north-fell"})
    changed = holding.mara.subscriptions.change(chosen.id, again)
    assert [each.choices["vault/site"] for each in changed.stretches] == ["south-quay", "north-fell"]
    for choices, words in (
        ({"vault/colour": "red"}, "not one of this plan's: vault/site"),
        ({"vault/site": "x"}, "has the"),
    ):
        with pytest.raises(Invalid, match=words):
            hold(holding, "Wrong", choices=choices)


def test_quotas_of_all_subscriptions_fit_what_was_granted(holding: World) -> None:
    hold(holding, "One", quantity=2)
    with pytest.raises(
        QuotaExceeded, match=r"needs 100 GiB, and of Quillstone.*'s 250 its other subscriptions leave 50"
    ) as refused:
        hold(holding, "Two")
    assert refused.value.facts["left"] == "50"
    assert {each.name for each in holding.mara.subscriptions.list("quillstone")} == {"Open Range", "One"}
    holding.mara.quotas.grant("quillstone", "storage", Decimal(300))
    two = hold(holding, "Two")
    with pytest.raises(QuotaExceeded):
        holding.mara.subscriptions.change(two.id, SubscriptionChange(starts_on=date(2026, 11, 1), quantity=2))


def test_a_limit_is_not_lowered_below_what_tiers_promise(holding: World) -> None:
    held = hold(holding, quantity=2)
    with pytest.raises(QuotaBelowSubscribed, match=r"promise 200 GiB, so 199 are too few"):
        holding.mara.quotas.grant("quillstone", "storage", Decimal(199))
    holding.mara.quotas.grant("quillstone", "storage", Decimal(200))
    holding.mara.subscriptions.change(held.id, SubscriptionChange(starts_on=date(2026, 10, 5), quantity=1))
    assert holding.mara.quotas.grant("quillstone", "storage", Decimal(100)).limit == 100


def test_subscriptions_made_at_once_never_promise_more_than_was_granted(holding: World) -> None:
    """Two callers at a gate, again and again: each of 100 fits into 150 alone, so exactly one is made."""
    holding.mara.quotas.grant("quillstone", "storage", Decimal(150))
    clients = [Client(holding.url) for _ in range(2)]
    for client in clients:
        client.sign_in(EMAILS["mara"], PASSWORD)
    for turn in range(12):
        gate = threading.Barrier(2)
        made: list[SubscriptionBody] = []
        refused: list[GradumenError] = []

        def ask(
            index: int,
            turn: int = turn,
            gate: threading.Barrier = gate,
            made: list[SubscriptionBody] = made,
            refused: list[GradumenError] = refused,
        ) -> None:
            body = SubscriptionCreate(
                organisation="quillstone",
                plan="long-hold",
                tier="heath",
                name=f"{turn}-{index}",
                starts_on=date(2026, 10, 1),
                accepted_terms="2026-1",
            )
            gate.wait()
            try:
                made.append(clients[index].subscriptions.create(body))
            except QuotaExceeded as error:
                refused.append(error)

        threads = [threading.Thread(target=ask, args=(index,)) for index in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60)
        assert (len(made), len(refused)) == (1, 1)
        holding.mara.subscriptions.end(made[0].id, date(2026, 10, 1))
    for client in clients:
        client.close()


def test_one_subscription_has_special_terms_and_is_listed(holding: World) -> None:
    held = hold(holding, starts_on=date(2026, 9, 1), rate_card=None)
    day = date(2026, 9, 11)
    mara = holding.mara.subscriptions
    assert mara.special_terms("tarnwick") == []
    special_terms = {"allowances": {"network/egress": "99 GiB"}, "levels": {"copies": "5"}}
    body = SpecialTermsAgree(seller="tarnwick", starts_on=day, rate_card="later", special_terms=special_terms)
    assert mara.agree(held.id, body).stretches[-1].special_terms == special_terms
    found = {(each.kind, each.what, each.standard, each.own, each.starts_on) for each in mara.special_terms("tarnwick")}
    assert found == {
        ("rate_card", "long-hold", "tenants-eur", "later", day),
        ("allowance", "network/egress", "10 GiB", "99 GiB", day),
        ("level", "copies", "2", "5", day),
    }
    back = SpecialTermsAgree(seller="tarnwick", starts_on=day, rate_card="", special_terms={})
    mara.agree(held.id, back)
    assert mara.special_terms("tarnwick") == []


def test_an_own_allowance_and_an_own_card_are_what_is_billed(holding: World) -> None:
    (held,) = holding.mara.subscriptions.list("quillstone")
    holding.mara.catalogue.publish("tarnwick", files(rate_card("friend", "EUR", "named", "0.5")))
    own = {"allowances": {"network/egress": "100 GiB"}}
    body = SpecialTermsAgree(seller="tarnwick", starts_on=date(2026, 9, 1), rate_card="friend", special_terms=own)
    holding.mara.subscriptions.agree(held.id, body)
    holding.send(egress("a", 110 * GIB, owner="quillstone/archive"))
    bill = next(each for each in holding.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    amounts = {line.rate: str(line.amount) for line in bill.lines}
    assert amounts == {"egress": "0.35", "moor": "39.5"}, "10 GiB at 0.035 and half the fee"


def test_special_terms_are_their_sellers_own(holding: World) -> None:
    (held,) = holding.mara.subscriptions.list("saltmarsh")
    day = date(2026, 9, 1)
    upper = SpecialTermsAgree(
        seller="tarnwick", starts_on=day, special_terms={"allowances": {"network/egress": "1 GiB"}}
    )
    holding.mara.subscriptions.agree(held.id, upper)
    assert holding.user("edda").subscriptions.special_terms("oxbow") == []
    retail = SpecialTermsAgree(seller="oxbow", starts_on=day, special_terms={"allowances": {"network/egress": "7 GiB"}})
    holding.user("edda").subscriptions.agree(held.id, retail)
    assert "7 GiB" in str(holding.user("ines").subscriptions.list("saltmarsh"))
    assert "7 GiB" not in str(holding.mara.subscriptions.list("saltmarsh")), "a reseller's retail is its own"
    with pytest.raises(Forbidden):
        holding.mara.subscriptions.special_terms("oxbow")
    with pytest.raises(Forbidden):
        holding.mara.subscriptions.agree(held.id, upper.model_copy(update={"seller": "oxbow"}))
    with pytest.raises(NotFound):
        holding.user("edda").subscriptions.agree(held.id, upper)
    for special_terms, words in (
        ({"allowances": {"vault/kept": "1 GiB-hour"}}, "belongs to no service"),
        ({"levels": {"speed": "1"}}, "is not one of"),
        ({"colour": "red"}, "not a field"),
    ):
        with pytest.raises(Invalid, match=words):
            holding.mara.subscriptions.agree(held.id, upper.model_copy(update={"special_terms": special_terms}))
