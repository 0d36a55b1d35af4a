"""Charges as they are stored, with what their numbers mean: what pages and documents read instead of rating."""

from collections.abc import Callable, Sequence
from datetime import date, datetime
from decimal import Decimal
from fractions import Fraction
from typing import TypeVar
from uuid import UUID

from gradumen.core.catalogue.offers import renamed
from gradumen.core.errors import Conflict
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, scaled
from gradumen.core.periods import Period, zone_of
from gradumen.core.rating.charges import ALL, Adjustment, Charge, PricedBlock, Rated, Shared, Unpriced
from gradumen.core.rating.parts import Part
from gradumen.store.catalogue.published import plan_versions_by_id
from gradumen.store.catalogue.rate_cards import cards_of_versions
from gradumen.store.metering.usage import resource_names
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import ProjectRow, zone_name
from gradumen.store.pairs import PairRow
from gradumen.store.rating import current_charges as store
from gradumen.store.rating.current_charges import Detail
from gradumen.store.rating.tables import CurrentChargeRow
from gradumen.store.subscriptions.one_off_charges import ever_charged_between
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.offers import Offers
from gradumen.usecases.catalogue.published import Published, StoredCard, load_cards, plan_of
from gradumen.usecases.rating.links import LoadedLine, RatedPeriod, SaleNames
from gradumen.usecases.rating.unassigned_usage import Unassigned
from gradumen.usecases.rating.usage_frames import Resources
from gradumen.usecases.scope import business_now
from gradumen.usecases.subscriptions.one_off_charges import slug_of
from gradumen.wire.metering.usage import AsOf

TRIES = 5
T = TypeVar("T")


def read_rated(
    tx: Session,
    seller: UUID,
    period: Period,
    pairs: Sequence[PairRow],
    published: Published,
    *,
    detail: Detail = Detail.PROJECT,
    buyer: UUID | None = None,
) -> RatedPeriod:
    """What pairs of one seller are charged in a period, as it is stored.

    A generation is removed only after the next but one holds; where that happened meanwhile, it is read again.

    Args:
        detail: how far parts are told apart.
        buyer: only the charges of this buyer's lines; None is all.

    Raises:
        Conflict: they are rated more often than they can be read.
    """
    return settled(tx, pairs, lambda: _Reading(tx, seller, period, pairs, published, detail, buyer).rated())


def settled(tx: Session, pairs: Sequence[PairRow], read: Callable[[], T]) -> T:
    """What is read of pairs, where they were not rated meanwhile; else their rows are read anew, and it again.

    Raises:
        Conflict: they are rated more often than they can be read.
    """
    for _ in range(TRIES):
        before = {row.id: row.generation for row in pairs}
        found = read()
        if store.generations(tx, list(before)) == before:
            return found
        for row in pairs:
            tx.refresh(row)
    raise Conflict("what this shows is rated over and over at this moment; ask again")


class _Reading:
    """Charges of pairs, and the lines, cards, projects and resources that they name."""

    def __init__(
        self,
        tx: Session,
        seller: UUID,
        period: Period,
        pairs: Sequence[PairRow],
        published: Published,
        detail: Detail,
        buyer: UUID | None,
    ) -> None:
        self.tx, self.seller, self.period, self.published = tx, seller, period, published
        self.buyers = {row.id: row.buyer_id for row in pairs}
        self.rows = store.charges_of(tx, pairs, buyer)
        self.parts = store.parts_of(tx, pairs, detail)
        self.missing = store.not_priced_of(tx, pairs, buyer)
        self.cards = self._cards()
        self.versions = {
            card.ids[version.number]: version for _, card in self.cards.values() for version in card.versions
        }
        named = {row.supply_line_id for row in self.rows}
        named |= {row.supply_line_id for row in self.missing if row.supply_line_id is not None}
        self.numbers: dict[tuple[UUID, UUID | None], int] = {}
        """A line is there once for each card that prices it: of internal cost that is not its own."""
        self.lines: dict[int, LoadedLine] = {}
        self._found = {line.id: (line, subscription) for line, subscription in store.lines_by_id(tx, named)}
        self._plans = {
            row.id: plan_of(row, published)
            for row in plan_versions_by_id(tx, {line.plan_version_id for line, _ in self._found.values()})
        }
        self.projects = self._projects()
        self._project_index = {row.number: index for index, row in enumerate(self.projects)}
        ids = {part.resource_id for part in self.parts if part.resource_id is not None}
        self.resources = resource_names(tx, ids)
        self._resource_index = {number: index for index, number in enumerate(self.resources)}

    def rated(self) -> RatedPeriod:
        """All of it, in the form that rating gives."""
        zone = zone_of(zone_name(self.tx, self.seller, self.period.first_day))
        start, end = self.period.bounds(zone)
        charges = self._charges()
        unpriced = tuple(
            Unpriced(number, row.meter, ALL, ALL, ALL, row.quantity)
            for row, number in (
                (row, self._line(row.supply_line_id, None)) for row in self.missing if row.supply_line_id is not None
            )
        )
        return RatedPeriod(
            seller=self.seller,
            period=self.period,
            zone=zone,
            start=start,
            end=end,
            rated=Rated(tuple(charges), unpriced),
            lines=self.lines,
            projects=self.projects,
            resources=Resources(list(self.resources.values()), list(self.resources), {}),
            unassigned=self._unassigned(),
            names=self._names(),
        )

    def _cards(self) -> dict[UUID, tuple[UUID, StoredCard]]:
        """The card of each version that a charge names."""
        of_version = cards_of_versions(self.tx, {row.rate_card_version_id for row in self.rows})
        cards = load_cards(self.tx, set(of_version.values()), self.published)
        return {version: (card, cards[card]) for version, card in of_version.items()}

    def _projects(self) -> list[ProjectRow]:
        named = (*self.parts, *self.rows, *self.missing)
        numbers = {row.project_number for row in named if row.project_number is not None}
        whole = {subscription.project_id for _, subscription in self._found.values() if subscription.project_id}
        rows = store.projects_by_number(self.tx, numbers, whole)
        return sorted(rows, key=lambda row: row.number)

    def _line(self, line_id: UUID, version: UUID | None) -> int:
        """The number of a line, priced by the card of a version; of what is not priced by none."""
        card_id, card = self.cards[version] if version else (None, None)
        key = (line_id, card_id)
        if key not in self.numbers:
            line, subscription = self._found[line_id]
            number = self.numbers[key] = len(self.numbers)
            self.lines[number] = LoadedLine(
                row=line,
                subscription=subscription,
                plan=self._plans[line.plan_version_id],
                currency=card.currency if card else "",
                version_ids=card.ids if card else {},
                services=(),
            )
        return self.numbers[key]

    def _charges(self) -> list[Charge]:
        parts: dict[tuple[int, int], list[Part]] = {}
        for each in self.parts:
            parts.setdefault((each.pair_id, each.charge_position), []).append(
                Part(
                    None if each.project_number is None else self._project_index[each.project_number],
                    None if each.resource_id is None else self._resource_index[each.resource_id],
                    each.day,
                    scaled(each.quantity, QUANTITY_PLACES),
                    scaled(each.amount, AMOUNT_PLACES),
                )
            )
        return [self._charge(row, tuple(parts.get((row.pair_id, row.position), ()))) for row in self.rows]

    def _charge(self, row: CurrentChargeRow, parts: tuple[Part, ...]) -> Charge:
        shared = None
        if row.shared_quantity is not None and row.shared_amount is not None:
            shared = Shared(row.shared_quantity, row.shared_amount)
        return Charge(
            line=self._line(row.supply_line_id, row.rate_card_version_id),
            kind=row.kind,
            rate=row.rate,
            version=self.versions[row.rate_card_version_id],
            meter=row.meter,
            unit=row.unit,
            quantity=row.quantity,
            covered=row.covered,
            before=row.before,
            blocks=tuple(
                PricedBlock(int(start), int(size), Decimal(price), Fraction(int(top), int(bottom)))
                for start, size, price, top, bottom in row.blocks
            ),
            amount=row.amount,
            start=row.service_start,
            end=row.service_end,
            project=None if row.project_number is None else self._project_index[row.project_number],
            true_up=row.true_up,
            adjustments=tuple(Adjustment(kind, Decimal(amount)) for kind, amount in row.adjustments),
            shared=shared,
            key=row.spread_key,
            advance=row.advance,
            attributes=tuple(row.attribute_sets),
            exchange=tuple((date.fromisoformat(since), Decimal(rate)) for since, rate in row.exchange or ()),
            estimated=row.estimated,
            parts=parts,
            evidence=row.evidence,
        )

    def _unassigned(self) -> list[Unassigned]:
        rows = [row for row in self.missing if row.supply_line_id is None]
        owners = organisations_by_id(self.tx, {row.organisation_id for row in rows})
        paths = {row.number: row.slug for row in self.projects}
        return [
            Unassigned(
                self.buyers[row.pair_id],
                row.organisation_id,
                row.project_number or 0,
                row.meter,
                f"{owners[row.organisation_id].slug}/{paths[row.project_number or 0]}",
                ALL,
                scaled(row.quantity, QUANTITY_PLACES),
            )
            for row in rows
        ]

    def _names(self) -> SaleNames:
        own = Offers(self.tx, [self.seller], self.published).of.values()
        # What was withdrawn since has its name too: the charge stands until it is rated again.
        entered = ever_charged_between(self.tx, self.seller, self.period.first_day, self.period.next().first_day)
        return SaleNames(
            {each.slug: renamed(self.published.plans[each.slug], each.offer) for each in own},
            {slug_of(row): row.description for row in entered},
        )


def current_of(tx: Session, usage: AsOf, pairs: Sequence[PairRow]) -> AsOf:
    """Up to when all that came in is in the charges of pairs, and whether anything newer waits.

    Args:
        usage: how current usage was before the pairs were read; usage that was made since raised them already.
    """
    stale: list[datetime] = [row.stale_since for row in pairs if row.stale_since is not None]
    if not stale:
        return usage
    return AsOf(as_of=min(usage.as_of, business_now(tx, min(stale))), waiting=True)
