"""Use of what quotas limit: what the meters that count a measure come to over an hour, as a level."""

from collections.abc import Iterable, Mapping
from decimal import Decimal
from fractions import Fraction

from gradumen.core.catalogue.services import Meter
from gradumen.core.catalogue.units import parse_unit
from gradumen.core.exact import QUANTITY_PLACES, round_half_up
from gradumen.core.metering.usage import HOUR_SECONDS
from gradumen.core.quotas.measures import MEASURE_UNITS, Measure


def mean_level(measure: Measure, meters: Mapping[int, Meter], quantities: Mapping[int, int]) -> Decimal:
    """The mean level of a measure over an hour, in its unit, rounded half up to six places.

    Args:
        meters: those that count it, by number; levels, whose usage is level x seconds.
        quantities: millionths of base units in the hour, by the meter's number.

    >>> from gradumen.core.catalogue.services import Combine
    >>> vcpu = Meter("c/vcpu", "vCPU", parse_unit("vCPU-second", counted="vCPU"), Combine.LEVEL, "vCPU")
    >>> mean_level(Measure.PROCESSORS, {1: vcpu, 2: vcpu}, {1: 4 * 1800 * 10**6, 2: 3600 * 10**6})
    Decimal('3.000000')
    """
    total = Fraction(0)
    for number, quantity in quantities.items():
        factor = parse_unit(MEASURE_UNITS[measure], counted=meters[number].counted).factor
        total += Fraction(quantity, 10**QUANTITY_PLACES * HOUR_SECONDS) / factor
    return round_half_up(total, QUANTITY_PLACES)


def flowed(measure: Measure, quantities: Iterable[Decimal]) -> Decimal:
    """What flowed, in the measure's unit, rounded half up to six places; quantities are in base units.

    >>> flowed(Measure.EGRESS, [Decimal(2**30), Decimal(2**29)])
    Decimal('1.500000')
    """
    factor = parse_unit(MEASURE_UNITS[measure]).factor
    return round_half_up(sum((Fraction(each) for each in quantities), Fraction(0)) / factor, QUANTITY_PLACES)
