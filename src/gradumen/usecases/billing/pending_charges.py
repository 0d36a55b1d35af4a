"""What is still to bill of charges, and the rows that it becomes on a draft."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.core.billing.documents import Figures, Origin, TaxedLine, split_difference
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, add, allocate, scaled, unscaled
from gradumen.core.rating.charges import Charge
from gradumen.store.billing.drafts import ChargeKey, PartKey
from gradumen.store.billing.tables import InvoiceLineRow
from gradumen.store.pairs import PairRow
from gradumen.usecases.billing.stored_lines import line_document
from gradumen.usecases.rating.charges import Line
from gradumen.usecases.rating.links import RatedPeriod

NOTHING: Figures = (Decimal(0), Decimal(0))
BilledOrigin = Origin[UUID]


@dataclass(slots=True)
class Billed:
    """What is billed of a line in all, and by which documents, the newest first."""

    line: Line
    origins: list[BilledOrigin]


@dataclass(slots=True)
class Pending:
    """A charge that goes on a draft: only what is not billed yet."""

    pair: PairRow
    currency: str
    key: ChargeKey
    meter: str | None
    start: datetime
    end: datetime
    evidence: str
    explanation: dict[str, Any]
    lines: list[Line]
    parts: dict[PartKey, Figures]
    position: int | None = None
    """That of the stored charge whose parts it has, all of them; else it has ``parts``."""
    sums: Figures = NOTHING
    """Quantity and amount of the parts."""
    origins: dict[str | None, list[BilledOrigin]] = field(default_factory=dict)


def given_back(pair: PairRow, currency: str, key: ChargeKey, gone: dict[str | None, Billed]) -> Pending:
    """What is billed of a charge that is no longer there, to give back."""
    first = next(iter(gone.values())).line
    explanation = {
        "kind": "given_back",
        "rate": key[2],
        "blocks": [],
        "amount": "0",
        "quantity": "0",
        "delivery": pair.delivery_id,
    }
    return Pending(pair, currency, key, None, first.service_start, first.service_end, "", explanation, [], {})


def note_origin(origins: list[BilledOrigin], row: InvoiceLineRow) -> None:
    """Add an issued line to what its document charged, or take it off what it gives back; the newest stay first."""
    document = row.corrects_id or row.invoice_id
    known = next((each for each in origins if each.document == document), None)
    if known is None:
        origins.insert(0, Origin(document, row.tax_category, row.tax_percent, row.amount))
    else:
        known.left = add([known.left, row.amount])


def taxed_lines_of(each: Pending) -> Iterator[tuple[Line, BilledOrigin | None]]:
    """The lines of what is pending, apart by the documents that they give back."""
    for line in each.lines:
        shares = split_difference(line.amount, each.origins.get(line.project, []))
        quantities = allocate(
            scaled(line.quantity, QUANTITY_PLACES), [scaled(abs(share.amount), AMOUNT_PLACES) for share in shares]
        )
        for share, quantity in zip(shares, quantities, strict=True):
            yield replace(line, quantity=unscaled(quantity, QUANTITY_PLACES), amount=share.amount), share.origin


def parts_of(rated: RatedPeriod, charge: Charge) -> dict[PartKey, Figures]:
    """A charge's parts, as documents have them."""
    whole_project = rated.lines[charge.line].subscription.project_id
    return {
        (
            whole_project if part.project is None else rated.projects[part.project].id,
            None if part.resource is None else rated.resources.names[part.resource],
            part.day,
        ): (part.quantity, part.amount)
        for part in charge.parts
    }


def sum_of(parts: Iterable[Figures]) -> Figures:
    """Quantity and amount of parts together."""
    figures = [*parts]
    return add([quantity for quantity, _ in figures]), add([amount for _, amount in figures])


def line_values(invoice: UUID, position: int, charge: UUID, line: Line, taxed: TaxedLine[UUID]) -> dict[str, Any]:
    """The row of a line."""
    return {
        "invoice_id": invoice,
        "position": position,
        "charge_id": charge,
        "document": line_document(line),
        "amount": line.amount,
        "tax_category": taxed.category,
        "tax_percent": taxed.percent,
        "corrects_id": taxed.corrects,
    }


def charge_values(each: Pending, charge_id: UUID, invoice_id: UUID) -> dict[str, Any]:
    """The row of a charge."""
    line, version, rate, project = each.key
    return {
        "id": charge_id,
        "invoice_id": invoice_id,
        "supply_line_id": line,
        "period": each.pair.period,
        "rate_card_version_id": version,
        "rate": rate,
        "project_id": project,
        "meter": each.meter,
        "quantity": each.sums[0],
        "amount": each.sums[1],
        "service_start": each.start,
        "service_end": each.end,
        "evidence": each.evidence,
        "explanation": each.explanation,
    }


def part_values(each: Pending, charge_id: UUID) -> Iterator[tuple[Any, ...]]:
    """Rows in the order of the table's columns."""
    charge = str(charge_id)
    for position, ((project, resource, day), (quantity, amount)) in enumerate(each.parts.items()):
        yield charge, position, None if project is None else str(project), resource, day, quantity, amount
