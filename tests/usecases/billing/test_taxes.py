"""Tax on documents: decided on the day of issue, and given back as it was charged."""

from datetime import UTC, date, datetime
from decimal import Decimal
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from gradumen.core.billing.documents import Left, Origin, Share, TaxedLine, split_difference, taxes_of
from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeCreate
from tests.conftest import Service
from tests.world import World, egress


def set_tax(world: World, percent: int, starts_on: date, category: str = "S") -> None:
    world.mara.tax_rates.set("tarnwick", country="IE", percent=Decimal(percent), starts_on=starts_on, category=category)


def at(world: World, *day: int) -> None:
    world.mara.clock.set(datetime(2026, *day, 12, tzinfo=UTC), held=True)


def charge(world: World, amount: str, day: str = "2026-09-02") -> str:
    """A charge by hand on what Quillstone has; gives its id."""
    made = world.mara.one_off_charges.enter(
        OneOffChargeCreate.model_validate(
            {
                "seller": "tarnwick",
                "organisation": "quillstone",
                "subscription": "Open Range",
                "day": day,
                "description": "Work by the hour",
                "amount": amount,
                "currency": "EUR",
            }
        )
    )
    return str(made.id)


def close(world: World, *, issue: bool = True) -> InvoiceBody | None:
    """Quillstone's document of September's run; None where there is nothing to bill it."""
    found = [each for each in world.close("tarnwick", "finn", "2026-09", issue=issue) if each.buyer == "quillstone"]
    return world.mara.invoices.get(found[0].id) if found else None


@pytest.fixture
def billed(world: World) -> World:
    """All that Quillstone owes for fees is billed, so that what follows stands alone."""
    close(world)
    return world


def taxes(invoice: InvoiceBody | None) -> list[tuple[str, Decimal, Decimal, Decimal]]:
    assert invoice is not None
    assert invoice.tax == sum((each.tax for each in invoice.taxes), Decimal(0))
    assert invoice.gross == invoice.net + invoice.tax
    return [(each.category, each.percent, each.net, each.tax) for each in invoice.taxes]


def test_what_is_given_back_has_the_tax_that_it_was_charged_with(billed: World) -> None:
    """1000 and its tax are charged, 7 % holds from 10 November, and the charge is withdrawn: all of its tax returns."""
    entered = charge(billed, "1000")
    first = close(billed)
    assert taxes(first) == [("S", Decimal(23), Decimal(1000), Decimal(230))]
    at(billed, 11, 12)
    set_tax(billed, 7, date(2026, 11, 10))
    billed.mara.connection.http.post(f"one-off-charges/{entered}/withdraw")
    credit = close(billed)
    assert taxes(credit) == [("S", Decimal(23), Decimal(-1000), Decimal(-230))]
    assert credit is not None and first is not None
    assert [(line.amount, line.tax_percent, line.corrects) for line in credit.lines] == [
        (Decimal(-1000), Decimal(23), first.number)
    ]
    assert credit.tax_percent == 7, "its own tax, of what it would charge anew"


def test_new_charges_beside_a_correction_have_the_tax_of_their_day(billed: World) -> None:
    entered = charge(billed, "1000")
    first = close(billed)
    at(billed, 11, 12)
    set_tax(billed, 7, date(2026, 11, 10))
    billed.mara.connection.http.post(f"one-off-charges/{entered}/withdraw")
    charge(billed, "50")
    second = close(billed)
    assert taxes(second) == [
        ("S", Decimal(7), Decimal(50), Decimal("3.50")),
        ("S", Decimal(23), Decimal(-1000), Decimal(-230)),
    ]
    assert first is not None and second is not None
    pdf = billed.mara.invoices.pdf(second.id)
    assert pdf.startswith(b"%PDF")


def test_a_documents_own_tax_is_that_of_the_day_on_which_it_is_issued(billed: World) -> None:
    """Drafted at 23 %; 25 % holds from the day on which it is issued."""
    charge(billed, "1000")
    draft = close(billed, issue=False)
    assert taxes(draft) == [("S", Decimal(23), Decimal(1000), Decimal(230))]
    assert draft is not None
    set_tax(billed, 25, date(2026, 10, 6))
    at(billed, 10, 6)
    issued = billed.user("finn").invoices.issue(draft.id)
    assert (issued.tax_percent, issued.gross) == (25, 1250)
    assert taxes(billed.mara.invoices.get(draft.id)) == [("S", Decimal(25), Decimal(1000), Decimal(250))]
    assert billed.user("finn").invoices.issue(draft.id) == issued


def test_what_usage_gives_back_goes_to_the_newest_document_that_charged_it(billed: World, service: Service) -> None:
    """Charged in two documents at 23 and 7 %; less usage than both takes from the second, then from the first."""
    billed.send(egress("a", 500 * 2**30, owner="quillstone/archive"))
    first = close(billed)
    at(billed, 11, 12)
    set_tax(billed, 7, date(2026, 11, 10))
    billed.send(egress("b", 100 * 2**30, owner="quillstone/archive", resource="other"))
    second = close(billed)
    assert first is not None and second is not None
    assert (first.tax_percent, second.tax_percent) == (23, 7)
    billed.send(
        egress("a", 0, owner="quillstone/archive", sequence=2),
        egress("b", 0, owner="quillstone/archive", resource="other", sequence=2),
    )
    third = close(billed)
    assert third is not None
    assert third.net == -(first.net + second.net)
    assert third.tax == -(first.tax + second.tax), "nothing of the tax is left"
    assert {line.corrects for line in third.lines} == {first.number, second.number}
    with service.uow.engine.connect() as connection:
        left = connection.execute(
            text(
                "SELECT t.percent, SUM(t.tax) FROM invoice_taxes t JOIN invoices i ON i.id = t.invoice_id "
                "WHERE i.number IN (:a, :b, :c) GROUP BY t.percent"
            ),
            {"a": first.number, "b": second.number, "c": third.number},
        ).all()
    assert dict(map(tuple, left)) == {Decimal(23): 0, Decimal(7): 0}


def test_a_line_that_is_negative_by_itself_is_given_back_by_a_positive_one() -> None:
    """As a discount is: taken back, it has the tax that it lessened; beyond that, it is charged anew."""
    origins = [Origin("A", "S", Decimal(23), Decimal(-40))]
    assert split_difference(Decimal(-5), origins) == [Share(None, Decimal(-5))]
    given, new = split_difference(Decimal(50), origins)
    assert (given.origin and given.origin.document, given.amount, new) == ("A", Decimal(40), Share(None, Decimal(10)))
    assert origins[0].left == 0
    lines = [TaxedLine("S", Decimal(23), given.amount, "A"), TaxedLine("S", Decimal(7), new.amount)]
    assert [each.tax for each in taxes_of(lines, "EUR", {"A": Left(Decimal(-40), Decimal("-9.20"))}).groups] == [
        Decimal("0.70"),
        Decimal("9.20"),
    ]


def test_a_document_of_before_that_gave_back_more_than_it_charged_bounds_nothing() -> None:
    """It has a charge of 50 and gave back 1000 without naming its document: its own tax is below zero."""
    taxes = taxes_of(
        [TaxedLine("S", Decimal(19), Decimal(-50), "B")], "EUR", {"B": Left(Decimal(-950), Decimal("-180.50"))}
    )
    assert [each.tax for each in taxes.groups] == [Decimal("-9.50")]
    assert taxes.given_back == {"B": Decimal("-9.50")}


@given(
    st.lists(st.tuples(st.integers(1, 500), st.integers(1, 40)), min_size=1, max_size=4),
    st.sampled_from([Decimal(7), Decimal("19.25"), Decimal(23)]),
    st.randoms(use_true_random=False),
)
def test_whatever_is_given_back_in_whatever_pieces_the_tax_is_gone_at_the_end_and_never_below(
    charged: list[tuple[int, int]], percent: Decimal, random: Random
) -> None:
    """Documents charge cents; credits take it all back in random pieces over random documents."""
    cents = Decimal("0.01")
    rest = {number: amount for number, (amount, _) in enumerate(charged)}
    left = {
        number: taxes_of([TaxedLine("S", percent, amount * cents)], "EUR", {}).groups[0].tax
        for number, (amount, _) in enumerate(charged)
    }
    while any(rest.values()):
        chosen = [number for number in rest if rest[number] and random.random() < 0.7]
        pieces = {number: random.randint(1, rest[number]) for number in chosen}
        lines = [TaxedLine("S", percent, -piece * cents, number) for number, piece in pieces.items()]
        taxes = taxes_of(lines, "EUR", {number: Left(rest[number] * cents, tax) for number, tax in left.items()})
        assert sum((each.tax for each in taxes.groups), Decimal(0)) == sum(taxes.given_back.values(), Decimal(0))
        for number, piece in pieces.items():
            rest[number] -= piece
            left[number] += taxes.given_back.get(number, Decimal(0))
            assert left[number] >= 0
    # Each credit is rounded for itself; no more than half a cent of tax for each is left over.
    assert all(each >= 0 for each in left.values())


def test_many_small_corrections_never_give_back_more_tax_than_was_charged(billed: World) -> None:
    """Each cent of tax is rounded for itself; together they stop at what was charged."""
    entered = [charge(billed, "0.03") for _ in range(6)]
    first = close(billed)
    assert first is not None and (first.net, first.tax) == (Decimal("0.18"), Decimal("0.04"))
    returned = Decimal(0)
    for each in entered:
        billed.mara.connection.http.post(f"one-off-charges/{each}/withdraw")
        credit = close(billed)
        assert credit is not None and credit.net == Decimal("-0.03")
        returned += credit.tax
    assert returned == Decimal("-0.04")


def test_what_a_discount_took_off_stays_off_with_its_tax() -> None:
    """100 charged and 100 off, without tax; then the 100 are charged again on a day of another percentage."""
    lines = [TaxedLine("S", Decimal(23), Decimal(-100), "A"), TaxedLine("S", Decimal(7), Decimal(100))]
    nothing = Left(Decimal(0), Decimal(0))
    taxes = taxes_of(lines, "EUR", {"A": nothing})
    assert [each.tax for each in taxes.groups] == [Decimal(7), Decimal(-23)], "of the 100 that are off, which are left"
    assert taxes.given_back == {"A": Decimal(-23)}


def test_a_rate_set_while_a_document_is_issued_waits_for_it(billed: World, service: Service) -> None:
    """Setting a rate writes the seller's document row, which issuing holds."""
    before = version(service)
    set_tax(billed, 24, date(2026, 12, 1))
    assert version(service) > before


def version(service: Service) -> int:
    with service.uow.engine.connect() as connection:
        return int(
            connection.scalar(
                text(
                    "SELECT c.version FROM document_counters c JOIN organisations o ON o.id = c.seller_id "
                    "WHERE o.slug = 'tarnwick' AND c.series = 'all'"
                )
            )
        )
