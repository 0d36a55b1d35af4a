"""What begins or ends on the very day of a move does so at its moment, on the clocks of none of the sellers."""

import json
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

import pytest
from sqlalchemy import Engine, text

from gradumen.core.permissions import Role
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SpecialTermsAgree, SubscriptionChange, SubscriptionCreate
from tests.usecases.subscriptions.test_moves import (
    AT,
    BELGIUMS_END,
    DAY,
    HOUSE,
    IRELAND,
    IRELANDS_END,
    ToDay,
    amounts,
    bluefern,
    of_month,
    plan,
    to_day,
)
from tests.world import OFFERS, RUBEN, World, files, join, rate_card

__all__ = ["bluefern", "to_day"]
pytestmark = pytest.mark.usefixtures("charged_anew")
BEFORE_MIDNIGHT = datetime(2026, 10, 14, 22, tzinfo=UTC)
"""Midnight in Brussels is an hour before that in Dublin."""


MEADOW = "plan: meadow\nname: Meadow\nservices: [compute]\nminimum-months: 3\ntiers: [{tier: heath, name: Heath}]\n"
OFFER = "offer: meadow\nto: all\n"
SALT = "{organisations: [saltmarsh]}"


def card(slug: str, buyers: str, currency: str = "GBP", *, renewal: str = "", price: int = 1) -> str:
    more = f"at-renewal: {renewal}\n" if renewal else ""
    head = f"rate-card: {slug}\nname: {slug}\nfor: {buyers}\ncurrency: {currency}\nstarts-on: 2026-01-01\n{more}"
    return f"{head}rates: [{{rate: heath, fee: meadow/heath, price: {price}}}]\n"


def lines(engine: Engine) -> list[tuple[Any, ...]]:
    columns = "subscription_id, depth, seller_id, starts_on, tier, quantity, trial, ends_on, opens_at, closes_at"
    with engine.connect() as connection:
        return sorted(map(tuple, connection.execute(text(f"SELECT {columns} FROM supply_lines WHERE NOT void"))))


def test_a_change_on_the_day_of_a_move_is_the_new_sellers_and_the_old_one_charges_up_to_it(
    bluefern: World, to_day: ToDay, engine: Engine
) -> None:
    world, edda = bluefern, bluefern.user("edda")
    [held] = edda.subscriptions.list("saltmarsh")
    edda.subscriptions.change(held.id, SubscriptionChange(starts_on=DAY, tier="moor"))
    was = lines(engine)
    world.mara.moves.withdraw("saltmarsh", plan(world).id)
    assert lines(engine) == was
    plan(world)
    to_day("2026-10-20")
    oxbow, belgian = amounts(edda, "oxbow"), amounts(world.user(RUBEN), "bluefern")
    assert oxbow["oxbow", "saltmarsh"] == {"heath": of_month("19.90", "0.95", IRELAND, AT)}
    assert oxbow["tarnwick", "oxbow"] == {"heath": of_month("19.90", "0.7", IRELAND, AT)}
    assert belgian["bluefern", "saltmarsh"] == {"moor": of_month("79", "0.9", AT, BELGIUMS_END)}
    assert belgian["tarnwick", "bluefern"] == {"moor": of_month("79", "0.6", AT, IRELANDS_END)}


def test_a_reseller_that_moves_takes_a_change_of_that_day_along(bluefern: World, to_day: ToDay) -> None:
    world, edda = bluefern, bluefern.user("edda")
    [held] = edda.subscriptions.list("saltmarsh")
    edda.subscriptions.change(held.id, SubscriptionChange(starts_on=DAY, tier="moor"))
    world.mara.catalogue.publish("tarnwick", files("offer: open-range\nto: all\n"))
    plan(world, "oxbow", "bluefern")
    to_day("2026-10-20")
    assert amounts(world.mara, "tarnwick")["tarnwick", "oxbow"] == {"heath": of_month("19.90", "0.7", IRELAND, AT)}
    assert amounts(edda, "oxbow")["bluefern", "oxbow"] == {"moor": of_month("79", "0.9", AT, BELGIUMS_END)}


def test_what_ends_with_the_move_ends_at_its_moment_and_goes_on_where_it_is_withdrawn(
    bluefern: World, to_day: ToDay, engine: Engine
) -> None:
    """Bluefern, whose days begin an hour sooner, is left for Oxbow: its own plan is charged for that hour, too."""
    world, ruben = bluefern, bluefern.user(RUBEN)
    house = (
        "rate-card: house-gbp\nname: H\nfor: {organisations: [otter]}\ncurrency: GBP\nstarts-on: 2026-01-01\nrates: "
    )
    ruben.catalogue.publish("bluefern", files(HOUSE, house + "[{rate: one, fee: house/one, price: 100}]\n"))
    tenant = {"type": "tenant", "slug": "otter", "name": "Otter", "country": "GB", "currency": "GBP"}
    ruben.organisations.create(OrganisationCreate(parent="bluefern", billing_zone="Europe/London", **tenant))
    for name, ends_on in (("House", None), ("Over", DAY)):
        ruben.subscriptions.create(
            SubscriptionCreate(
                organisation="otter", plan="house", tier="one", name=name, starts_on=date(2026, 10, 1), ends_on=ends_on
            )
        )
    was = lines(engine)
    world.mara.moves.withdraw("otter", plan(world, "otter", "oxbow").id)
    assert lines(engine) == was
    plan(world, "otter", "oxbow")
    to_day("2026-10-20")
    found = ruben.spend.period_so_far("bluefern", period="2026-10", wait=60)
    [link] = [each for each in found.links if each.buyer == "otter"]
    charged = of_month("100", "1", datetime(2026, 9, 30, 22, tzinfo=UTC), AT)
    assert [(line.subscription, line.amount) for line in link.lines] == [("House", charged), ("Over", charged)]
    assert charged > of_month("100", "1", datetime(2026, 9, 30, 22, tzinfo=UTC), BEFORE_MIDNIGHT)


def test_who_sells_to_both_sides_from_further_above_goes_on_by_its_own_days(
    bluefern: World, to_day: ToDay, engine: Engine
) -> None:
    """Otter comes under a reseller of Bluefern's, in Brussels; what the provider charges Bluefern is none of that."""
    world, ruben = bluefern, bluefern.user(RUBEN)
    for type, slug in (("tenant", "otter"), ("reseller", "copse")):
        given = {"type": type, "slug": slug, "name": slug.title(), "country": "GB", "currency": "GBP"}
        ruben.organisations.create(OrganisationCreate(parent="bluefern", billing_zone="Europe/London", **given))
    join(world, RUBEN, "copse", "cora@copse.example", Role.ADMINISTRATOR)
    world.user("cora@copse.example").catalogue.publish("copse", files(OFFERS, rate_card("copse", "GBP", "any", "0.8")))
    quarter = "  - {rate: service, fee: open-range/heath, every: quarter, price: 90}\n"
    card = rate_card("resellers-eur", "EUR", "resellers", "0.6", "2026-10-06") + quarter
    world.mara.catalogue.publish("tarnwick", files(card))
    for name, day in (("Range", 1), ("New", 15)):
        made = ruben.subscriptions.create(
            SubscriptionCreate(
                organisation="otter", plan="open-range", tier="heath", name=name, starts_on=date(2026, 10, day)
            )
        )
        if name == "Range":
            ruben.subscriptions.change(made.id, SubscriptionChange(starts_on=date(2026, 10, 22), tier="moor"))

    def charged_above() -> dict[tuple[str, str, datetime], Decimal]:
        found = world.mara.spend.period_so_far("tarnwick", period="2026-10", wait=60)
        [link] = [each for each in found.links if each.buyer == "bluefern"]
        return {(line.subscription, line.rate, line.service_end): line.amount for line in link.lines}

    with engine.connect() as connection:
        provider = connection.scalar(text("SELECT id FROM organisations WHERE slug = 'tarnwick'"))
    was = [each for each in lines(engine) if each[2] == provider]
    charged = charged_above()
    plan(world, "otter", "copse")
    assert [each for each in lines(engine) if each[2] == provider] == was
    to_day("2026-10-20")
    assert charged_above() == charged
    [held] = [each for each in ruben.subscriptions.list("otter") if each.name == "New"]
    world.user("cora@copse.example").subscriptions.change(
        held.id, SubscriptionChange(starts_on=date(2026, 10, 25), quantity=2)
    )
    turn = datetime(2026, 10, 24, 23, tzinfo=UTC)
    fees = {key: amount for key, amount in charged_above().items() if key[1] != "service"}
    assert fees == {key: amount for key, amount in charged.items() if key[1] != "service"} | {
        ("New", "heath", turn): of_month("19.90", "0.6", AT, turn),
        ("New", "heath", IRELANDS_END): of_month("39.80", "0.6", turn, IRELANDS_END),
    }


def test_terms_agreed_for_a_day_before_a_move_are_not_those_of_the_same_sellers_next_link(
    bluefern: World, engine: Engine
) -> None:
    world = bluefern
    [held] = world.user("edda").subscriptions.list("saltmarsh")
    plan(world)
    columns = "b.slug, l.starts_on, l.special_terms FROM supply_lines l JOIN organisations b ON b.id = l.buyer_id"
    expected = {}
    for buyer, day, cpus in (("oxbow", date(2026, 10, 10), "7"), ("bluefern", date(2026, 10, 20), "9")):
        terms = {"allowances": {"compute/vcpu": f"{cpus} vCPU-hour"}}
        world.mara.subscriptions.agree(
            held.id, SpecialTermsAgree(seller="tarnwick", starts_on=day, special_terms=terms)
        )
        expected[buyer, day] = json.dumps(terms)
        with engine.connect() as connection:
            rows = connection.execute(text(f"SELECT {columns} WHERE NOT l.void AND l.special_terms <> '{{}}'")).all()
        assert {(buyer, starts_on): terms for buyer, starts_on, terms in rows} == expected


def test_what_was_agreed_before_a_move_is_over_for_who_comes_back(
    bluefern: World, to_day: ToDay, engine: Engine
) -> None:
    """What is agreed for its time afterwards holds, and a move that is withdrawn was none."""
    world, edda = bluefern, bluefern.user("edda")
    [held] = edda.subscriptions.list("saltmarsh")

    def agree(day: date, cpus: int) -> None:
        terms = {"allowances": {"compute/vcpu": f"{cpus} vCPU-hour"}}
        edda.subscriptions.agree(held.id, SpecialTermsAgree(seller="oxbow", starts_on=day, special_terms=terms))

    def agreed() -> list[tuple[Any, ...]]:
        columns = "l.starts_on, l.special_terms FROM supply_lines l JOIN organisations s ON s.id = l.seller_id"
        with engine.connect() as connection:
            rows = connection.execute(
                text(f"SELECT {columns} WHERE NOT l.void AND s.slug = 'oxbow' ORDER BY l.starts_on")
            )
            return [(day, json.loads(terms).get("allowances")) for day, terms in rows]

    agree(date(2026, 10, 10), 7)
    world.mara.moves.withdraw("saltmarsh", plan(world).id)
    seven = (date(2026, 10, 10), {"compute/vcpu": "7 vCPU-hour"})
    assert agreed()[-1] == seven
    plan(world)
    to_day("2026-10-16")
    plan(world, to="oxbow", day=date(2026, 10, 20))
    assert agreed()[-2:] == [seven, (date(2026, 10, 20), None)]
    to_day("2026-10-21")
    agree(date(2026, 10, 22), 9)
    nine = (date(2026, 10, 22), {"compute/vcpu": "9 vCPU-hour"})
    assert agreed()[-1] == nine
    world.mara.moves.withdraw("saltmarsh", plan(world, day=date(2026, 10, 25)).id)
    assert agreed()[-1] == nine, "since it is back"


def test_what_was_ended_meanwhile_goes_on_where_the_move_is_withdrawn(bluefern: World, engine: Engine) -> None:
    world, edda = bluefern, bluefern.user("edda")
    [held] = edda.subscriptions.list("saltmarsh")
    edda.subscriptions.change(held.id, SubscriptionChange(starts_on=DAY, tier="moor"))
    was, charged = lines(engine), amounts(edda, "oxbow")
    move = plan(world)
    edda.subscriptions.end(held.id, DAY)
    world.mara.moves.withdraw("saltmarsh", move.id)
    assert edda.subscriptions.end(held.id, None).ends_on is None
    assert (lines(engine), amounts(edda, "oxbow")) == (was, charged)


def test_what_is_charged_once_is_charged_by_who_sells_on_the_first_day(
    bluefern: World, to_day: ToDay, engine: Engine
) -> None:
    """It begins on the day of the move, of which an hour is over in Brussels; a day sooner it is the old seller's."""
    world, edda = bluefern, bluefern.user("edda")
    setup = "  - {rate: setup, fee: open-range/heath, every: once, price: 50}\n"
    for user, seller, factor in (("edda", "oxbow", "0.95"), (RUBEN, "bluefern", "0.9")):
        priced = rate_card(f"{seller}-gbp", "GBP", "any", factor, "2026-10-06") + setup
        world.user(user).catalogue.publish(seller, files(priced))
    for name, day in (("Sooner", 14), ("New", 15)):
        edda.subscriptions.create(
            SubscriptionCreate(
                organisation="saltmarsh", plan="open-range", tier="heath", name=name, starts_on=date(2026, 10, day)
            )
        )
    was = lines(engine)
    world.mara.moves.withdraw("saltmarsh", plan(world).id)
    assert lines(engine) == was
    plan(world)
    to_day("2026-10-20")
    found = world.user("ines").spend.period_so_far("saltmarsh", period="2026-10", wait=60)
    once = [
        (each.seller, line.subscription, line.amount)
        for each in found.links
        for line in each.lines
        if line.rate == "setup"
    ]
    assert once == [("bluefern", "New", 50), ("oxbow", "Sooner", 50)]


def test_a_new_sellers_card_goes_over_to_another_at_renewal_as_if_it_had_sold_from_the_beginning(
    bluefern: World, to_day: ToDay, engine: Engine
) -> None:
    world, edda, ruben = bluefern, bluefern.user("edda"), bluefern.user(RUBEN)
    above, beside = card("above", "{organisations: [oxbow]}"), card("beside", "{organisations: [bluefern]}", "EUR")
    world.mara.catalogue.publish("tarnwick", files(MEADOW, OFFER, above, beside))
    edda.catalogue.publish("oxbow", files(OFFER, card("first", SALT, price=70)))
    early = card("early", SALT, renewal="later", price=60)
    ruben.catalogue.publish("bluefern", files(OFFER, card("later", "named", price=90), early))
    for name, month in (("Young", 8), ("Old", 6)):
        edda.subscriptions.create(
            SubscriptionCreate(
                organisation="saltmarsh", plan="meadow", tier="heath", name=name, starts_on=date(2026, month, 1)
            )
        )
    was = lines(engine)
    world.mara.moves.withdraw("saltmarsh", plan(world).id)
    assert lines(engine) == was
    plan(world)
    to_day("2026-11-05")
    found = world.user("ines").spend.period_so_far("saltmarsh", period="2026-11", wait=60)
    fees = {line.subscription: line.amount for each in found.links for line in each.lines if line.rate == "heath"}
    assert (fees["Young"], fees["Old"]) == (90, 90)
    found = world.user("ines").spend.period_so_far("saltmarsh", period="2026-10", wait=60)
    [link] = [each for each in found.links if each.seller == "bluefern"]
    fees = {line.subscription: line.amount for line in link.lines if line.subscription != "Open Range"}
    assert fees == {
        "Young": of_month("60", "1", AT, BELGIUMS_END),
        "Old": of_month("90", "1", AT, BELGIUMS_END),
    }


def test_a_card_goes_over_at_renewal_after_a_move_that_was_withdrawn_too(bluefern: World, engine: Engine) -> None:
    world, edda = bluefern, bluefern.user("edda")
    world.mara.catalogue.publish("tarnwick", files(MEADOW, OFFER, card("above", "{organisations: [oxbow]}")))
    world.mara.catalogue.publish("tarnwick", files(card("beside", "{organisations: [bluefern]}", "EUR")))
    world.user(RUBEN).catalogue.publish("bluefern", files(OFFER, card("all", SALT)))
    edda.catalogue.publish("oxbow", files(OFFER, card("later", "named"), card("early", SALT, renewal="later")))
    edda.subscriptions.create(
        SubscriptionCreate(
            organisation="saltmarsh", plan="meadow", tier="heath", name="Young", starts_on=date(2026, 8, 1)
        )
    )
    was = lines(engine)
    assert len([each for each in was if each[3] == date(2026, 11, 1)]) == 1
    world.mara.moves.withdraw("saltmarsh", plan(world).id)
    assert lines(engine) == was
