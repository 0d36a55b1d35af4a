"""What months of links come to, as they are and by other rules, beside what is billed of them."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from gradumen.core.exact import add, text
from gradumen.core.periods import Period
from gradumen.store.billing.bill_runs import billed_by_buyer
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.pairs import pairs_with
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.rating.charges import LineNames, amounts_by_service
from gradumen.usecases.rating.current_charges import pieces
from gradumen.usecases.rating.links import load_links
from gradumen.wire.billing.ownership_trials import LinkDifferenceBody, MonthDifferenceBody, NotPricedThenBody

TOLD = 1_000
"""Links that are told, those that differ most; and of what would not be priced."""


Amounts = Mapping[tuple[str, UUID, str], Decimal]
"""By month, buyer and currency."""
Gap = tuple[str, UUID, str, str]
"""Month, buyer, meter and why it is not priced."""


@dataclass(frozen=True, slots=True)
class Priced:
    """What months of buyers come to, and what of them is not priced."""

    amounts: Amounts = field(default_factory=dict)
    gaps: frozenset[Gap] = frozenset()


Reached = Mapping[str, Collection[UUID]]
"""By month the buyers whom the rules reach."""


def price_months(tx: Session, seller: UUID, reached: Reached, at: datetime) -> Priced:
    """What months of a seller's buyers come to by what is in this transaction."""
    amounts: dict[tuple[str, UUID, str], Decimal] = {}
    gaps: set[Gap] = set()
    for month, buyers in sorted(reached.items()):
        pairs = pairs_with(tx, seller, buyers, month)
        buyer_of = {each.id: each.buyer_id for each in pairs}
        for piece in pieces(tx, pairs, at):
            found, lacking = _price_piece(tx, seller, month, [buyer_of[each] for each in piece])
            amounts |= found
            gaps |= lacking
    return Priced(amounts, frozenset(gaps))


def _price_piece(
    tx: Session, seller: UUID, month: str, buyers: Sequence[UUID]
) -> tuple[dict[tuple[str, UUID, str], Decimal], set[Gap]]:
    published = load_published(tx)
    loaded = load_links(tx, seller, Period.parse(month), buyers=buyers)
    rated = loaded.rate()
    sums: dict[tuple[str, UUID, str], list[Decimal]] = defaultdict(list)
    for (buyer, _, currency), amount in amounts_by_service(tx, rated, published).items():
        sums[month, buyer, currency].append(amount)
    not_priced = LineNames(tx, rated, published).not_priced(set(loaded.users))
    gaps = {(month, buyer, each["meter"], each["reason"]) for buyer, found in not_priced.items() for each in found}
    return {key: add(amounts) for key, amounts in sums.items()}, gaps


def kept_money(tx: Session, before: Priced, after: Priced) -> dict[str, Any]:
    """Months, links and what would not be priced, as they are kept."""
    keys = sorted({*before.amounts, *after.amounts}, key=str)
    zero = Decimal(0)
    both = {key: (before.amounts.get(key, zero), after.amounts.get(key, zero)) for key in keys}
    differs = {key: abs(add([then, -was])) for key, (was, then) in both.items() if was != then}
    links = []
    for key in sorted(differs, key=lambda key: differs[key], reverse=True):
        (month, buyer, currency), (was, then) = key, both[key]
        sides = {"before": text(was), "after": text(then)}
        links.append({"period": month, "buyer": str(buyer), "currency": currency, **sides})
    by_month: dict[tuple[str, str], list[tuple[Decimal, Decimal]]] = defaultdict(list)
    for (month, _, currency), pair in both.items():
        by_month[month, currency].append(pair)
    months = [
        {
            "period": month,
            "currency": currency,
            "before": text(add([was for was, _ in found])),
            "after": text(add([then for _, then in found])),
            "links": sum(was != then for was, then in found),
        }
        for (month, currency), found in sorted(by_month.items())
    ]
    gaps = sorted(after.gaps - before.gaps, key=str)
    names, published = organisations_by_id(tx, {buyer for _, buyer, *_ in gaps}), load_published(tx)
    not_priced = [
        NotPricedThenBody(
            period=month, buyer=names[buyer].slug, meter=meter, meter_name=meter_name(meter, published), reason=reason
        ).model_dump()
        for month, buyer, meter, reason in gaps[:TOLD]
    ]
    return {"links": links[:TOLD], "more_links": len(links[TOLD:]), "months": months, "not_priced": not_priced}


def told_money(tx: Session, outcome: Mapping[str, Any], seller: UUID) -> dict[str, Any]:
    """What months and links come to, beside what is billed of them by now."""
    names = organisations_by_id(tx, {UUID(each["buyer"]) for each in outcome["links"]})
    billed = {month: billed_by_buyer(tx, seller, month) for month in {each["period"] for each in outcome["links"]}}
    links = []
    for each in outcome["links"]:
        buyer, currency = UUID(each["buyer"]), each["currency"]
        issued = billed[each["period"]].get((buyer, currency))
        links.append(
            LinkDifferenceBody(
                **_sides(each),
                buyer=names[buyer].slug,
                buyer_name=names[buyer].name,
                billed=None if issued is None else add(issued),
            )
        )
    return {
        "months": [MonthDifferenceBody(**_sides(each), links=each["links"]) for each in outcome["months"]],
        "links": links,
        "more_links": outcome["more_links"],
        "not_priced": [NotPricedThenBody.model_validate(each) for each in outcome["not_priced"]],
    }


def _sides(each: Mapping[str, Any]) -> dict[str, Any]:
    before, after = Decimal(each["before"]), Decimal(each["after"])
    figures = {"before": before, "after": after, "difference": add([after, -before])}
    return {"period": each["period"], "currency": each["currency"], **figures}
