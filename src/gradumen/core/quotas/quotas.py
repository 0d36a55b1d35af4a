"""Quotas: limits that flow down the chain and never add up to more than what is there."""

from dataclasses import dataclass
from decimal import Decimal, localcontext
from enum import StrEnum

from gradumen.core.errors import QuotaBelowGranted, QuotaExceeded, UnlimitedBelow
from gradumen.core.exact import EXACT, figure, text


class Measure(StrEnum):
    """What a quota limits."""

    PROCESSORS = "processors"
    STORAGE = "storage"


MEASURE_UNITS = {Measure.PROCESSORS: "vCPU", Measure.STORAGE: "GiB"}


@dataclass(frozen=True, slots=True)
class Holding:
    """What somebody holds of a measure: ``limit`` None is no limit, ``granted`` is what it has passed on.

    ``unlimited_below`` counts those to whom it gave no limit; ``name`` is what people call the holder.
    """

    holder: str
    measure: Measure
    limit: Decimal | None
    reservation: Decimal = Decimal(0)
    granted: Decimal = Decimal(0)
    factor: Decimal = Decimal(1)
    unlimited_below: int = 0
    name: str = ""

    @property
    def ceiling(self) -> Decimal | None:
        """The limit x the overbooking factor."""
        with localcontext(EXACT):
            return None if self.limit is None else self.limit * self.factor

    @property
    def committed(self) -> Decimal:
        """What is passed on or reserved for own use."""
        with localcontext(EXACT):
            return self.granted + self.reservation


def check_grant(giver: Holding, taker: Holding, asked: Decimal | None) -> None:
    """Check that ``giver`` may set ``taker``'s limit to ``asked`` (invariant 3 of the architecture).

    ``giver.granted`` includes the taker's present limit.

    Raises:
        QuotaExceeded: more than what the giver has left, or no limit where the giver has one.
        QuotaBelowGranted: less than what the taker has already passed on or reserved.
        UnlimitedBelow: a limit for one who has passed on without limit.

    >>> giver = Holding("tarnwick", Measure.PROCESSORS, Decimal(852), granted=Decimal(96), name="Tarnwick Cloud")
    >>> taker = Holding("oxbow", Measure.PROCESSORS, Decimal(96), name="Oxbow")
    >>> check_grant(giver, taker, Decimal(852))
    >>> check_grant(giver, taker, Decimal(853))
    Traceback (most recent call last):
        ...
    gradumen.core.errors.QuotaExceeded: Oxbow can have at most 852 vCPU: its 96 and the 756 that Tarnwick Cloud has free
    """
    ceiling, unit, name = giver.ceiling, MEASURE_UNITS[taker.measure], taker.name or taker.holder
    facts = {"measure": taker.measure, "asked": None if asked is None else text(asked)}
    with localcontext(EXACT):
        if ceiling is not None and giver.limit is not None:
            own, free = taker.limit or Decimal(0), max(ceiling - giver.committed, Decimal(0))
            left = max(ceiling - giver.committed + own, Decimal(0))
            if asked is None or asked > left:
                raise QuotaExceeded(
                    f"{name} can have at most {figure(left)} {unit}: its {figure(own)} and the {figure(free)} that "
                    f"{giver.name or giver.holder} has free",
                    **facts,
                    left=text(left),
                    limit=text(giver.limit),
                    holder=giver.holder,
                )
        if asked is not None and taker.unlimited_below:
            raise UnlimitedBelow(
                f"{taker.unlimited_below} below {name} have no limit of {taker.measure}; "
                "give each of them a limit first",
                holder=taker.holder,
                measure=taker.measure,
                count=taker.unlimited_below,
            )
        if asked is not None and asked * taker.factor < taker.committed:
            excess = taker.committed - asked * taker.factor
            raise QuotaBelowGranted(
                f"{name} has passed on or reserved {figure(taker.committed)} {unit}, so {figure(asked)} are too few; "
                f"take {figure(excess)} back below it first",
                **facts,
                granted=text(taker.committed),
                excess=text(excess),
                holder=taker.holder,
            )
