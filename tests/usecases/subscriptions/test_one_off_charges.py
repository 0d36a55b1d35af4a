"""One-off charges: entered by hand, on the next document, given back when withdrawn."""

from datetime import date
from decimal import Decimal
from typing import Any

import pytest

from gradumen.core.errors import Forbidden, GradumenError, Invalid, NotFound
from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeBody, OneOffChargeCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange
from tests.world import World, files, rate_card

pytestmark = pytest.mark.usefixtures("charged_anew")


def enter(world: World, user: str = "edda", seller: str = "oxbow", **changes: Any) -> OneOffChargeBody:
    fields: dict[str, Any] = {
        "organisation": "saltmarsh",
        "subscription": "Open Range",
        "day": date(2026, 9, 9),
        "description": "Moving two machines",
        "amount": "120.50",
        "currency": "GBP",
    }
    body = OneOffChargeCreate(seller=seller, **{**fields, **changes})
    return world.user(user).one_off_charges.enter(body, key=f"{user}-{hash(str(changes))}")


def bill(world: World) -> InvoiceBody:
    return world.close("oxbow", "edda", "2026-09")[0]


def test_it_stands_on_the_document_and_in_the_period_so_far_without_discount(world: World) -> None:
    card = rate_card("oxbow-gbp", "GBP", "any", "0.95", "2026-10-06")
    world.user("edda").catalogue.publish("oxbow", files(card + "discounts: [{discount: d, name: D, percent: 50}]"))
    made = enter(world)
    assert enter(world).id == made.id, "the same key enters it once"
    assert (made.buyer, made.entered_by, made.withdrawn_at) == ("saltmarsh", "Edda", None)
    (link,) = world.user("ines").spend.period_so_far("saltmarsh", "2026-09", wait=60).links
    assert [line.amount for line in link.lines if line.description == "Moving two machines"] == [Decimal("120.5")]
    invoice = bill(world)
    line = next(line for line in invoice.lines if line.description == "Moving two machines")
    assert (line.amount, line.quantity, line.unit) == (Decimal("120.5"), Decimal(1), "piece")
    assert line.service_start.isoformat() == "2026-09-08T23:00:00+00:00"
    explained = world.user("ines").charges.explain(line.charge_id)
    assert explained.explanation.kind == "one_off_charge"
    assert explained.explanation.blocks[0].amount == Decimal("120.5")


def test_what_is_withdrawn_is_not_billed_or_comes_back(world: World) -> None:
    first, second = enter(world), enter(world, description="Cabling", amount="80")
    charges = world.user("edda").one_off_charges
    assert charges.withdraw(first.id).withdrawn_at is not None
    charges.withdraw(first.id)
    net = bill(world).net
    charges.withdraw(second.id)
    (credit,) = world.close("oxbow", "edda", "2026-09")
    assert [(line.description, line.amount) for line in credit.lines] == [("Cabling", Decimal(-80))]
    assert net == Decimal(80) + 2 * Decimal("18.91"), "and the fees of two months"
    assert world.close("oxbow", "edda", "2026-09") == []
    assert [each.withdrawn_at is not None for each in charges.list("oxbow")] == [True, True]


def test_a_supplier_charges_its_own_buyer_on_that_subscription(world: World) -> None:
    made = enter(world, "mara", "tarnwick", amount="7")
    assert (made.buyer, made.organisation) == ("oxbow", "saltmarsh")
    cost = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "oxbow")
    assert Decimal(7) in {line.amount for line in cost.lines}
    assert Decimal(7) not in {line.amount for line in bill(world).lines}


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"amount": "0"}, "not above zero"),
        ({"amount": "-5"}, "withdraw the charge or use a discount"),
        ({"amount": "1.005"}, "decimal places"),
        ({"currency": "EUR"}, "charged in GBP"),
        ({"day": date(2026, 7, 31)}, "lasts from 2026-08-01"),
        ({"description": " "}, "1 to 200"),
    ],
)
def test_a_wrong_charge_is_refused(world: World, changes: dict[str, Any], words: str) -> None:
    with pytest.raises(Invalid, match=words):
        enter(world, **changes)
    assert world.user("edda").one_off_charges.list("oxbow") == []


def test_only_the_one_who_bills_enters_and_sees_them(world: World) -> None:
    made = enter(world)
    refusals: list[tuple[str, str, type[GradumenError]]] = [
        ("mara", "oxbow", Forbidden),
        ("ines", "oxbow", NotFound),
        ("edda", "tarnwick", NotFound),
        ("oda", "tarnwick", Forbidden),
    ]
    for user, seller, error in refusals:
        with pytest.raises(error):
            enter(world, user, seller, amount="1")
    with pytest.raises(Forbidden):
        world.mara.one_off_charges.list("oxbow")
    with pytest.raises(NotFound):
        world.user("ines").one_off_charges.withdraw(made.id)
    with pytest.raises(NotFound):
        enter(world, subscription="Nothing")


def test_a_subscription_is_not_ended_under_a_charge(world: World) -> None:
    made = enter(world)
    (held,) = world.mara.subscriptions.list("saltmarsh")
    edda = world.user("edda")
    edda.subscriptions.change(held.id, SubscriptionChange(starts_on=date(2026, 9, 5), tier="moor"))
    with pytest.raises(Invalid, match="one-off charge stands on 2026-09-09; withdraw it first"):
        edda.subscriptions.end(held.id, date(2026, 9, 9))
    edda.subscriptions.end(held.id, date(2026, 9, 10))
    edda.one_off_charges.withdraw(made.id)
    edda.subscriptions.end(held.id, date(2026, 9, 2))


def test_another_sellers_charge_neither_binds_the_end_nor_is_told(world: World) -> None:
    """Tarnwick charges Oxbow for something on Saltmarsh's subscription; Oxbow ends it without hearing of that."""
    made = enter(world, "mara", "tarnwick", amount="7", day=date(2026, 9, 20))
    edda = world.user("edda")
    subscription = next(each for each in edda.subscriptions.list("saltmarsh") if each.name == "Open Range")
    ended = edda.subscriptions.end(subscription.id, date(2026, 9, 10))
    assert ended.ends_on == date(2026, 9, 10)
    assert [each.id for each in world.mara.one_off_charges.list("tarnwick")] == [made.id]
    cost = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "oxbow")
    assert Decimal(7) in {line.amount for line in cost.lines}, "what was charged by hand is still charged"
