"""Orders of customers: at once up to what the seller lets through, else approved, refused or taken back."""

import os
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from decimal import Decimal
from typing import Any
from uuid import UUID, uuid4

import pytest

from gradumen.client import Client
from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid, NotFound, QuotaExceeded
from gradumen.core.permissions import Role
from gradumen.core.subscriptions.orders import Approver, OrderKind
from gradumen.wire.subscriptions.orders import OrderCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionBody, SubscriptionCreate
from tests.world import World, files, join, moment

pytestmark = pytest.mark.usefixtures("charged_anew")

DAY = date(2026, 10, 5)
FEES = {"heath": Decimal(60), "moor": Decimal(200)}


@pytest.fixture
def shop(world: World) -> World:
    """Oxbow sells two tiers with fees, and quotas of processors, to Saltmarsh."""
    edda = world.user("edda")
    plan = (
        "plan: pasture\nname: Pasture\nservices: [compute]\nminimum-months: 0\n"
        "tiers: [{tier: heath, name: Heath, quotas: {processors: 4}}, {tier: moor, name: Moor, quotas: {processors: 16}}]\n"
    )
    fees = ", ".join(f"{{rate: {t}, fee: pasture/{t}, price: {p}}}" for t, p in FEES.items())
    card = (
        "rate-card: pasture-gbp\nname: Pasture\nfor: {organisations: [saltmarsh]}\ncurrency: GBP\n"
        f"starts-on: 2026-01-01\nrates: [{fees}]\n"
    )
    offer = "offer: pasture\nname: Our Pasture\ntiers: {heath: Small, moor: Large}\n"
    edda.catalogue.publish("oxbow", files(plan, offer, card))
    return world


def wanted(kind: OrderKind = OrderKind.SUBSCRIBE, **values: Any) -> OrderCreate:
    given = {"plan": "pasture", "tier": "heath", "name": "Field"} if kind is OrderKind.SUBSCRIBE else {}
    return OrderCreate(kind=kind, **{"day": DAY, **given, **values})


def held(client: Client) -> dict[str, SubscriptionBody]:
    return {each.name: each for each in client.subscriptions.list("saltmarsh")}


def test_an_order_within_what_the_seller_lets_through_is_there_at_once(shop: World) -> None:
    ines, edda = shop.user("ines"), shop.user("edda")
    edda.orders.set_policy("oxbow", "GBP", Decimal(150))
    made = ines.orders.place("saltmarsh", wanted(quantity=2, purchase_order="PO 7/26"))
    assert (made.state, made.at_once, made.amount, made.currency) == ("done", True, 120, "GBP")
    assert made.what == "Our Pasture Small, 2 pieces from 2026-10-05"
    assert held(ines)["Field"].quantity == 2

    # Nothing passes in parts: what went through earlier in the month counts.
    second = ines.orders.place("saltmarsh", wanted(name="Second", reason="The  summer timetable "))
    assert second.reason == "The summer timetable"
    assert (second.state, second.amount) == ("waiting", 60)
    assert "Second" not in held(ines)
    (todo,) = [each for each in edda.to_dos.list("oxbow") if each.kind == "order"]
    assert todo.title == "Saltmarsh Ferries orders Our Pasture Small from 2026-10-05: 60.00 GBP a month"
    for _ in range(2):
        assert edda.orders.approve(second.id, Decimal(60)).state == "done"
    assert held(ines)["Second"].tier == "heath"
    (note,) = [each for each in ines.to_dos.list("saltmarsh") if each.kind == "order"]
    assert note.title == "Our Pasture Small from 2026-10-05: Oxbow Managed IT approved it"
    lines = edda.spend.period_so_far("oxbow", "2026-10", wait=60).links
    assert any(line.rate == "heath" for link in lines if link.buyer == "saltmarsh" for line in link.lines)

    # What costs no more never waits.
    less = ines.orders.place("saltmarsh", wanted(OrderKind.CHANGE, subscription=held(ines)["Field"].id, quantity=1))
    ended = ines.orders.place(
        "saltmarsh", wanted(OrderKind.END, subscription=made.subscription, day=date(2026, 10, 20))
    )
    assert [(each.state, each.amount) for each in (less, ended)] == [("done", -60), ("done", 0)]
    assert [each.what for each in (less, ended)] == ["Field, 1 piece from 2026-10-05", "Field ends with 2026-10-19"]
    larger = wanted(OrderKind.CHANGE, subscription=held(ines)["Second"].id, tier="moor")
    assert ines.orders.place("saltmarsh", larger).what == "Second, Large from 2026-10-05"
    assert held(ines)["Field"].ends_on == date(2026, 10, 20)
    actions = [each.action for each in ines.audit_entries.list("saltmarsh")]
    assert actions.count("order carried out") == 3
    assert "order waits" in actions


def test_what_is_ordered_of_a_subscription_that_is_charged_is_charged(shop: World) -> None:
    """Its fees were rated before; a change and an end that are ordered count as those that the seller makes."""
    ines, edda = shop.user("ines"), shop.user("edda")
    edda.orders.set_policy("oxbow", "GBP", None)

    def fees(period: str) -> dict[str, Decimal]:
        links = edda.spend.period_so_far("saltmarsh", period, wait=60).links
        lines = [line for link in links if link.seller == "oxbow" for line in link.lines]
        return {f"{line.subscription} {line.rate}": line.amount for line in lines if line.subscription == "Field"}

    made = ines.orders.place("saltmarsh", wanted(quantity=2))
    assert fees("2026-11") == {"Field heath": 120}
    ines.orders.place("saltmarsh", wanted(OrderKind.CHANGE, subscription=made.subscription, tier="moor"))
    assert fees("2026-11") == {"Field moor": 400}
    ines.orders.place("saltmarsh", wanted(OrderKind.END, subscription=made.subscription, day=date(2026, 11, 1)))
    assert fees("2026-11") == {} and fees("2026-10").keys() == {"Field moor"}


def test_without_a_policy_all_wait_and_an_approval_binds_its_amount(shop: World) -> None:
    ines, edda = shop.user("ines"), shop.user("edda")
    order = ines.orders.place("saltmarsh", wanted())
    assert order.state == "waiting"
    with pytest.raises(Forbidden):
        ines.orders.approve(order.id, Decimal(60))
    dearer = "rate-card: pasture-gbp\nname: Pasture\nfor: {organisations: [saltmarsh]}\ncurrency: GBP\n"
    rates = "rates: [{rate: heath, fee: pasture/heath, price: 90}, {rate: moor, fee: pasture/moor, price: 200}]\n"
    edda.catalogue.publish("oxbow", files(f"{dearer}starts-on: 2026-10-06\n{rates}"))
    shop.mara.clock.set(moment("2026-10-07"), held=True)
    with pytest.raises(Conflict, match="adds 90 GBP a month by now, 60 GBP were approved"):
        edda.orders.approve(order.id, Decimal(60))
    assert "Field" not in held(ines), "nothing is half done"
    now = next(each for each in edda.orders.list("oxbow") if each.id == order.id)
    assert edda.orders.approve(order.id, Decimal(90), seal=now.seal).amount == 90
    assert held(ines)["Field"].starts_on == date(2026, 10, 7), "no day that is over is charged"

    other = ines.orders.place("saltmarsh", wanted(name="Other", day=date(2026, 10, 8)))
    with pytest.raises(Invalid, match="say why it is refused"):
        edda.connection.post(f"orders/{other.id}/answer", type(other), {"approve": False})
    refused = edda.orders.refuse(other.id, "Not before November")
    assert (refused.state, refused.answer) == ("refused", "Not before November")
    with pytest.raises(Conflict, match="refused already"):
        edda.orders.approve(other.id, Decimal(90))
    last = ines.orders.place("saltmarsh", wanted(name="Last", day=date(2026, 10, 8)))
    assert {ines.orders.withdraw(last.id).state for _ in range(2)} == {"withdrawn"}
    for client in (edda, ines):
        assert sorted(each.state for each in client.orders.list("saltmarsh")) == ["done", "refused", "withdrawn"]


def test_an_order_beyond_quota_offer_or_day_is_refused_at_once_with_figures(shop: World) -> None:
    ines, edda = shop.user("ines"), shop.user("edda")
    shop.mara.quotas.grant("oxbow", "processors", Decimal(100))
    edda.quotas.grant("saltmarsh", "processors", Decimal(20))
    for order, refusal, words in (
        (wanted(tier="moor", quantity=2), QuotaExceeded, "needs 32 vCPU"),
        (wanted(tier="summit"), Invalid, "no tier"),
        (wanted(plan="open-range", tier="summit"), Invalid, "no tier"),
        (wanted(plan="nothing"), NotFound, "nothing"),
        (wanted(day=date(2026, 10, 4)), Invalid, "order from 2026-10-05 on"),
        (wanted(plan=None), Invalid, "names its plan"),
        (wanted(OrderKind.CHANGE), Invalid, "names its subscription"),
        (wanted(OrderKind.CHANGE, subscription=uuid4(), tier="moor"), NotFound, "subscription"),
        (wanted(OrderKind.END, subscription=held(ines)["Open Range"].id), Invalid, "order from 2026-10-06 on"),
        (wanted(reason="x" * 1001), Invalid, "1000"),
    ):
        with pytest.raises(refusal, match=words):
            ines.orders.place("saltmarsh", order)
    assert ines.orders.list("saltmarsh") == []
    with pytest.raises(Conflict, match="buys from nobody"):
        shop.mara.orders.place("tarnwick", wanted(plan="open-range"))
    with pytest.raises(NotFound):
        ines.orders.place("saltmarsh", wanted(OrderKind.END, subscription=of_another(shop), day=date(2026, 11, 1)))


def of_another(shop: World) -> UUID:
    return next(each.id for each in shop.mara.subscriptions.list("quillstone"))


def test_within_a_term_a_customer_takes_no_less(shop: World) -> None:
    ines, edda = shop.user("ines"), shop.user("edda")
    edda.orders.set_policy("oxbow", "GBP", None)
    plan = (
        "plan: pasture\nname: Pasture\nservices: [compute]\nminimum-months: 3\n"
        "tiers: [{tier: heath, name: Heath}, {tier: moor, name: Moor}]\n"
    )
    edda.catalogue.publish("oxbow", files(plan))
    made = ines.orders.place("saltmarsh", wanted(quantity=3))
    fewer = {"subscription": made.subscription, "quantity": 2}
    with pytest.raises(Invalid, match="agreed until 2027-01-05: it may cost less from that day on"):
        ines.orders.place("saltmarsh", wanted(OrderKind.CHANGE, **fewer))
    assert ines.orders.place("saltmarsh", wanted(OrderKind.CHANGE, **fewer, day=date(2027, 1, 5))).amount == -60
    more = wanted(OrderKind.CHANGE, subscription=made.subscription, tier="moor")
    assert ines.orders.place("saltmarsh", more).amount == 420
    edda.catalogue.publish("oxbow", files(plan.replace("tiers:", "trial: {days: 30}\ntiers:")))
    tried = edda.subscriptions.create(
        SubscriptionCreate(organisation="saltmarsh", plan="pasture", tier="heath", name="Tried", quantity=3,
                           starts_on=date(2026, 10, 5), trial_until=date(2026, 11, 4))
    )  # fmt: skip
    fewer = {"subscription": tried.id, "quantity": 2}
    with pytest.raises(Invalid, match="agreed until 2027-01-05"):
        ines.orders.place("saltmarsh", wanted(OrderKind.CHANGE, **fewer, day=date(2026, 11, 5)))
    assert ines.orders.place("saltmarsh", wanted(OrderKind.CHANGE, **fewer, day=date(2026, 10, 20))).amount == -60


def test_nobody_approves_what_it_ordered_itself_and_policies_are_the_sellers_own(shop: World) -> None:
    ines, edda = shop.user("ines"), shop.user("edda")
    join(shop, "ines", "saltmarsh", "both@oxbow.example", Role.ADMINISTRATOR)
    both = shop.user("both@oxbow.example")
    invited = edda.invitations.create("oxbow", email="both@oxbow.example", role=Role.ADMINISTRATOR)
    both.invitations.accept(invited.secret or "")
    order = both.orders.place("saltmarsh", wanted())
    with pytest.raises(Conflict, match="somebody else approves"):
        both.orders.approve(order.id, Decimal(60))
    with pytest.raises(Invalid, match="below 0"):
        edda.orders.set_policy("oxbow", "GBP", Decimal(-1))
    with pytest.raises(Conflict, match="tenant"):
        ines.orders.set_policy("saltmarsh", "GBP", Decimal(5))
    for user in ("ines", "mara"):
        with pytest.raises((Forbidden, NotFound)):
            shop.user(user).orders.set_policy("oxbow", "GBP", None)
        with pytest.raises((Forbidden, NotFound)):
            shop.user(user).orders.policies("oxbow")
    assert edda.orders.policies("oxbow") == []


ORDERS = int(os.environ.get("GRADUMEN_ORDERS", "40"))


def test_of_many_orders_at_once_only_those_that_fit_succeed(shop: World) -> None:
    ines, edda = shop.user("ines"), shop.user("edda")
    shop.mara.quotas.grant("oxbow", "processors", Decimal(100))
    edda.quotas.grant("saltmarsh", "processors", Decimal(40))
    edda.orders.set_policy("oxbow", "GBP", None)

    def order(number: int) -> str:
        try:
            return ines.orders.place("saltmarsh", wanted(name=f"Field {number}")).state
        except QuotaExceeded as problem:
            assert problem.facts["left"] == "0" or Decimal(problem.facts["left"]) < 4
            return "refused"

    with ThreadPoolExecutor(8) as threads:
        states = list(threads.map(order, range(ORDERS)))
    assert states.count("done") == 10
    assert states.count("refused") == ORDERS - 10
    assert sum(name.startswith("Field") for name in held(ines)) == 10


def test_something_new_waits_even_without_fees_and_an_end_is_never_put_off(shop: World) -> None:
    ines, edda = shop.user("ines"), shop.user("edda")
    free = "plan: meadow\nname: Meadow\nservices: [compute]\ntiers: [{tier: only, name: Only}]\n"
    edda.catalogue.publish("oxbow", files(free, "offer: meadow\n"))
    asked = wanted(plan="meadow", tier="only")
    order = ines.orders.place("saltmarsh", asked)
    assert (order.state, order.amount) == ("waiting", 0)
    ines.orders.withdraw(order.id)
    edda.orders.set_policy("oxbow", "GBP", Decimal(1))
    made = ines.orders.place("saltmarsh", asked)
    assert made.state == "done"

    ends = {"subscription": made.subscription, "day": date(2026, 10, 20)}
    assert ines.orders.place("saltmarsh", wanted(OrderKind.END, **ends)).state == "done"
    with pytest.raises(Invalid, match="ends with 2026-10-19 already"):
        ines.orders.place("saltmarsh", wanted(OrderKind.END, **{**ends, "day": date(2026, 12, 1)}))
    assert held(ines)["Field"].ends_on == date(2026, 10, 20)


def test_beyond_the_limit_of_its_own_another_administrator_approves_first(shop: World) -> None:
    ines, edda = shop.user("ines"), shop.user("edda")
    edda.orders.set_policy("oxbow", "GBP", Decimal(100))
    ines.orders.set_policy("saltmarsh", "GBP", Decimal(70), Approver.OWN)
    join(shop, "ines", "saltmarsh", "alma@saltmarsh.example", Role.ADMINISTRATOR)
    join(shop, "ines", "saltmarsh", "fay@saltmarsh.example", Role.FINANCE)
    alma, fay = shop.user("alma@saltmarsh.example"), shop.user("fay@saltmarsh.example")
    assert ines.orders.place("saltmarsh", wanted(name="Small")).state == "done"

    order = fay.orders.place("saltmarsh", wanted(name="More"))
    assert (order.state, order.waits_for, order.amount) == ("waiting", "own", 60)
    assert [each.kind for each in edda.to_dos.list("oxbow") if each.kind == "order"] == []
    # What they decide among themselves is none of their seller's business, in lists, by id and in its record.
    assert order.id not in {each.id for slug in ("oxbow", "saltmarsh") for each in edda.orders.list(slug)}
    with pytest.raises(NotFound):
        edda.orders.refuse(order.id, "No")
    assert [each.subject for each in edda.audit_entries.list("oxbow") if each.action == "order waits"] == []
    (todo,) = [each for each in alma.to_dos.list("saltmarsh") if each.kind == "order"]
    assert todo.title == "Fay orders Our Pasture Small from 2026-10-05: 60.00 GBP a month"
    with pytest.raises(Forbidden):
        fay.orders.approve(order.id, Decimal(60))
    with pytest.raises(Conflict, match="60 GBP a month by now, 50 GBP"):
        alma.orders.approve(order.id, Decimal(50))
    # 60 went through at its seller's already, and 60 more are above what that lets through.
    for _ in range(2):
        passed = alma.orders.approve(order.id, Decimal(60))
        assert (passed.state, passed.waits_for) == ("waiting", "seller")
    done = edda.orders.approve(order.id, Decimal(60))
    assert (done.state, done.waits_for, done.answered_by) == ("done", None, "Oxbow Managed IT")
    assert {"Small", "More"} <= set(held(ines))
    again = ines.orders.place("saltmarsh", wanted(name="Yet more"))
    assert again.waits_for == "own"
    with pytest.raises(Conflict, match="somebody else"):
        ines.orders.approve(again.id, Decimal(60))
    refused = alma.orders.refuse(again.id, "Enough  of it")
    assert (refused.state, refused.answer, refused.answered_by) == ("refused", "Enough of it", "Alma")
    (note,) = [each for each in ines.to_dos.list("saltmarsh") if each.kind == "order" and "refused" in each.title]
    assert note.title.endswith("Alma refused it")
    assert again.id not in {each.id for each in edda.orders.list("saltmarsh")}
    assert "order refused" not in {each.action for each in edda.audit_entries.list("oxbow")}
    with pytest.raises(Forbidden):
        fay.orders.set_policy("saltmarsh", "GBP", None, Approver.OWN)
    with pytest.raises(Conflict, match="buys from nobody"):
        shop.mara.orders.set_policy("tarnwick", "EUR", None, Approver.OWN)


def test_an_approval_is_of_the_plan_and_prices_that_were_ordered_or_read_since(shop: World) -> None:
    """What is approved is what was looked at: not another version of the plan, and no other prices than these."""
    ines, edda = shop.user("ines"), shop.user("edda")
    first, second = (ines.orders.place("saltmarsh", wanted(name=name)) for name in ("One", "Two"))
    assert (first.changed, first.state) == ([], "waiting")
    plan = (
        "plan: pasture\nname: Pasture\nservices: [compute]\nminimum-months: 0\n"
        "tiers: [{tier: heath, name: Heath, quotas: {processors: 2}}, {tier: moor, name: Moor, quotas: {processors: 16}}]\n"
    )
    edda.catalogue.publish("oxbow", files(plan))
    read = next(each for each in edda.orders.list("oxbow") if each.id == first.id)
    assert read.changed == ["plan"] and read.seal != first.seal
    for seal in (None, first.seal):
        with pytest.raises(EditedMeanwhile, match="its plan changed since it was ordered") as refused:
            edda.orders.approve(first.id, Decimal(60), seal=seal)
        assert refused.value.facts["field"] == "seal"
    assert ines.orders.list("saltmarsh")[0].state == "waiting", "nothing is half done"
    done = edda.orders.approve(first.id, Decimal(60), seal=read.seal)
    assert (done.state, done.changed, done.seal) == ("done", [], "")

    fees = ", ".join(f"{{rate: {tier}, fee: pasture/{tier}, price: {price - 1}}}" for tier, price in FEES.items())
    card = (
        "rate-card: pasture-gbp\nname: Pasture\nfor: {organisations: [saltmarsh]}\ncurrency: GBP\n"
        f"starts-on: 2026-12-01\nrates: [{fees}]\n"
    )
    edda.catalogue.publish("oxbow", files(card))
    with pytest.raises(EditedMeanwhile, match="its plan and prices changed"):
        edda.orders.approve(second.id, Decimal(60), seal=read.seal)
    now = next(each for each in edda.orders.list("oxbow") if each.id == second.id)
    assert now.changed == ["plan", "prices"]
    assert edda.orders.approve(second.id, Decimal(60), seal=now.seal).state == "done"
