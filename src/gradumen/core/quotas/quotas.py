"""Quotas: limits that flow down the chain and never add up to more than what is there."""

from dataclasses import dataclass
from decimal import Decimal, localcontext
from enum import StrEnum

from gradumen.core.errors import QuotaBelowGranted, QuotaExceeded, UnlimitedBelow
from gradumen.core.exact import EXACT, text


class Measure(StrEnum):
    """What a quota limits."""

    PROCESSORS = "processors"
    STORAGE = "storage"


MEASURE_UNITS = {Measure.PROCESSORS: "vCPU", Measure.STORAGE: "GiB"}


@dataclass(frozen=True, slots=True)
class Holding:
    """What somebody holds of a measure: ``limit`` None is no limit, ``granted`` is what it has given on.

    ``unlimited_below`` counts those to whom it gave no limit.
    """

    holder: str
    measure: Measure
    limit: Decimal | None
    reservation: Decimal = Decimal(0)
    granted: Decimal = Decimal(0)
    factor: Decimal = Decimal(1)
    unlimited_below: int = 0

    @property
    def ceiling(self) -> Decimal | None:
        """The limit x the overbooking factor."""
        with localcontext(EXACT):
            return None if self.limit is None else self.limit * self.factor

    @property
    def committed(self) -> Decimal:
        """What is given on or reserved for own use."""
        with localcontext(EXACT):
            return self.granted + self.reservation


def check_grant(giver: Holding, taker: Holding, asked: Decimal | None) -> None:
    """Check that ``giver`` may set ``taker``'s limit to ``asked`` (invariant 3 of the architecture).

    ``giver.granted`` includes the taker's present limit.

    Raises:
        QuotaExceeded: more than what the giver has left, or no limit where the giver has one.
        QuotaBelowGranted: less than what the taker has already given on or reserved.
        UnlimitedBelow: a limit for one who has given on without limit.
    """
    ceiling = giver.ceiling
    with localcontext(EXACT):
        if ceiling is not None and giver.limit is not None:
            left = ceiling - giver.committed + (taker.limit or 0)
            if asked is None or asked > left:
                raise QuotaExceeded(
                    measure=giver.measure,
                    asked=None if asked is None else text(asked),
                    left=text(max(left, Decimal(0))),
                    limit=text(giver.limit),
                    holder=giver.holder,
                )
        if asked is not None and taker.unlimited_below:
            raise UnlimitedBelow(holder=taker.holder, measure=taker.measure, count=taker.unlimited_below)
        if asked is not None and asked * taker.factor < taker.committed:
            raise QuotaBelowGranted(
                measure=taker.measure,
                asked=text(asked),
                granted=text(taker.committed),
                excess=text(taker.committed - asked * taker.factor),
                holder=taker.holder,
            )
