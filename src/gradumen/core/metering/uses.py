"""Use of what quotas limit: what the meters that count a measure come to, as a level or as what flowed."""

from collections.abc import Iterable, Sequence
from decimal import Decimal
from fractions import Fraction

from gradumen.core.exact import QUANTITY_PLACES, add, round_half_up
from gradumen.core.metering.usage import HOUR_SECONDS
from gradumen.core.quotas.measures import Measure
from gradumen.core.units import parse_unit


def flowed(measure: Measure, quantities: Iterable[Decimal]) -> Decimal:
    """What flowed, in the measure's unit, rounded half up to six places; quantities are in base units.

    >>> flowed(Measure.EGRESS, [Decimal(2**30), Decimal(2**29)])
    Decimal('1.500000')
    """
    factor = factor_of(measure)
    return round_half_up(sum((Fraction(each) for each in quantities), Fraction(0)) / factor, QUANTITY_PLACES)


def factor_of(measure: Measure) -> Fraction:
    """How many base units its unit is."""
    return parse_unit(measure.unit, counted=None if measure.base == "byte" else measure.base).factor


def mean_level(measure: Measure, millionths: int, hours: int = 1) -> Decimal:
    """The mean level of a stock over some hours, or of what flows in a second, rounded half up to six places.

    Args:
        millionths: of level x seconds in base units, or of what flowed, of all its meters, which count in the same.

    Two vCPU for half of each of 24 hours:

    >>> mean_level(Measure.PROCESSORS, 12 * 3600 * 2 * 10**6, 24)
    Decimal('1.000000')
    """
    seconds = 10**QUANTITY_PLACES * hours * HOUR_SECONDS
    return round_half_up(Fraction(millionths, seconds) / factor_of(measure), QUANTITY_PLACES)


def running_sums(keys: Sequence[object], quantities: Sequence[Decimal]) -> list[Decimal]:
    """Sums up to and with each quantity, begun anew where the key changes.

    >>> running_sums([9, 9, 10], [Decimal(1), Decimal(2), Decimal(4)])
    [Decimal('1'), Decimal('3'), Decimal('4')]
    """
    found: list[Decimal] = []
    for place, quantity in enumerate(quantities):
        goes_on = place > 0 and keys[place] == keys[place - 1]
        found.append(add([found[-1], quantity]) if goes_on else quantity)
    return found
