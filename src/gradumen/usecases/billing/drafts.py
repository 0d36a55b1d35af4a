"""Drafts: what is still to bill of a seller's periods, as documents to review."""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.billing.documents import (
    Figures,
    Origin,
    TaxedLine,
    Taxes,
    split_difference,
    taxes_of,
    to_bill,
    totals,
)
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, add, allocate, scaled, text, unscaled
from gradumen.core.periods import Period
from gradumen.core.rating.charges import Charge
from gradumen.store.billing.drafts import ChargeKey, PartKey, issued_charges, issued_parts, note_drafted, store_draft
from gradumen.store.billing.invoices import issued_lines, store_taxes, taxes_left
from gradumen.store.billing.tables import BillRunRow, InvoiceLineRow, InvoiceRow
from gradumen.store.catalogue.tables import RateCardRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import PairRow, pairs_to_bill, pairs_with
from gradumen.store.subscriptions.tables import SupplyLineRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.billing.stored_lines import line_document, stored_line
from gradumen.usecases.billing.tax_rates import find_tax
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.rating.charges import Line, LineNames, explain, line_order
from gradumen.usecases.rating.links import RatedPeriod
from gradumen.usecases.rating.stored_charges import read_rated

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
    key: ChargeKey
    meter: str | None
    start: datetime
    end: datetime
    evidence: str
    explanation: dict[str, Any]
    lines: list[Line]
    parts: dict[PartKey, Figures]
    origins: dict[str | None, list[BilledOrigin]] = field(default_factory=dict)


class Drafting:
    """Makes the drafts of a link of the charges that are stored: every pair that changed since it was billed."""

    def __init__(self, tx: Session, run: BillRunRow, seller: OrganisationRow, today: date) -> None:
        self.tx, self.run, self.seller, self.today = tx, run, seller, today
        self.published = load_published(tx)
        self.pending: list[Pending] = []
        self.collected: list[PairRow] = []

    def make(self, buyer: OrganisationRow) -> None:
        """Take off what is billed of a buyer, and write a draft for each currency."""
        last = Period.parse(self.run.period)
        for pair in pairs_to_bill(self.tx, self.seller.id, buyer.id, last.text):
            self._collect(pair)
        for pair in pairs_with(self.tx, self.seller.id, [buyer.id], last.next().text, lock=True):
            self._collect(pair, only_advance=True)
        self._note_what_is_billed()
        apart: dict[str, list[Pending]] = defaultdict(list)
        for each in self.pending:
            apart[self._currency(each.key[0])].append(each)
        # Parts that moved without money go with the next document; they make none, and leave their pair to bill.
        waiting = {each.pair.id for same in apart.values() if not _makes_document(same) for each in same}
        for currency, pending in sorted(apart.items()):
            if _makes_document(pending):
                self._write(buyer, currency, pending, waiting)

    def differing(self, period: Period) -> dict[tuple[UUID, str], Decimal]:
        """What a period comes to by buyer and currency beyond what is billed, where nothing changed since it was.

        Nothing is written. Where something has changed, it is not looked at: the next run bills that.
        """
        for pair in pairs_with(self.tx, self.seller.id, None, period.text):
            if pair.buyer_id != self.seller.id and pair.billed == pair.wanted == pair.rated:
                self._collect(pair)
        found: dict[tuple[UUID, str], list[Decimal]] = defaultdict(list)
        for each in self.pending:
            found[each.pair.buyer_id, self._currency(each.key[0])] += [line.amount for line in each.lines]
        sums = {key: add(amounts) for key, amounts in found.items()}
        return {key: amount for key, amount in sums.items() if amount}

    def _note_what_is_billed(self) -> None:
        """A pair of which nothing is left to bill is billed as it is."""
        left = {each.pair.id for each in self.pending}
        for pair in self.collected:
            if pair.id not in left:
                pair.billed = pair.rated
        self.tx.flush()

    def _collect(self, pair: PairRow, *, only_advance: bool = False) -> None:
        """Keep of each charge what is not billed yet, and give back what is billed but no longer charged.

        Args:
            only_advance: of a period that has not come yet, only what is charged, or was billed, in advance.
        """
        period = Period.parse(pair.period)
        rated = read_rated(self.tx, self.seller.id, period, [pair], self.published, by_resource=True)
        names = LineNames(self.tx, rated, self.published)
        billed_parts = self._billed_parts(pair)
        billed_lines = self._billed_lines(pair)
        for charge in rated.rated.charges:
            if only_advance and not charge.advance:
                continue
            loaded = rated.lines[charge.line]
            project = None if charge.project is None else rated.projects[charge.project].id
            key = (loaded.row.id, loaded.version_ids[charge.version.number], charge.rate, project)
            self._keep(
                Pending(
                    pair=pair,
                    key=key,
                    meter=charge.meter,
                    start=charge.start,
                    end=charge.end,
                    evidence=charge.evidence,
                    explanation=explain(charge, names) | {"delivery": pair.delivery_id},
                    lines=names.lines(charge),
                    parts=_parts(rated, charge),
                ),
                billed_lines.pop(key, {}),
                billed_parts.pop(key, {}),
            )
        in_advance = self._billed_in_advance(pair) if only_advance else set()
        for key, gone in billed_lines.items():
            if only_advance and key not in in_advance:
                continue
            self._keep(_given_back(pair, key, gone), gone, billed_parts.pop(key, {}))
        if not only_advance:
            self.collected.append(pair)

    def _keep(self, now: Pending, billed_lines: dict[str | None, Billed], billed_parts: dict[PartKey, Figures]) -> None:
        current = {line.project: line for line in now.lines}
        shown = {**{project: billed.line for project, billed in billed_lines.items()}, **current}
        left = to_bill(
            {project: (line.quantity, line.amount) for project, line in current.items()},
            {project: (billed.line.quantity, billed.line.amount) for project, billed in billed_lines.items()},
        )
        now.parts = to_bill(now.parts, billed_parts)
        if not left and not now.parts:
            return
        now.lines = [
            replace(shown[project], quantity=quantity, amount=amount) for project, (quantity, amount) in left.items()
        ]
        now.origins = {project: billed.origins for project, billed in billed_lines.items()}
        if billed_lines:
            now.explanation["billed_before"] = {
                "quantity": text(add([quantity for quantity, _ in billed_parts.values()])),
                "amount": text(add([amount for _, amount in billed_parts.values()])),
            }
        self.pending.append(now)

    def _billed_in_advance(self, pair: PairRow) -> set[ChargeKey]:
        """What is billed of a period as charged in advance."""
        return {
            (row.supply_line_id, row.rate_card_version_id, row.rate, row.project_id)
            for row in issued_charges(self.tx, pair)
            if row.explanation.get("advance")
        }

    def _billed_parts(self, pair: PairRow) -> dict[ChargeKey, dict[PartKey, Figures]]:
        found: dict[ChargeKey, dict[PartKey, Figures]] = defaultdict(dict)
        for key, part, figures in issued_parts(self.tx, pair):
            found[key][part] = figures
        return found

    def _billed_lines(self, pair: PairRow) -> dict[ChargeKey, dict[str | None, Billed]]:
        """What is billed of each line, added up over all documents of the period."""
        found: dict[ChargeKey, dict[str | None, Billed]] = defaultdict(dict)
        for charge, row in issued_lines(self.tx, pair):
            lines = found[charge.supply_line_id, charge.rate_card_version_id, charge.rate, charge.project_id]
            line = stored_line(row)
            billed = lines.setdefault(line.project, Billed(replace(line, quantity=Decimal(0), amount=Decimal(0)), []))
            billed.line = replace(
                line,
                quantity=add([billed.line.quantity, line.quantity]),
                amount=add([billed.line.amount, line.amount]),
            )
            _note_origin(billed.origins, row)
        return found

    def _currency(self, line: UUID) -> str:
        """The currency of a supply line's rate card."""
        card = self.tx.get_one(SupplyLineRow, line).rate_card_id
        return self.tx.get_one(RateCardRow, card).currency

    def _write(self, buyer: OrganisationRow, currency: str, pending: list[Pending], waiting: set[int]) -> None:
        tax = find_tax(self.tx, self.seller, buyer, self.today)
        numbered: list[tuple[Line, UUID, BilledOrigin | None]] = []
        charges: list[tuple[Pending, UUID]] = []
        for each in pending:
            charge_id = uuid4()
            charges.append((each, charge_id))
            numbered += [(line, charge_id, origin) for line, origin in _taxed(each)]
        numbered.sort(key=lambda entry: line_order(entry[0]))
        taxed = [
            TaxedLine(origin.category, origin.percent, line.amount, origin.document)
            if origin
            else TaxedLine(tax.category, tax.percent, line.amount)
            for line, _, origin in numbered
        ]
        taxes = taxes_on(self.tx, taxed, currency)
        total = totals(taxes.groups, currency)
        invoice = InvoiceRow(
            id=uuid4(),
            bill_run_id=self.run.id,
            seller_id=self.seller.id,
            buyer_id=buyer.id,
            period=self.run.period,
            state="draft",
            kind="invoice" if total.net >= 0 else "credit_note",
            number=None,
            currency=currency,
            net=total.net,
            tax=total.tax,
            gross=total.gross,
            tax_category=tax.category,
            tax_percent=tax.percent,
            invoice_date=None,
            due_date=None,
            issued_at=None,
            parties={"seller": _party(self.seller), "buyer": _party(buyer)},
        )
        self.tx.add(invoice)
        self.tx.flush()
        lines = [
            _line_values(invoice.id, position, charge_id, line, each)
            for position, ((line, charge_id, _), each) in enumerate(zip(numbered, taxed, strict=True), 1)
        ]
        store_draft(
            self.tx,
            [_charge_values(each, id, invoice.id) for each, id in charges],
            [values for each, id in charges for values in _part_values(each, id)],
            lines,
        )
        store_taxes(self.tx, invoice.id, taxes)
        # Of a period that has not come yet only a part is billed, what is charged in advance.
        whole = {pair.id for pair in self.collected} - waiting
        note_drafted(self.tx, invoice.id, {each.pair.id: each.pair.rated for each in pending if each.pair.id in whole})


def _makes_document(pending: list[Pending]) -> bool:
    return any(each.lines for each in pending)


def _given_back(pair: PairRow, key: ChargeKey, gone: dict[str | None, Billed]) -> Pending:
    first = next(iter(gone.values())).line
    explanation = {
        "kind": "given_back",
        "rate": key[2],
        "blocks": [],
        "amount": "0",
        "quantity": "0",
        "delivery": pair.delivery_id,
    }
    return Pending(pair, key, None, first.service_start, first.service_end, "", explanation, [], {})


def taxes_on(tx: Session, lines: list[TaxedLine[UUID]], currency: str) -> Taxes[UUID]:
    """The taxes of a document's lines, as far as those that it corrects have any left."""
    return taxes_of(lines, currency, taxes_left(tx, {line.corrects for line in lines if line.corrects}))


def _note_origin(origins: list[BilledOrigin], row: InvoiceLineRow) -> None:
    """Add an issued line to what its document charged, or take it off what it gives back; the newest stay first."""
    document = row.corrects_id or row.invoice_id
    known = next((each for each in origins if each.document == document), None)
    if known is None:
        origins.insert(0, Origin(document, row.tax_category, row.tax_percent, row.amount))
    else:
        known.left = add([known.left, row.amount])


def _taxed(each: Pending) -> Iterator[tuple[Line, BilledOrigin | None]]:
    """The lines of what is pending, apart by the documents that they give back."""
    for line in each.lines:
        shares = split_difference(line.amount, each.origins.get(line.project, []))
        quantities = allocate(
            scaled(line.quantity, QUANTITY_PLACES), [scaled(abs(share.amount), AMOUNT_PLACES) for share in shares]
        )
        for share, quantity in zip(shares, quantities, strict=True):
            yield replace(line, quantity=unscaled(quantity, QUANTITY_PLACES), amount=share.amount), share.origin


def _parts(rated: RatedPeriod, charge: Charge) -> dict[PartKey, Figures]:
    whole_project = rated.lines[charge.line].subscription.project_id
    return {
        (
            whole_project if part.project is None else rated.projects[part.project].id,
            None if part.resource is None else rated.resources.names[part.resource],
            part.day,
        ): (part.quantity, part.amount)
        for part in charge.parts
    }


def _line_values(invoice: UUID, position: int, charge: UUID, line: Line, taxed: TaxedLine[UUID]) -> dict[str, Any]:
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


def _charge_values(each: Pending, charge_id: UUID, invoice_id: UUID) -> dict[str, Any]:
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
        "quantity": add([quantity for quantity, _ in each.parts.values()]),
        "amount": add([amount for _, amount in each.parts.values()]),
        "service_start": each.start,
        "service_end": each.end,
        "evidence": each.evidence,
        "explanation": each.explanation,
    }


def _part_values(each: Pending, charge_id: UUID) -> Iterator[tuple[Any, ...]]:
    """Rows in the order of the table's columns."""
    charge = str(charge_id)
    for position, ((project, resource, day), (quantity, amount)) in enumerate(each.parts.items()):
        yield charge, position, None if project is None else str(project), resource, day, quantity, amount


def _party(row: OrganisationRow) -> dict[str, str]:
    return {"slug": row.slug, "name": row.name, "country": row.country}
