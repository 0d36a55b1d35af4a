"""Meters of what quotas promise: levels over time, which no service publishes."""

from collections.abc import Iterable

from gradumen.core.catalogue.rates import PROMISED
from gradumen.core.catalogue.services import Combine, Meter
from gradumen.core.quotas.measures import Kind, Measure
from gradumen.core.units import parse_unit


def promised_meters(measures: Iterable[Measure]) -> dict[str, Meter]:
    """A meter for each measure of which one has so much at a moment, by its slug.

    >>> from gradumen.core.quotas.measures import BUILT_IN
    >>> found = promised_meters(BUILT_IN)
    >>> list(found)[:2], found["promised/memory"].unit.text
    (['promised/processors', 'promised/memory'], 'byte-second')
    """
    stocks = [measure for measure in measures if measure.kind is Kind.STOCK and measure.base is not None]
    return {meter.slug: meter for meter in map(_meter, stocks)}


def _meter(measure: Measure) -> Meter:
    counted = None if measure.base == "byte" else measure.base
    unit = parse_unit(f"{measure.base}-second", counted=counted)
    return Meter(f"{PROMISED}{measure}", f"Promised {measure}", unit, Combine.LEVEL, counted)
