"""Bill runs: nothing twice, nothing lost, late usage with its own period."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date
from decimal import Decimal
from typing import Any

import pytest
from sqlalchemy import select, text, update

from gradumen.client import Client
from gradumen.core.errors import Conflict, Invalid, NotFound, PeriodOpen
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate
from tests.conftest import Service
from tests.world import EMAILS, GIB, PASSWORD, World, egress, files, moment, rate_card, reading, world_amounts


def test_a_period_that_is_not_over_stays_open(world: World) -> None:
    with pytest.raises(PeriodOpen, match="2026-10 is open"):
        world.mara.bill_runs.start("tarnwick", "2026-10")
    with pytest.raises(Invalid, match="write it like"):
        world.mara.bill_runs.start("tarnwick", "October")


def test_running_again_finds_nothing(world: World) -> None:
    world.send(reading("a"), egress("b", 100 * GIB))
    first = world.close("tarnwick", "finn", "2026-09")
    again = world.close("tarnwick", "finn", "2026-09")

    assert [each.buyer for each in first] == ["oxbow", "quillstone"]
    assert again == []
    assert world.close("tarnwick", "finn", "2026-08") == []


def test_drafts_are_replaced_until_they_are_issued(world: World) -> None:
    world.send(egress("a", 20 * GIB))
    before = world.close("tarnwick", "finn", "2026-09", issue=False)
    world.send(egress("b", 30 * GIB))
    after = world.close("tarnwick", "finn", "2026-09", issue=False)

    assert len(before) == len(after) == 2
    assert world_amounts(after)["oxbow"] > world_amounts(before)["oxbow"]
    with pytest.raises(NotFound):
        world.user("finn").invoices.get(before[0].id)
    world.user("finn").invoices.discard(after[0].id)
    assert len(world.close("tarnwick", "finn", "2026-09")) == 2


def test_late_usage_goes_on_the_next_document_with_its_own_period(world: World) -> None:
    """August in two pieces comes to the same, to the cent, as August in one."""
    world.send(egress("a", 33 * GIB, start="2026-08-03T00:00:00Z", end="2026-08-03T01:00:00Z"))
    august = world.close("tarnwick", "finn", "2026-08")
    world.send(egress("late", 40 * GIB + 1, start="2026-08-04T00:00:00Z", end="2026-08-04T01:00:00Z"))
    september = world.close("tarnwick", "finn", "2026-09")
    oxbow = next(each for each in september if each.buyer == "oxbow")
    late = [line for line in oxbow.lines if line.service_start < moment("2026-08-31")]

    assert [line.rate for line in late] == ["egress"]
    whole = 73 * GIB + 1 - 10 * GIB
    exact = (Decimal(50) * Decimal("0.049") + (Decimal(whole) / GIB - 50) * Decimal("0.035")).quantize(Decimal("0.01"))
    billed = [
        line.amount
        for each in (*august, oxbow)
        for line in each.lines
        if line.rate == "egress" and each.buyer == "oxbow"
    ]
    assert sum(billed, Decimal(0)) == exact
    explained = world.user("finn").charges.explain(late[0].charge_id) if late[0].charge_id else None
    assert (
        explained is not None
        and explained.explanation.billed_before is not None
        and explained.explanation.billed_before.amount > 0
    )


def test_what_was_cancelled_after_it_was_billed_is_given_back(world: World) -> None:
    world.send(egress("a", 500 * GIB, owner="quillstone/archive"))
    first = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    world.send(egress("a", 0, owner="quillstone/archive", sequence=1))
    subscription = world.mara.subscriptions.list("quillstone")[0]
    world.mara.subscriptions.end(subscription.id, moment("2026-09-01").date())
    note = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")

    assert note.kind == "credit_note"
    assert (note.number or "").startswith("TARNWICK-2026-C")
    kept = Decimal(79)  # August's fee stays.
    assert first.net + note.net == kept
    assert first.gross + note.gross == kept * Decimal("1.23")


def test_issuing_a_draft_twice_at_once_gives_one_number(world: World) -> None:
    world.send(reading("a"))
    drafts = world.close("tarnwick", "finn", "2026-09", issue=False)
    clients = [Client(world.url) for _ in range(6)]
    for client in clients:
        client.sign_in(EMAILS["finn"], PASSWORD)
    gate = threading.Barrier(len(clients))
    numbers: list[str | None] = []

    def issue(client: Client) -> None:
        gate.wait()
        numbers.extend(client.invoices.issue(draft.id).number for draft in drafts)

    threads = [threading.Thread(target=issue, args=(client,)) for client in clients]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    for client in clients:
        client.close()

    assert len(numbers) == 12
    assert sorted(set(numbers), key=str) == ["TARNWICK-2026-00001", "TARNWICK-2026-00002"]


def test_issued_documents_stay(world: World) -> None:
    world.send(reading("a"))
    invoice = world.close("tarnwick", "finn", "2026-09")[0]
    with pytest.raises(Conflict, match="issued and stays"):
        world.user("finn").invoices.discard(invoice.id)
    assert world.user("finn").invoices.get(invoice.id) == world.user("finn").invoices.issue(invoice.id)


def test_a_missing_tax_rate_fails_the_run_with_the_remedy(world: World) -> None:
    world.mara.organisations.create(_tenant("faraway", country="JP"))
    world.mara.subscriptions.create(_subscription("faraway"))
    run = world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)

    assert run.state == "needs a hand"
    assert "no tax rate for buyers in JP" in (run.problem or "")
    assert {each.buyer for each in world.mara.invoices.list(state="draft")} == {"oxbow", "quillstone"}
    world.mara.tax_rates.set("tarnwick", country="JP", percent=Decimal(0), starts_on=date(2020, 1, 1), category="O")
    assert len(world.close("tarnwick", "mara", "2026-09")) == 3


def _tenant(slug: str, country: str) -> OrganisationCreate:
    return OrganisationCreate(parent="tarnwick", type="tenant", slug=slug, name=slug, country=country, currency="EUR")


def _subscription(slug: str) -> SubscriptionCreate:
    return SubscriptionCreate(organisation=slug, plan="open-range", tier="moor", name="x", starts_on=date(2026, 9, 1))


ADVANCE = """
rate-card: paid-ahead
name: Paid ahead
for: named
currency: EUR
starts-on: 2026-01-01
rates: [{rate: ahead, fee: open-range/moor, price: 745, advance: true}]
"""


def paid_ahead(starts_on: date) -> SubscriptionCreate:
    """A subscription that is priced by `ADVANCE`."""
    return SubscriptionCreate(
        organisation="quillstone",
        plan="open-range",
        tier="moor",
        name="Ahead",
        starts_on=starts_on,
        rate_card="paid-ahead",
    )


@pytest.mark.parametrize(
    ("change", "expected"),
    [({"quantity": 2}, "1106"), ({"tier": "heath"}, "-1106"), (None, "-1106")],
)
def test_a_fee_in_advance_is_billed_once_whatever_changes(
    world: World, change: dict[str, Any] | None, expected: str
) -> None:
    """October has 745 hours in Dublin. Of 745 and 745 billed ahead, a change on 17 October gives back 361 and 745."""
    world.mara.catalogue.publish("tarnwick", files(ADVANCE))
    made = world.mara.subscriptions.create(paid_ahead(date(2026, 10, 1)))

    def ahead() -> Decimal:
        bought = [each for each in world.close("tarnwick", "finn", "2026-10") if each.buyer == "quillstone"]
        lines = [line for each in bought for line in each.lines if line.subscription == "Ahead"]
        return sum((line.amount for line in lines), Decimal(0))

    world.mara.clock.set(moment("2026-11-02"), held=True)
    assert ahead() == 1490
    if change is None:
        world.mara.subscriptions.end(made.id, date(2026, 10, 17))
    else:
        world.mara.subscriptions.change(made.id, SubscriptionChange(starts_on=date(2026, 10, 17), **change))
    assert ahead() == Decimal(expected)
    assert ahead() == 0


def test_what_is_billed_in_advance_leaves_the_rest_of_its_month_to_bill(world: World) -> None:
    """Nothing changes in November; its monthly fee in arrears is billed all the same."""
    world.mara.catalogue.publish("tarnwick", files(ADVANCE))
    world.mara.subscriptions.create(paid_ahead(date(2026, 10, 1)))
    billed = {}
    for day, period in (("2026-11-02", "2026-10"), ("2026-12-02", "2026-11")):
        world.mara.clock.set(moment(day), held=True)
        (bought,) = [each for each in world.close("tarnwick", "finn", period) if each.buyer == "quillstone"]
        billed[period] = sorted((line.subscription, line.amount) for line in bought.lines)

    assert billed["2026-10"] == [("Ahead", 745), ("Ahead", 745), *[("Open Range", 79)] * 3]
    assert billed["2026-11"] == [("Ahead", 745), ("Open Range", 79)]


def quarterly(price: int, starts_on: str) -> str:
    card = ADVANCE.replace("advance: true", "every: quarter, advance: true")
    return card.replace("price: 745", f"price: {price}").replace("2026-01-01", starts_on)


@pytest.mark.parametrize("what", ["quantity", "end", "pause", "new version"])
def test_a_term_in_advance_is_billed_once_whatever_changes(world: World, what: str) -> None:
    """From August to October are 2209 hours in Dublin, 529 of them from 10 October on; each costs 1."""
    mara = world.mara
    mara.catalogue.publish("tarnwick", files(quarterly(2209, "2026-01-01")))
    made = mara.subscriptions.create(paid_ahead(date(2026, 8, 1)))

    def ahead(period: str) -> Decimal:
        bought = [each for each in world.close("tarnwick", "finn", period) if each.buyer == "quillstone"]
        return sum((line.amount for each in bought for line in each.lines if line.subscription == "Ahead"), Decimal(0))

    assert ahead("2026-08") == 2209
    if what == "quantity":
        mara.subscriptions.change(made.id, SubscriptionChange(starts_on=date(2026, 10, 10), quantity=3))
    elif what == "end":
        mara.subscriptions.end(made.id, date(2026, 10, 10))
    elif what == "pause":
        mara.subscriptions.change(made.id, SubscriptionChange(starts_on=date(2026, 10, 10), paused=True))
    else:
        mara.catalogue.publish("tarnwick", files(quarterly(3 * 2209, "2026-10-10")))
    change = 2 * 529 if what in ("quantity", "new version") else -529
    assert ahead("2026-09") == change
    assert ahead("2026-09") == 0
    mara.clock.set(moment("2026-11-02"), held=True)
    following = {"quantity": 3 * 2209, "new version": 3 * 2209}.get(what, 0)
    assert ahead("2026-10") == following
    assert ahead("2026-10") == 0


def test_charges_in_two_currencies_are_on_two_documents(world: World, service: Service) -> None:
    """A buyer whose currency was not that of a card by which it once subscribed."""
    finn = world.user("finn")
    world.send(egress("a", 20 * GIB, owner="quillstone/archive"))
    subscribed_in_pounds(world, service)
    so_far = [
        each for each in finn.spend.period_so_far("quillstone", "2026-09", wait=60).links if each.buyer == "quillstone"
    ]
    billed = [each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone"]

    assert sorted(each.currency for each in billed) == sorted(each.currency for each in so_far) == ["EUR", "GBP"]
    for each in billed:
        assert {line.subscription for line in each.lines} == {"Second" if each.currency == "GBP" else "Open Range"}
        assert each.net == sum(line.amount for line in each.lines)


def test_a_draft_that_is_discarded_is_made_again_though_its_other_currency_is_issued(
    world: World, service: Service
) -> None:
    finn = world.user("finn")
    subscribed_in_pounds(world, service)
    drafts = {
        each.currency: each
        for each in world.close("tarnwick", "finn", "2026-09", issue=False)
        if each.buyer == "quillstone"
    }
    finn.invoices.discard(drafts["GBP"].id)
    issued = finn.invoices.issue(drafts["EUR"].id)
    again = [each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone"]

    assert [(each.currency, each.net) for each in again] == [("GBP", drafts["GBP"].net)]
    assert issued.net == drafts["EUR"].net
    assert world.close("tarnwick", "finn", "2026-09") == []


SECOND = SubscriptionCreate(
    organisation="quillstone", plan="open-range", tier="heath", name="Second", starts_on=date(2026, 9, 1)
)


def subscribed_in_pounds(world: World, service: Service) -> None:
    """Quillstone, which buys in euros, has a second subscription by a card in pounds."""
    with buying_in(service, "quillstone", "GBP"):
        world.mara.catalogue.publish("tarnwick", files(rate_card("tenants-gbp", "GBP", "tenants", "2")))
        world.mara.subscriptions.create(SECOND)


@contextmanager
def buying_in(service: Service, slug: str, currency: str) -> Iterator[None]:
    """A buyer's currency, while it lasts: nothing in the interface changes it yet."""
    engine = service.uow.engine
    with engine.begin() as connection:
        buyer = OrganisationRow.__table__.c
        before = connection.scalar(select(buyer.currency).where(buyer.slug == slug))
        connection.execute(update(OrganisationRow).where(buyer.slug == slug).values(currency=currency))
    yield
    with engine.begin() as connection:
        connection.execute(update(OrganisationRow).where(buyer.slug == slug).values(currency=before))


def test_no_document_is_dated_before_an_earlier_number(world: World) -> None:
    """Where the business clock was set back, issuing waits."""
    world.send(egress("a", 20 * GIB))
    world.close("tarnwick", "finn", "2026-08")
    drafts = world.close("tarnwick", "finn", "2026-09", issue=False)
    world.mara.clock.set(moment("2026-10-04"), held=True)

    with pytest.raises(Conflict, match="issued documents up to 2026-10-05"):
        world.user("finn").invoices.issue(drafts[0].id)
    world.mara.clock.set(moment("2026-10-05 08:00"), held=True)
    assert world.user("finn").invoices.issue(drafts[0].id).number


POOLED = """
rate-card: pooled
name: Pooled over the buyer
for: {organisations: [oxbow]}
currency: GBP
starts-on: 2026-01-01
rates:
  - {rate: traffic, meter: network/egress, per: GiB, over: buyer, blocks: [{to: 150, price: 1}, {price: 0.5}]}
"""


def test_the_period_so_far_of_one_tenant_is_its_share_of_the_bill(world: World) -> None:
    """A rate over the buyer is priced over all that the reseller bought, also where one tenant is looked at."""
    world.user("finn").catalogue.publish("tarnwick", files(POOLED))
    world.mara.clock.set(moment("2026-11-03"), held=True)
    for organisation, project in (("saltmarsh", "harbour"), ("thistledown", "records")):
        world.user("edda").subscriptions.create(
            SubscriptionCreate(
                organisation=organisation,
                project=project,
                plan="open-range",
                tier="moor",
                name="Pool",
                starts_on=date(2026, 10, 1),
            )
        )
    october = {"start": "2026-10-03T00:00:00Z", "end": "2026-10-03T01:00:00Z"}
    world.send(
        egress("a", 210 * GIB, owner="saltmarsh/harbour", **october),
        egress("b", 200 * GIB, owner="thistledown/records", **october),
    )
    shown = {
        tenant: sum(
            (
                line.amount
                for link in world.user("finn").spend.period_so_far(tenant, "2026-10", wait=60).links
                for line in link.lines
                if (link.seller, line.rate) == ("tarnwick", "traffic")
            ),
            Decimal(0),
        )
        for tenant in ("saltmarsh", "thistledown")
    }
    billed = [
        line
        for each in world.close("tarnwick", "finn", "2026-10")
        for line in each.lines
        if (each.buyer, line.rate) == ("oxbow", "traffic")
    ]

    assert shown["thistledown"] < 175
    assert {slug: sum(line.amount for line in billed if line.organisation == slug) for slug in shown} == shown


def test_what_todays_rules_price_differently_is_listed_per_buyer_and_billed_by_nobody(
    world: World, service: Service
) -> None:
    world.send(egress("a", 300 * GIB), egress("b", 10**12, owner="quillstone/archive"))
    world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)
    draft = next(each for each in world.mara.invoices.list(state="draft") if each.buyer == "quillstone")
    line = next(each for each in world.mara.invoices.get(draft.id).lines if each.rate == "egress")
    # As an earlier release, whose rule was another, would have priced it: seven less.
    with service.uow.engine.begin() as connection:
        for statement in (
            "UPDATE charges SET amount = amount - 7 WHERE id = :charge",
            "UPDATE charge_parts SET amount = amount - 7 WHERE charge_id = :charge AND position = "
            "(SELECT MIN(position) FROM charge_parts WHERE charge_id = :charge)",
            "UPDATE invoice_lines SET amount = amount - 7 WHERE charge_id = :charge",
        ):
            connection.execute(text(statement), {"charge": line.charge_id.hex})
    assert world.mara.bill_runs.differences("tarnwick") == [], "drafts are not issued"
    for each in world.mara.invoices.list(state="draft"):
        world.mara.invoices.issue(each.id)
    before = world.mara.invoices.list()

    (found,) = world.mara.bill_runs.differences("tarnwick")
    assert (found.period, found.buyer, found.currency) == ("2026-09", "quillstone", "EUR")
    assert (found.difference, found.today - found.billed) == (Decimal(7), Decimal(7))
    assert world.user("finn").bill_runs.differences("tarnwick") == [found]
    assert world.mara.invoices.list() == before

    run = world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)
    assert (run.state, run.drafts) == ("done", 0), "no run bills it by itself"
    world.send(egress("late", 10**9, owner="quillstone/archive"))
    assert world.mara.bill_runs.differences("tarnwick") == [], "usage has changed: the next run looks at all of it"
