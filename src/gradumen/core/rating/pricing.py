"""Price: the arithmetic of usage rates over many sums at once, in whole numbers.

Quantities are millionths of base units, amounts 1e-12 of the card's currency. Arrays are of 64-bit numbers where the
bound is proven, else of Python's, by the same code.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from gradumen.core.catalogue.rates import MICRO, Blocks, Lots, Markup, UsageRate
from gradumen.core.exact import AMOUNT_PLACES, allocate, scaled
from gradumen.core.rating.combining import RateAt
from gradumen.core.rating.groups import NARROW, Array, fitted, run_numbers, run_starts, run_sums, running

_NO_END = 1 << 200


@dataclass(frozen=True, slots=True)
class Rows:
    """Quantities to price: sorted by scope, series of rates and time, so that each goes on where the last ended.

    ``scope`` numbers what a rate cumulates over; rows that share scope and rate are priced as one and share it.
    ``commits`` marks the rate by which a scope is charged what is committed and not used: at most one of a series.
    """

    scope: Array
    rate: Array
    quantity: Array
    commits: Array


@dataclass(frozen=True, slots=True)
class Pieces:
    """The breakdown: of which step, from where, how much, at which of the rate's prices."""

    step: Array
    start: Array
    size: Array
    price: Array


@dataclass(frozen=True, slots=True)
class Priced:
    """The outcome: one step per scope and rate, one amount per row.

    ``covered`` is what the rate's own allowance covers; ``before`` was priced earlier in the period; ``true_up`` is
    committed and not used; ``priced`` is the arithmetic's outcome and ``amount`` that after minimum and cap.
    """

    step_of_row: Array
    quantity: Array
    covered: Array
    before: Array
    true_up: Array
    priced: Array
    fixed: Array
    amount: Array
    pieces: Pieces
    row_amount: Array


class Table:
    """Prices of the rates that are in use, as arrays."""

    def __init__(self, rates: Sequence[UsageRate]) -> None:
        steps = [rate.steps for rate in rates]
        widest = max((len(each.prices) for each in steps), default=1)
        self.count = np.array([len(each.prices) for each in steps], dtype=np.int64)
        high = [[*each.ends, *[_NO_END] * (widest - len(each.ends))] for each in steps]
        low = [[0, *row[:-1]] for row in high]
        prices = [[*each.prices, *[0] * (widest - len(each.prices))] for each in steps]
        self.low, self.high = _both(low), _both(high)
        self.price, self.divisor = _both(prices), _both([each.divisor for each in steps])
        self.kind = np.array([_kind(rate) for rate in rates], dtype=np.int64)
        bounds = [(NARROW - 2 * each.divisor) // max(2 * max(each.prices), 1) for each in steps]
        for place, rate in enumerate(rates):
            if isinstance(rate.pricing, Lots):
                # The breakdown counts lots in millionths.
                bounds[place] = min(bounds[place], NARROW // (4 * MICRO) * steps[place].ends[0])
        self.narrow = np.array([max(-1, min(bound, NARROW // 4)) for bound in bounds], dtype=np.int64)
        self.allowance = _object([rate.scaled_allowance for rate in rates])
        self.committed = _object([rate.scaled_committed for rate in rates])
        self.fixed = _object(
            [scaled(rate.pricing.fixed, AMOUNT_PLACES) if isinstance(rate.pricing, Markup) else 0 for rate in rates]
        )
        self.minimum = _both([scaled(rate.minimum, AMOUNT_PLACES) for rate in rates])
        self.cap = _both([_NO_END if rate.cap is None else scaled(rate.cap, AMOUNT_PLACES) for rate in rates])
        self.bounded = (self.minimum[False] > 0) | (self.cap[False] < _NO_END)


_BLOCKS, _WHOLE, _LOTS = range(3)


def _kind(rate: UsageRate) -> int:
    if isinstance(rate.pricing, Lots):
        return _LOTS
    return _WHOLE if isinstance(rate.pricing, Blocks) and rate.pricing.whole else _BLOCKS


def _object(values: Sequence[Any]) -> Array:
    array = np.empty(len(values), dtype=object)
    array[:] = values
    return array


def _both(values: Sequence[Any]) -> dict[bool, Array]:
    """The same numbers as Python's (False), and cut to 64 bits (True) for rows that stay below the cut anyway."""
    exact = np.array(values, dtype=object)
    return {False: exact, True: np.minimum(exact, NARROW).astype(np.int64) if exact.size else exact.astype(np.int64)}


def price_rows(rows: Rows, rates: Sequence[RateAt]) -> Priced:
    """Price rows; see `docs/rating.md` for what each kind of rate does."""
    used, local = np.unique(rows.rate, return_inverse=True)
    table = Table([rates[index].rate for index in used.tolist()])
    series = np.array([rates[index].series for index in used.tolist()], dtype=np.int64)[local]
    first = run_starts(rows.scope, rows.rate)
    step_of_row = run_numbers(first, len(local))
    quantity = run_sums(rows.quantity, first)
    rate, scope = local[first], rows.scope[first]
    group_first = run_starts(scope, series[first])
    group = run_numbers(group_first, len(rate))
    covered = _allow(quantity, rate, table, group_first, group)
    net = quantity - covered
    last = np.append(group_first[1:], len(rate)) - 1 if len(rate) else group_first
    used = running(net, group_first, group)[last]
    true_up = _true_up(used[group], rate, table, run_sums(rows.commits.astype(np.int64), first) > 0)
    size = fitted(net + true_up)
    up_to = running(size, group_first, group)
    before = up_to - size
    total = up_to[last][group]
    priced, pieces = _price(fitted(before), size, fitted(total), rate, table)
    amount = priced
    fixed = np.zeros(len(rate), dtype=object)
    if np.any(table.fixed > 0):
        opening = np.zeros(len(rate), dtype=bool)
        opening[group_first] = True
        fixed[opening] = table.fixed[rate[opening]]
        amount = amount + fixed
    if np.any(table.bounded):
        amount = _bounded(amount, rate, table, group_first, group)
    return Priced(
        step_of_row=step_of_row,
        quantity=quantity,
        covered=covered,
        before=before,
        true_up=true_up,
        priced=priced,
        fixed=fixed,
        amount=amount,
        pieces=pieces,
        row_amount=_shares(amount, rows, first, step_of_row, (net, true_up)),
    )


def _allow(quantity: Array, rate: Array, table: Table, first: Array, group: Array) -> Array:
    """What each step's own allowance covers: a version's allowance counts from the period's start."""
    covered = np.zeros(len(rate), dtype=np.int64)
    if not np.any(table.allowance > 0):
        return covered
    up_to, rows = running(quantity, first, group), np.flatnonzero(table.allowance[rate] > 0)
    reached, allowed = up_to[rows].astype(object), table.allowance[rate[rows]]
    result = covered.astype(object)
    result[rows] = np.minimum(reached, allowed) - np.minimum(reached - quantity[rows], allowed)
    return fitted(result)


def _true_up(used: Array, rate: Array, table: Table, commits: Array) -> Array:
    """What is committed and not used, on the step of each group that commits."""
    missing = np.zeros(len(rate), dtype=np.int64)
    if not np.any(commits):
        return missing
    wide = missing.astype(object)
    wide[commits] = np.maximum(table.committed[rate[commits]] - used[commits], 0)
    return fitted(wide)


def _price(before: Array, size: Array, total: Array, rate: Array, table: Table) -> tuple[Array, Pieces]:
    """The amount of each step, rounded once, and its breakdown."""
    amounts: list[tuple[Array, Array]] = []
    pieces: list[Pieces] = []
    reach = np.maximum(before + size, total)
    fits = np.asarray(reach <= table.narrow[rate], dtype=bool)
    for narrow, chosen in ((True, fits), (False, ~fits)):
        for kind, price in ((_BLOCKS, _blocks), (_WHOLE, _whole), (_LOTS, _lots)):
            rows = np.flatnonzero(chosen & (table.kind[rate] == kind))
            if not len(rows):
                continue
            kind_of = np.int64 if narrow else object
            before_, size_, total_ = (each[rows].astype(kind_of) for each in (before, size, total))
            top, found = price(before_, size_, total_, rate[rows], table, narrow)
            divisor = table.divisor[narrow][rate[rows]]
            amounts.append((rows, (2 * top + divisor) // (2 * divisor)))
            pieces += [Pieces(rows[each.step], each.start, each.size, each.price) for each in found]
    fits_all = all(amount.dtype != object or fitted(amount).dtype != object for _, amount in amounts)
    result = np.zeros(len(rate), dtype=np.int64 if fits_all else object)
    for rows, amount in amounts:
        result[rows] = amount
    return result, _joined(pieces)


def _joined(pieces: Sequence[Pieces]) -> Pieces:
    if not pieces:
        none = np.zeros(0, dtype=np.int64)
        return Pieces(none, none, none, none)
    step, start, size, price = (
        np.concatenate([getattr(each, name) for each in pieces]) for name in ("step", "start", "size", "price")
    )
    order = np.argsort(step, kind="stable")
    return Pieces(step[order], start[order], size[order], price[order])


def _blocks(
    before: Array, size: Array, total: Array, rate: Array, table: Table, narrow: bool
) -> tuple[Array, list[Pieces]]:
    end = before + size
    top = np.zeros(len(size), dtype=size.dtype)
    found: list[Pieces] = []
    for block in range(int(table.count[rate].max())):
        rows = np.flatnonzero(table.count[rate] > block) if block else np.arange(len(rate))
        low, high = table.low[narrow][rate[rows], block], table.high[narrow][rate[rows], block]
        start = np.maximum(before[rows], low)
        inside = np.minimum(end[rows], high) - start
        hit = np.asarray(inside > 0, dtype=bool)
        rows, start, inside = rows[hit], start[hit], inside[hit]
        top[rows] += inside * table.price[narrow][rate[rows], block]
        found.append(Pieces(rows, start, inside, np.full(len(rows), block)))
    return top, found


def _whole(
    before: Array, size: Array, total: Array, rate: Array, table: Table, narrow: bool
) -> tuple[Array, list[Pieces]]:
    reached = np.zeros(len(rate), dtype=np.int64)
    for block in range(int(table.count[rate].max()) - 1):
        beyond = np.asarray(total > table.high[narrow][rate, block], dtype=bool)
        reached += beyond & (table.count[rate] > block + 1)
    rows = np.arange(len(rate))
    return size * table.price[narrow][rate, reached], [Pieces(rows, before, size, reached)]


def _lots(
    before: Array, size: Array, total: Array, rate: Array, table: Table, narrow: bool
) -> tuple[Array, list[Pieces]]:
    lot = table.high[narrow][rate, 0]
    begun, opened = -(-before // lot), -(-(before + size) // lot)
    count = opened - begun
    rows = np.arange(len(rate))
    zero = np.zeros(len(rate), dtype=np.int64)
    return count * table.price[narrow][rate, 0], [Pieces(rows, begun * MICRO, count * MICRO, zero)]


def _bounded(amount: Array, rate: Array, table: Table, group_first: Array, group: Array) -> Array:
    """Amounts of the steps after minimum and cap, which bound the running sum of their group; it never falls.

    What a cap cuts off is gone: it does not come back where a later version has a higher one or none.
    """
    up_to = running(amount, group_first, group)
    narrow = up_to.dtype != object
    minimum, cap = table.minimum[narrow], table.cap[narrow]
    concerned = np.asarray(table.bounded[rate] & ((up_to < minimum[rate]) | (up_to > cap[rate])), dtype=bool)
    result = amount.astype(object)
    ends = np.append(group_first[1:], len(rate))
    for number in np.unique(group[concerned]).tolist():
        reached = charged = 0
        for step in range(int(group_first[number]), int(ends[number])):
            most = max(int(table.cap[False][rate[step]]), charged)
            reached = min(reached + int(amount[step]), most)
            bounded = min(max(reached, int(table.minimum[False][rate[step]])), most)
            result[step] = max(bounded - charged, 0)
            charged = max(charged, bounded)
    return fitted(result)


def _shares(amount: Array, rows: Rows, first: Array, step_of_row: Array, sizes: tuple[Array, Array]) -> Array:
    """Each row's share of its step's amount, in proportion to quantity.

    Of ``sizes``, what was used and what is committed and not used, the second is shared by rows that commit alone:
    what another uses on trial takes nothing of it.
    """
    if len(first) == len(step_of_row):
        return amount
    used, missing = sizes
    result = amount[step_of_row].astype(object)
    ends = np.append(first[1:], len(step_of_row))
    for step, (start, end) in enumerate(zip(first.tolist(), ends.tolist(), strict=True)):
        if end - start > 1:
            quantity = [int(each) for each in rows.quantity[start:end]]
            of_used, of_missing = int(amount[step]), 0
            if missing[step]:
                of_used, of_missing = allocate(of_used, [int(used[step]), int(missing[step])])
            shares = allocate(of_used, quantity)
            if of_missing:
                held = np.flatnonzero(rows.commits[start:end]).tolist()
                for place, share in zip(held, allocate(of_missing, [quantity[at] for at in held]), strict=True):
                    shares[place] += share
            result[start:end] = shares
    return fitted(result)
