"""Orders of customers: what they come to a month, and which of them wait for their seller's approval."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction

from gradumen.core.catalogue.rates import Every, RecurringRate
from gradumen.core.exact import AMOUNT_PLACES, add, round_half_up


class OrderKind(StrEnum):
    """What is ordered: a new subscription, another tier, quantity or choice of one, or its end."""

    SUBSCRIBE = "subscribe"
    CHANGE = "change"
    END = "end"


class OrderState(StrEnum):
    """``done`` is carried out, at once or when it was approved."""

    WAITING = "waiting"
    DONE = "done"
    REFUSED = "refused"
    WITHDRAWN = "withdrawn"


class Approver(StrEnum):
    """Whose approval an order waits for, and whose limit a policy is: another of its own people, or its seller."""

    OWN = "own"
    SELLER = "seller"


@dataclass(frozen=True, slots=True)
class Fees:
    """What a tier costs by its fees, net of tax and before discounts: each month, and once."""

    monthly: Decimal
    once: Decimal


def fees_of(fees: Iterable[RecurringRate], quantity: int) -> Fees:
    """The fees of so many pieces; what is charged for quarters and years counts by the month.

    >>> fees_of([RecurringRate("fee", "p", "t", Decimal(30), Every.QUARTER)], 2)
    Fees(monthly=Decimal('20.000000000000'), once=Decimal('0'))
    """
    monthly, once = [], []
    for fee in fees:
        if fee.every is Every.ONCE:
            once.append(fee.price * quantity)
        else:
            monthly.append(round_half_up(Fraction(fee.price) * quantity / fee.every.months, AMOUNT_PLACES))
    return Fees(add(monthly), add(once))


def waits(kind: OrderKind, amount: Decimal, ordered: Decimal, limit: Decimal | None) -> bool:
    """Whether an order waits for approval.

    A change or end that costs no more never does; something new does even without fees where nothing goes through,
    since its use costs. What was ordered earlier in the month counts, so that nothing passes in parts.

    Args:
        amount: what it adds, a month and once.
        ordered: what went through at once earlier in the month.
        limit: up to which orders go through at once; None is any amount.

    >>> new, change = OrderKind.SUBSCRIBE, OrderKind.CHANGE
    >>> waits(new, Decimal(60), Decimal(50), Decimal(100)), waits(new, Decimal(50), Decimal(50), Decimal(100))
    (True, False)
    >>> waits(change, Decimal(0), Decimal(500), Decimal(0)), waits(new, Decimal(0), Decimal(0), Decimal(0))
    (False, True)
    >>> waits(new, Decimal(10) ** 9, Decimal(0), None)
    False
    """
    if limit is None or (amount <= 0 and kind is not OrderKind.SUBSCRIBE):
        return False
    return limit == 0 or add([ordered, amount]) > limit
