"""What is still to bill, and how it becomes the lines and totals of a document."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, localcontext
from typing import Generic, TypeVar

from gradumen.core.exact import EXACT, add, allocate, minor_units, round_half_up, scaled, unscaled

Key = TypeVar("Key")
Document = TypeVar("Document")
Figures = tuple[Decimal, Decimal]
"""Quantity and amount."""


def to_bill(now: Mapping[Key, Figures], billed: Mapping[Key, Figures]) -> dict[Key, Figures]:
    """What rating gives now less what is billed already, where it is new or not zero (invariant 5).

    >>> to_bill({"a": (Decimal(3), Decimal(6))}, {"a": (Decimal(2), Decimal(4)), "b": (Decimal(1), Decimal(1))})
    {'a': (Decimal('1'), Decimal('2')), 'b': (Decimal('-1'), Decimal('-1'))}
    """
    nothing = (Decimal(0), Decimal(0))
    left: dict[Key, Figures] = {}
    with localcontext(EXACT):
        for key in (*now, *(key for key in billed if key not in now)):
            quantity, amount = now.get(key, nothing)
            gone_quantity, gone_amount = billed.get(key, nothing)
            if key not in billed or quantity != gone_quantity or amount != gone_amount:
                left[key] = quantity - gone_quantity, amount - gone_amount
    return left


TAX_CATEGORIES = {
    "S": "standard rate",
    "Z": "zero rated",
    "E": "exempt",
    "AE": "reverse charge",
    "O": "outside the scope of tax",
}
"""Categories of tax (EN 16931, UNCL 5305) in words."""


def category_words(category: str) -> str:
    """A category of tax with what it means.

    >>> category_words("AE")
    'AE, reverse charge'
    """
    return f"{category}, {TAX_CATEGORIES[category]}"


@dataclass(frozen=True, slots=True)
class TaxRate:
    """The tax of a seller on buyers of a country: a category of EN 16931 (S, Z, E, AE, O) and a percentage."""

    country: str
    category: str
    percent: Decimal


@dataclass(frozen=True, slots=True)
class Totals:
    """The totals of a document, in its currency."""

    net: Decimal
    tax: Decimal
    gross: Decimal


@dataclass(frozen=True, slots=True)
class TaxGroup:
    """What a document's lines of one category and percentage come to, and their tax (EN 16931, BG-23)."""

    category: str
    percent: Decimal
    net: Decimal
    tax: Decimal


@dataclass(frozen=True, slots=True)
class TaxedLine(Generic[Document]):
    """A line's amount with the tax on it; ``corrects`` is the document that it gives back, if it does."""

    category: str
    percent: Decimal
    amount: Decimal
    corrects: Document | None = None


@dataclass(frozen=True, slots=True)
class Left:
    """What is left of what a document charged itself, after what later ones gave back: net and tax."""

    net: Decimal
    tax: Decimal


@dataclass(frozen=True, slots=True)
class Taxes(Generic[Document]):
    """The taxes of a document; and what of them is given back of each other document."""

    groups: list[TaxGroup]
    given_back: dict[Document, Decimal]


def taxes_of(lines: Sequence[TaxedLine[Document]], currency: str, left: Mapping[Document, Left]) -> Taxes[Document]:
    """The tax of rounded lines, computed and rounded once per category and percentage.

    Of what is given back, never more is returned than the documents that charged it have left, and what is below zero
    where only discounts or credits of theirs are left; one whose own tax is below zero, as it gave back before
    corrections named their documents, bounds nothing.

    Args:
        left: of the documents that lines give back.

    >>> lines = [TaxedLine("S", Decimal(19), Decimal("-0.05"), "A"), TaxedLine("S", Decimal(7), Decimal("50.00"))]
    >>> little, nothing = Left(Decimal(1), Decimal("0.01")), Left(Decimal(1), Decimal(0))
    >>> [(group.percent, group.tax) for group in taxes_of(lines, "EUR", {"A": little}).groups]
    [(Decimal('7'), Decimal('3.50')), (Decimal('19'), Decimal('-0.01'))]
    >>> [group.tax for group in taxes_of(lines, "EUR", {"A": nothing}).groups]
    [Decimal('3.50'), Decimal('0.00')]

    Of 100 charged and 100 off, without tax, the 100 are given back:

    >>> back = [TaxedLine("S", Decimal(19), Decimal(-100), "A")]
    >>> [group.tax for group in taxes_of(back, "EUR", {"A": Left(Decimal(0), Decimal(0))}).groups]
    [Decimal('-19.00')]
    """
    places = minor_units(currency)
    alike: dict[tuple[str, Decimal], list[TaxedLine[Document]]] = {}
    for line in lines:
        alike.setdefault((line.category, line.percent), []).append(line)
    groups: list[TaxGroup] = []
    given_back: dict[Document, Decimal] = {}
    for (category, percent), same in sorted(alike.items(), key=lambda entry: entry[0]):
        net = add([line.amount for line in same])
        own = _tax(add([line.amount for line in same if line.corrects is None]), percent, places)
        weights: dict[Document, Decimal] = {}
        for line in same:
            if line.corrects is not None:
                weights[line.corrects] = add([weights.get(line.corrects, Decimal(0)), line.amount])
        room = {each: _room(left.get(each, _NOTHING), amount, percent, places) for each, amount in weights.items()}
        with localcontext(EXACT):
            returned = _tax(net, percent, places) - own
            if returned < 0 and all(each >= 0 for each in room.values()):
                returned = max(returned, -add(list(room.values())))
            groups.append(
                TaxGroup(category, percent, round_half_up(net, places), round_half_up(own + returned, places))
            )
        for each, share in _shares(returned, weights, room, places).items():
            given_back[each] = add([given_back.get(each, Decimal(0)), share])
    return Taxes(groups, given_back)


def _tax(net: Decimal, percent: Decimal, places: int) -> Decimal:
    with localcontext(EXACT):
        return round_half_up(net * percent / 100, places)


_NOTHING = Left(Decimal(0), Decimal(0))


def _room(left: Left, amount: Decimal, percent: Decimal, places: int) -> Decimal:
    """How much tax a document can return that an amount is given back of: what is left with the tax has to stay."""
    rest = min(add([left.net, amount]), Decimal(0))
    return add([left.tax, -_tax(rest, percent, places)])


def _shares(
    returned: Decimal, weights: Mapping[Document, Decimal], room: Mapping[Document, Decimal], places: int
) -> dict[Document, Decimal]:
    """What of a tax is returned of each document: in proportion to the amounts, of none more than it can return."""
    if not returned or not weights:
        return {}
    size = [scaled(abs(each), places) for each in weights.values()]
    found: dict[Document, Decimal] = {}
    over = 0
    for document, share in zip(weights, allocate(scaled(abs(returned), places), size), strict=True):
        most = scaled(room[document], places)
        taken = share + over if returned > 0 or most < 0 else min(share + over, most)
        over = share + over - taken
        found[document] = unscaled(-taken if returned < 0 else taken, places)
    for document in found:
        if over:
            more = min(over, scaled(add([room[document], found[document]]), places))
            found[document] = add([found[document], unscaled(-more, places)])
            over -= more
    return found


def totals(groups: Iterable[TaxGroup], currency: str) -> Totals:
    """Totals of a document.

    >>> totals([TaxGroup("S", Decimal(20), Decimal("10.05"), Decimal("2.01"))], "GBP")
    Totals(net=Decimal('10.05'), tax=Decimal('2.01'), gross=Decimal('12.06'))
    """
    each = list(groups)
    places = minor_units(currency)
    net = round_half_up(add([group.net for group in each]), places)
    tax = round_half_up(add([group.tax for group in each]), places)
    return Totals(net, tax, round_half_up(add([net, tax]), places))


@dataclass(slots=True)
class Origin(Generic[Document]):
    """What a document charged of a line, as far as no later one gave it back, and the tax that it charged it with."""

    document: Document
    category: str
    percent: Decimal
    left: Decimal


@dataclass(frozen=True, slots=True)
class Share(Generic[Document]):
    """A part of a difference: what it gives back of an origin, or (None) what is charged anew."""

    origin: Origin[Document] | None
    amount: Decimal


def split_difference(difference: Decimal, origins: Sequence[Origin[Document]]) -> list[Share[Document]]:
    """Take a difference of a line apart: what it gives back of the newest documents that charged it, and what is new.

    A line may be negative by itself, as a discount is; then it is given back by a positive difference.

    Args:
        origins: the newest first; what is given back of them is taken off.

    >>> first, second = Origin("A", "S", Decimal(19), Decimal(1000)), Origin("B", "S", Decimal(7), Decimal(50))
    >>> given = split_difference(Decimal(-60), [second, first])
    >>> [(share.origin and share.origin.document, share.amount) for share in given]
    [('B', Decimal('-50')), ('A', Decimal('-10'))]
    >>> split_difference(Decimal(5), [first])
    [Share(origin=None, amount=Decimal('5'))]
    """
    found: list[Share[Document]] = []
    with localcontext(EXACT):
        for origin in origins:
            if difference * origin.left < 0:
                size = min(abs(difference), abs(origin.left))
                share = size if difference > 0 else -size
                origin.left += share
                difference -= share
                found.append(Share(origin, share))
        if difference or not found:
            found.append(Share(None, difference))
    return found
