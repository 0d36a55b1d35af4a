"""The charges behind spend, billed or not, and the arithmetic of each."""

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import Any
from uuid import UUID

import polars as pl

from gradumen.core.errors import NotFound
from gradumen.core.exact import AMOUNT_PLACES, add, unscaled
from gradumen.core.periods import Period
from gradumen.core.rating.charges import Charge
from gradumen.core.spend.spend import added_up
from gradumen.store.catalogue.rate_cards import card_slug
from gradumen.store.organisations.organisations import find_organisation
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.pairs import PairRow, pairs_with
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.billing.promised_limits import limits_behind
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.rating.charges import LineNames, explain
from gradumen.usecases.rating.links import RatedPeriod
from gradumen.usecases.rating.stored_charges import current_of, read_rated, settled
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.usecases.spend.spend import Asked, Looked
from gradumen.wire.billing.explanations import Explanation
from gradumen.wire.spend.spend import CurrentChargeBody, SpentChargeBody, SpentChargesBody

_ID = re.compile(r"([a-z0-9-]+)\.([a-z0-9-]+)\.(\d{4}-\d{2})\.(\d{1,9})\.(\d{1,9})", re.ASCII)
"""Seller, buyer, period, how often it was rated, and the place of the charge: nothing that counts others' charges."""


@use_case
def list_spent_charges(tx: Session, caller: Caller, *, asked: Asked, limit: int) -> SpentChargesBody:
    """The charges of which what is asked for is a part, the largest first; see `gradumen.usecases.spend.spend`."""
    looked = Looked(tx, caller, asked)
    items, more = settled(tx, looked.pairs, lambda: _largest(tx, looked, limit))
    current = current_of(tx, looked.usage, looked.pairs)
    return SpentChargesBody(items=items, more=more, as_of=current.as_of, waiting=current.waiting)


def _largest(tx: Session, looked: Looked, limit: int) -> tuple[list[SpentChargeBody], bool]:
    """The largest charges, and whether there are more."""
    rows = looked.frame((), by_charge=True).filter(pl.col("part").is_in(["now", "compared"]))
    sums = added_up(rows, ["pair", "charge"])
    ordered = sums.sort(pl.col("amount").abs(), "pair", "charge", descending=[True, False, False])
    largest = ordered.head(limit + 1).rows()
    pairs = {pair.id: pair for pair in looked.pairs}
    wanted: dict[int, dict[int, int]] = defaultdict(dict)
    for pair, charge, amount in largest[:limit]:
        wanted[pair][charge] = amount
    found = {
        (pair.id, position): body
        for same in _by_month([pairs[each] for each in wanted])
        for pair, position, body in _bodies(tx, same, wanted, looked.rows.published)
    }
    return [found[pair, charge] for pair, charge, _ in largest[:limit] if (pair, charge) in found], len(largest) > limit


def _by_month(pairs: Sequence[PairRow]) -> Iterator[list[PairRow]]:
    apart: dict[tuple[UUID, str], list[PairRow]] = defaultdict(list)
    for pair in pairs:
        apart[pair.seller_id, pair.period].append(pair)
    yield from apart.values()


def _read(
    tx: Session, pairs: Sequence[PairRow], published: Published
) -> Iterator[tuple[PairRow, int, Charge, RatedPeriod, LineNames]]:
    """The charges of pairs of one seller and period, with their positions in their pairs."""
    seller, period = pairs[0].seller_id, Period.parse(pairs[0].period)
    # What a seller's own services cost is spread over lines of many buyers, so such a pair is read by itself.
    own = [[pair] for pair in pairs if pair.buyer_id == seller]
    for some in ([pair for pair in pairs if pair.buyer_id != seller], *own):
        if not some:
            continue
        rated = read_rated(tx, seller, period, some, published)
        names = LineNames(tx, rated, published, some)
        positions: dict[int, int] = defaultdict(int)
        of_buyer = {pair.buyer_id: pair for pair in some}
        for charge in rated.rated.charges:
            buyer = rated.lines[charge.line].row.buyer_id
            pair = some[0] if some[0].buyer_id == seller else of_buyer[buyer]
            yield pair, positions[pair.id], charge, rated, names
            positions[pair.id] += 1


def _bodies(
    tx: Session, pairs: Sequence[PairRow], wanted: dict[int, dict[int, int]], published: Published
) -> Iterator[tuple[PairRow, int, SpentChargeBody]]:
    for pair, position, charge, rated, names in _read(tx, pairs, published):
        if position in wanted[pair.id]:
            shown = _shown(tx, pair, position, charge, rated, names)
            amount = unscaled(wanted[pair.id][position], AMOUNT_PLACES)
            yield pair, position, SpentChargeBody(**shown, amount=amount, whole=_whole(charge, names))


def _shown(
    tx: Session, pair: PairRow, position: int, charge: Charge, rated: RatedPeriod, names: LineNames
) -> dict[str, Any]:
    """What is said of a charge wherever it is shown."""
    line = rated.lines[charge.line]
    seller, buyer = (tx.get_one(OrganisationRow, each).slug for each in (pair.seller_id, pair.buyer_id))
    return {
        "id": f"{seller}.{buyer}.{pair.period}.{pair.generation}.{position}",
        "seller": seller,
        "buyer": buyer,
        "organisation": names.owners[line.subscription.organisation_id].slug,
        "organisation_name": names.owners[line.subscription.organisation_id].name,
        "subscription": line.subscription.name,
        "description": names.description(charge),
        "period": pair.period,
        "service_start": charge.start,
        "service_end": charge.end,
        "currency": line.currency,
    }


def _whole(charge: Charge, names: LineNames) -> Decimal:
    """What its lines come to, each rounded as on a document."""
    return add([line.amount for line in names.lines(charge)])


@use_case
def explain_spent_charge(tx: Session, caller: Caller, *, charge: str) -> CurrentChargeBody:
    """The arithmetic of a charge as it is rated now.

    Raises:
        NotFound: the caller sees no such charge, or it was rated again since it was listed.
    """
    scope = load_scope(tx, caller)
    match = _ID.fullmatch(charge)
    pair = _pair(tx, scope, match) if match else None
    if match is None or pair is None:
        raise NotFound("charge", charge[:160])
    for row, position, found, rated, names in _read(tx, [pair], load_published(tx)):
        if (row.generation, position) == (int(match[4]), int(match[5])):
            return _current(tx, row, position, found, rated, names)
    raise NotFound("charge", f"{charge}, which was rated again: list the charges anew;")


def _pair(tx: Session, scope: Scope, match: re.Match[str]) -> PairRow | None:
    """The pair of a charge, if the caller sees its money."""
    seller, buyer = find_organisation(tx, match[1]), find_organisation(tx, match[2])
    if seller is None or buyer is None or not scope.members_money() & {seller.id, buyer.id}:
        return None
    return next(iter(pairs_with(tx, seller.id, [buyer.id], match[3])), None)


def _current(
    tx: Session, pair: PairRow, position: int, charge: Charge, rated: RatedPeriod, names: LineNames
) -> CurrentChargeBody:
    version = rated.lines[charge.line].version_ids[charge.version.number]
    # Numbers of attribute sets would count everybody's.
    why = {name: value for name, value in explain(charge, names).items() if name != "attribute_sets"}
    line = rated.lines[charge.line].row.id
    limits = limits_behind(tx, line, charge.meter, pair.seller_id, charge.start, charge.end)
    why |= {} if limits is None else {"limits": limits}
    return CurrentChargeBody(
        **_shown(tx, pair, position, charge, rated, names),
        amount=_whole(charge, names),
        rate_card=card_slug(tx, version),
        explanation=Explanation.model_validate(why),
    )
