"""Drafts: what is still to bill of a seller's periods, as documents to review."""

from collections import Counter, defaultdict
from collections.abc import Collection, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from uuid import UUID

from gradumen.core.billing.documents import (
    Figures,
    TaxedLine,
    Taxes,
    TaxRate,
    Totals,
    taxes_of,
    to_bill,
    totals,
)
from gradumen.core.exact import add, text
from gradumen.core.periods import Period
from gradumen.core.rating.charges import Charge
from gradumen.store.billing.drafts import (
    ChargeKey,
    DraftRows,
    PartKey,
    billed_pairs,
    digests_of,
    discard_drafts,
    issued_charges,
    issued_parts,
    keep_drafts,
    store_drafts,
)
from gradumen.store.billing.invoices import issued_lines, left_of, store_taxes
from gradumen.store.billing.tables import BillRunRow, InvoiceRow
from gradumen.store.catalogue.tables import RateCardRow
from gradumen.store.ids import id_in_time
from gradumen.store.metering.ownership_rows import last_replaced
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import PairRow, pairs_to_bill, pairs_with
from gradumen.store.rating.current_charges import Detail, pairs_in_advance
from gradumen.store.subscriptions.tables import SupplyLineRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.billing.draft_digests import digest_of
from gradumen.usecases.billing.parties import party
from gradumen.usecases.billing.pending_charges import (
    Billed,
    BilledOrigin,
    Pending,
    charge_values,
    given_back,
    line_values,
    note_origin,
    part_values,
    parts_of,
    sum_of,
    taxed_lines_of,
)
from gradumen.usecases.billing.stored_lines import stored_line
from gradumen.usecases.billing.tax_rates import find_tax
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.rating.charges import Line, LineNames, explain, line_order
from gradumen.usecases.rating.links import RatedPeriod
from gradumen.usecases.rating.stored_charges import read_rated


class Drafting:
    """Makes the drafts of a link of the charges that are stored: every pair that changed since it was billed."""

    def __init__(self, tx: Session, run: BillRunRow, seller: OrganisationRow, today: date) -> None:
        self.tx, self.run, self.seller, self.today = tx, run, seller, today
        self.published = load_published(tx)
        self.replaced = last_replaced(tx)
        self.pending: list[Pending] = []
        self.collected: list[PairRow] = []
        self.drafts: list[DraftRows] = []
        self.taxes: dict[UUID, Taxes[UUID]] = {}
        self.tax_of: dict[str, TaxRate] = {}
        """The seller's tax on buyers of a country."""

    def make(self, buyers: Collection[OrganisationRow]) -> None:
        """Take off what is billed of buyers, and write a draft for each of them and currency.

        Drafts that they have are replaced; those of a buyer who would get the same again stay.
        """
        last = Period.parse(self.run.period)
        ids = [buyer.id for buyer in buyers]
        to_bill = pairs_to_bill(self.tx, self.seller.id, ids, last.text)
        coming = pairs_with(self.tx, self.seller.id, ids, last.next().text, lock=True)
        billed = billed_pairs(self.tx, [*to_bill, *coming])
        to_collect: dict[str, list[PairRow]] = defaultdict(list)
        for pair in to_bill:
            to_collect[pair.period].append(pair)
        for same in to_collect.values():
            self._collect(same, billed)
        concerned = billed | pairs_in_advance(self.tx, coming)
        self._collect([pair for pair in coming if pair.id in concerned], billed, only_advance=True)
        self._note_what_is_billed()
        apart: dict[tuple[UUID, str], list[Pending]] = defaultdict(list)
        for each in self.pending:
            apart[each.pair.buyer_id, each.currency].append(each)
        # Parts that moved without money go with the next document; they make none, and leave their pair to bill.
        waiting = {each.pair.id for same in apart.values() if not _makes_document(same) for each in same}
        known = {buyer.id: buyer for buyer in buyers}
        for (buyer, currency), pending in sorted(apart.items()):
            if _makes_document(pending):
                self._draft(known[buyer], currency, pending, waiting)
        self._store(ids)

    def differing(self, period: Period) -> dict[tuple[UUID, str], Decimal]:
        """What a period comes to by buyer and currency beyond what is billed, where nothing changed since it was.

        Nothing is written. Where something has changed, it is not looked at: the next run bills that.
        """
        pairs = pairs_with(self.tx, self.seller.id, None, period.text)
        same = [pair for pair in pairs if pair.buyer_id != self.seller.id and pair.billed == pair.wanted == pair.rated]
        self._collect(same, billed_pairs(self.tx, same))
        found: dict[tuple[UUID, str], list[Decimal]] = defaultdict(list)
        for each in self.pending:
            found[each.pair.buyer_id, each.currency] += [line.amount for line in each.lines]
        sums = {key: add(amounts) for key, amounts in found.items()}
        return {key: amount for key, amount in sums.items() if amount}

    def _store(self, buyers: Collection[UUID]) -> None:
        before = digests_of(self.tx, self.seller.id, buyers)
        now: dict[UUID, list[DraftRows]] = {buyer: [] for buyer in buyers}
        for each in self.drafts:
            now[each.invoice.buyer_id].append(each)
        # All of a buyer or none: a draft by itself would lack the pairs that it shared with one in another currency.
        same = {
            buyer
            for buyer, drafts in now.items()
            if Counter(each.invoice.digest for each in drafts) == Counter(before[buyer].values())
        }
        keep_drafts(self.tx, self.run.id, {draft for buyer in same for draft in before[buyer]})
        discard_drafts(self.tx, self.seller.id, buyers=[buyer for buyer in now if buyer not in same])
        drafts = [each for buyer, made in now.items() if buyer not in same for each in made]
        store_drafts(self.tx, drafts)
        store_taxes(self.tx, {each.invoice.id: self.taxes[each.invoice.id] for each in drafts})

    def _note_what_is_billed(self) -> None:
        """A pair of which nothing is left to bill is billed as it is."""
        left = {each.pair.id for each in self.pending}
        for pair in self.collected:
            if pair.id not in left:
                pair.billed = pair.rated
        self.tx.flush()

    def _collect(self, pairs: Collection[PairRow], billed: set[int], *, only_advance: bool = False) -> None:
        """Keep of each charge of a period what is not billed yet.

        Args:
            billed: the pairs of which anything is.
            only_advance: of a period that has not come yet, only what is charged, or was billed, in advance.
        """
        # What nothing is billed of goes on the draft as it is: then nobody needs to look at its many parts.
        for whole, some in (
            (True, [pair for pair in pairs if pair.id not in billed]),
            (False, [pair for pair in pairs if pair.id in billed]),
        ):
            if not some:
                continue
            period = Period.parse(some[0].period)
            detail = Detail.PROJECT if whole else Detail.RESOURCE
            rated = read_rated(self.tx, self.seller.id, period, some, self.published, detail=detail)
            names = LineNames(self.tx, rated, self.published, some)
            charges: dict[UUID, list[Charge]] = defaultdict(list)
            for charge in rated.rated.charges:
                charges[rated.lines[charge.line].row.buyer_id].append(charge)
            for pair in some:
                self._collect_pair(pair, charges[pair.buyer_id], rated, names, whole, only_advance)
        if not only_advance:
            self.collected += pairs

    def _collect_pair(
        self,
        pair: PairRow,
        charges: Sequence[Charge],
        rated: RatedPeriod,
        names: LineNames,
        whole: bool,
        only_advance: bool,
    ) -> None:
        """Keep of each of a pair's charges what is not billed, and give back what is billed but no longer charged."""
        billed_parts = {} if whole else self._billed_parts(pair)
        billed_lines = {} if whole else self._billed_lines(pair)
        for position, charge in enumerate(charges):
            if only_advance and not charge.advance:
                continue
            loaded = rated.lines[charge.line]
            project = None if charge.project is None else rated.projects[charge.project].id
            key = (loaded.row.id, loaded.version_ids[charge.version.number], charge.rate, project)
            self._keep(
                Pending(
                    pair=pair,
                    currency=loaded.currency,
                    key=key,
                    meter=charge.meter,
                    start=charge.start,
                    end=charge.end,
                    evidence=charge.evidence,
                    explanation=explain(charge, names) | {"delivery": pair.delivery_id, "replaced": self.replaced},
                    lines=names.lines(charge),
                    parts={} if whole else parts_of(rated, charge),
                    position=position if whole else None,
                    sums=sum_of((part.quantity, part.amount) for part in charge.parts),
                ),
                billed_lines.pop(key, {}),
                billed_parts.pop(key, {}),
            )
        in_advance = self._billed_in_advance(pair) if only_advance else set()
        for key, gone in billed_lines.items():
            if only_advance and key not in in_advance:
                continue
            back = given_back(pair, self._currency(key[0]), key, gone)
            self._keep(back, gone, billed_parts.pop(key, {}))

    def _keep(self, now: Pending, billed_lines: dict[str | None, Billed], billed_parts: dict[PartKey, Figures]) -> None:
        current = {line.project: line for line in now.lines}
        shown = {**{project: billed.line for project, billed in billed_lines.items()}, **current}
        left = to_bill(
            {project: (line.quantity, line.amount) for project, line in current.items()},
            {project: (billed.line.quantity, billed.line.amount) for project, billed in billed_lines.items()},
        )
        if now.position is None:
            now.parts = to_bill(now.parts, billed_parts)
            now.sums = sum_of(now.parts.values())
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
            note_origin(billed.origins, row)
        return found

    def _currency(self, line: UUID) -> str:
        """The currency of a supply line's rate card."""
        card = self.tx.get_one(SupplyLineRow, line).rate_card_id
        return self.tx.get_one(RateCardRow, card).currency

    def _draft(self, buyer: OrganisationRow, currency: str, pending: list[Pending], waiting: set[int]) -> None:
        if buyer.country not in self.tax_of:
            self.tax_of[buyer.country] = find_tax(self.tx, self.seller, buyer, self.today)
        tax = self.tax_of[buyer.country]
        numbered: list[tuple[Line, UUID, BilledOrigin | None]] = []
        charges: list[tuple[Pending, UUID]] = []
        for each in pending:
            charge_id = id_in_time()
            charges.append((each, charge_id))
            numbered += [(line, charge_id, origin) for line, origin in taxed_lines_of(each)]
        numbered.sort(key=lambda entry: line_order(entry[0]))
        taxed = [
            TaxedLine(origin.category, origin.percent, line.amount, origin.document)
            if origin
            else TaxedLine(tax.category, tax.percent, line.amount)
            for line, _, origin in numbered
        ]
        taxes = taxes_on(self.tx, taxed, currency)
        invoice = self._document(buyer, currency, tax, totals(taxes.groups, currency))
        invoice_id = invoice.id
        rows = DraftRows(invoice)
        rows.lines += [
            line_values(invoice_id, position, charge_id, line, each)
            for position, ((line, charge_id, _), each) in enumerate(zip(numbered, taxed, strict=True), 1)
        ]
        for each, charge_id in charges:
            rows.charges.append(charge_values(each, charge_id, invoice_id))
            rows.parts += part_values(each, charge_id)
            if each.position is not None:
                rows.copied.append((charge_id, each.pair.id, each.pair.generation, each.position))
        # Of a period that has not come yet only a part is billed, what is charged in advance.
        whole = {pair.id for pair in self.collected} - waiting
        revisions = {each.pair.id: each.pair.rated for each in pending if each.pair.id in whole}
        rows.pairs += [{"invoice_id": invoice_id, "pair_id": pair, "revision": n} for pair, n in revisions.items()]
        invoice.digest = digest_of(rows, taxes)
        self.drafts.append(rows)
        self.taxes[invoice_id] = taxes

    def _document(self, buyer: OrganisationRow, currency: str, tax: TaxRate, total: Totals) -> InvoiceRow:
        return InvoiceRow(
            id=id_in_time(),
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
            parties={"seller": party(self.seller), "buyer": party(buyer)},
        )


def _makes_document(pending: list[Pending]) -> bool:
    return any(each.lines for each in pending)


def taxes_on(tx: Session, lines: list[TaxedLine[UUID]], currency: str) -> Taxes[UUID]:
    """The taxes of a document's lines, as far as those that it corrects have any left."""
    corrected = {line.corrects for line in lines if line.corrects}
    return taxes_of(lines, currency, left_of(tx, corrected) if corrected else {})
