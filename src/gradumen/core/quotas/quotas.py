"""Quotas: limits that flow down the chain and never add up to more than what is there."""

from dataclasses import dataclass
from decimal import Decimal, localcontext

from gradumen.core.errors import QuotaBelowGranted, QuotaExceeded, UnlimitedBelow
from gradumen.core.exact import EXACT, figure, text
from gradumen.core.quotas.measures import Measure, amount_words, measure_words

MOST_GRACE = 366
"""Days for which a soft limit may be exceeded, at most."""


@dataclass(frozen=True, slots=True)
class Holding:
    """What somebody holds of a measure: ``limit`` None is no limit, ``granted`` is what it has passed on.

    ``own`` is what it has itself: what its own tiers promise, or what is counted of it. ``unlimited_below`` counts
    those to whom it gave no limit; ``name`` is what people call the holder. ``where`` is " at" a site, or " of" a pool,
    where it is about one.
    """

    holder: str
    measure: Measure
    limit: Decimal | None
    reservation: Decimal = Decimal(0)
    granted: Decimal = Decimal(0)
    factor: Decimal = Decimal(1)
    own: Decimal = Decimal(0)
    unlimited_below: int = 0
    name: str = ""
    where: str = ""

    @property
    def ceiling(self) -> Decimal | None:
        """The limit x the overbooking factor."""
        with localcontext(EXACT):
            return None if self.limit is None else self.limit * self.factor

    @property
    def committed(self) -> Decimal:
        """What is passed on, and the larger of what is reserved for own use and what is had."""
        with localcontext(EXACT):
            return self.granted + max(self.reservation, self.own)

    @property
    def left(self) -> Decimal | None:
        """What of the ceiling is free; None without limit, negative where more is had than may be."""
        ceiling = self.ceiling
        with localcontext(EXACT):
            return None if ceiling is None else ceiling - self.committed


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
    ceiling, measure, name = giver.ceiling, taker.measure, taker.name or taker.holder
    facts = {"measure": measure, "asked": None if asked is None else text(asked)}
    with localcontext(EXACT):
        if ceiling is not None and giver.limit is not None:
            own, free = taker.limit or Decimal(0), max(ceiling - giver.committed, Decimal(0))
            left = max(ceiling - giver.committed + own, Decimal(0))
            # Less than before is never refused, even where there is not so much any more.
            less = asked is not None and taker.limit is not None and asked <= taker.limit
            if (asked is None or asked > left) and not less:
                raise QuotaExceeded(
                    f"{name} can have at most {amount_words(measure, left)}{taker.where}: its {figure(own)} and the "
                    f"{figure(free)} that {giver.name or giver.holder} has free",
                    **facts,
                    left=text(left),
                    limit=text(giver.limit),
                    holder=giver.holder,
                )
        if asked is not None and taker.unlimited_below:
            raise UnlimitedBelow(
                f"{taker.unlimited_below} below {name} have no limit of {measure_words(measure)}; "
                "give each of them a limit first",
                holder=taker.holder,
                measure=measure,
                count=taker.unlimited_below,
            )
        if asked is not None and asked * taker.factor < taker.committed:
            excess = taker.committed - asked * taker.factor
            had = "has itself and has passed on" if taker.own > taker.reservation else "has passed on or reserved"
            raise QuotaBelowGranted(
                f"{name} {had} {amount_words(measure, taker.committed)}{taker.where}, so {figure(asked)} are too few; "
                f"take {figure(excess)} back below it first",
                **facts,
                granted=text(taker.committed),
                excess=text(excess),
                holder=taker.holder,
            )


def check_inside(inner: Holding, asked: Decimal, outer: Holding) -> None:
    """Check that a limit at a site lies inside that of all sites, and one of a pool inside that at its site.

    Raises:
        QuotaExceeded: it is more.

    >>> all_in_all = Holding("oxbow", Measure.MACHINES, Decimal(8), name="Oxbow")
    >>> check_inside(Holding("oxbow", Measure.MACHINES, None, where=" at North Fell"), Decimal(9), all_in_all)
    Traceback (most recent call last):
        ...
    gradumen.core.errors.QuotaExceeded: Oxbow has 8 machines in all, so 9 machines at North Fell are too many
    """
    if outer.limit is None or asked <= outer.limit:
        return
    name = outer.name or outer.holder
    has = f"{amount_words(outer.measure, outer.limit)}{outer.where or ' in all'}"
    raise QuotaExceeded(
        f"{name} has {has}, so {amount_words(outer.measure, asked)}{inner.where} are too many",
        measure=outer.measure,
        asked=text(asked),
        left=text(outer.limit),
        limit=text(outer.limit),
        holder=outer.holder,
    )


def check_counted(holder: Holding, more: int) -> None:
    """Check that what is counted of somebody may grow.

    Raises:
        QuotaExceeded: there would be more than its limit leaves beside what it has passed on.

    >>> check_counted(Holding("oxbow", Measure.USERS, Decimal(3), granted=Decimal(1), own=Decimal(2), name="Oxbow"), 1)
    Traceback (most recent call last):
        ...
    gradumen.core.errors.QuotaExceeded: Oxbow may have 3 users; it has 2 and has passed on 1; ask its seller for more
    """
    left = holder.left
    if left is None or left >= more or holder.limit is None:
        return
    name = holder.name or holder.holder
    facts = {
        "measure": holder.measure,
        "asked": text(Decimal(more)),
        "left": text(max(left, Decimal(0))),
        "limit": text(holder.limit),
        "holder": holder.holder,
    }
    if not holder.limit:
        raise QuotaExceeded(f"{name} was given no {holder.measure} yet; ask its seller for some", **facts)
    passed_on = f" and has passed on {figure(holder.granted)}" if holder.granted else ""
    raise QuotaExceeded(
        f"{name} may have {amount_words(holder.measure, holder.limit)}; it has {figure(holder.own)}{passed_on}; "
        "ask its seller for more",
        **facts,
    )
