"""Internal cost: fixed amounts spread over lines by a key, and overhead on top of all that a line is charged."""

from collections.abc import Iterator, Sequence
from datetime import datetime
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from zoneinfo import ZoneInfo

import polars as pl

from gradumen.core.catalogue.rates import RateCardVersion, SpreadRate
from gradumen.core.exact import (
    AMOUNT_PLACES,
    QUANTITY_PLACES,
    allocate,
    divide_half_up,
    round_half_up,
    scaled,
    unscaled,
)
from gradumen.core.periods import day_start, hour_number
from gradumen.core.rating.charges import Charge, Shared
from gradumen.core.rating.fees import month_share
from gradumen.core.rating.parts import Part
from gradumen.core.rating.rating import Pricing, RatedLine


def spreads(pricing: Pricing, rows: pl.DataFrame) -> Iterator[Charge]:
    """The fixed costs of all cards, each spread over the card's lines in proportion to what they used of the key.

    A month's amount counts by the seconds in which its version holds. Where nobody used the key, the lines' seconds
    are the key; where there is no line, nothing bears it.

    Args:
        rows: the period's usage; see `gradumen.core.rating.rating.USAGE_SCHEMA`.
    """
    numbers = {slug: number for number, slug in pricing.meters.items()}
    for versions in pricing.cards.values():
        starts = [max(pricing.start, day_start(version.starts_on, pricing.zone)) for version in versions]
        # The next version may be one of a later period.
        held = pairwise(min(moment, pricing.end) for moment in (*starts, pricing.end))
        for version, (start, end) in zip(versions, held, strict=True):
            for rate in version.rates:
                if isinstance(rate, SpreadRate) and start < end:
                    yield from _spread(pricing, rows, version, rate, numbers.get(rate.by, -1), (start, end))


def _spread(
    pricing: Pricing,
    rows: pl.DataFrame,
    version: RateCardVersion,
    rate: SpreadRate,
    meter: int,
    span: tuple[datetime, datetime],
) -> Iterator[Charge]:
    spans: list[tuple[RatedLine, datetime, datetime]] = []
    for line in pricing.lines.values():
        if any(each is version for each in line.versions):
            start, end = pricing.service_period(line, version)
            if start < end:
                spans.append((line, start, end))
    used = _used(rows, meter, span, pricing.zone)
    seconds = [0 if line.paused else int((end - start).total_seconds()) for line, start, end in spans]
    keys = [used.get(line.number, 0) for line, _, _ in spans]
    weights = keys if any(keys) else seconds
    if not any(weights):
        return
    whole = Fraction(int((span[1] - span[0]).total_seconds()), int((pricing.end - pricing.start).total_seconds()))
    amount = round_half_up(Fraction(rate.amount) * whole, AMOUNT_PLACES)
    total = unscaled(sum(keys), QUANTITY_PLACES)
    shares = allocate(scaled(amount, AMOUNT_PLACES), weights)
    for (line, start, end), length, key, share in zip(spans, seconds, keys, shares, strict=True):
        if share:
            own = month_share(line, rate, version, (start, end), length, unscaled(share, AMOUNT_PLACES), pricing.zone)
            yield own._replace(shared=Shared(total, amount), key=unscaled(key, QUANTITY_PLACES))


def _used(rows: pl.DataFrame, meter: int, span: tuple[datetime, datetime], zone: ZoneInfo) -> dict[int, int]:
    """What lines used of a meter in a span, in millionths."""
    first, last = (hour_number(moment, zone) for moment in span)
    chosen = rows.lazy().filter((pl.col("meter") == meter) & pl.col("hour").is_between(first, last, closed="left"))
    summed = chosen.group_by("line").agg(pl.col("quantity").cast(pl.Int128).sum()).collect()
    return {line: int(quantity) for line, quantity in summed.iter_rows()}


def overheads(charges: Sequence[Charge]) -> Iterator[Charge]:
    """The overhead of each line and version: a percentage of all that it is charged, split like that."""
    of_line: dict[tuple[int, int], list[Charge]] = {}
    for charge in charges:
        if charge.version.overhead:
            of_line.setdefault((charge.line, id(charge.version)), []).append(charge)
    for same in of_line.values():
        base = sum(scaled(charge.amount, AMOUNT_PLACES) for charge in same)
        exact = base * Fraction(same[0].version.overhead) / 100
        whole = divide_half_up(exact.numerator, exact.denominator)
        if whole <= 0:
            continue
        parts = [part for charge in same for part in charge.parts]
        weights = [max(part.pico, 0) for part in parts]
        yield Charge(
            line=same[0].line,
            kind="overhead",
            rate="overhead",
            version=same[0].version,
            meter=None,
            unit="",
            quantity=Decimal(0),
            covered=Decimal(0),
            before=unscaled(base, AMOUNT_PLACES),
            blocks=(),
            amount=unscaled(whole, AMOUNT_PLACES),
            start=min(charge.start for charge in same),
            end=max(charge.end for charge in same),
            parts=tuple(
                Part(part.project, part.resource, part.day, 0, share)
                for part, share in zip(parts, allocate(whole, weights), strict=True)
                if share
            ),
        )
