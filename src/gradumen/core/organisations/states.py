"""The states of an organisation: which follows which, and what each means."""

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from gradumen.core.errors import Conflict
from gradumen.core.permissions import Right


class State(StrEnum):
    """What an organisation is in the eyes of its seller, from the best to what weighs most."""

    ACTIVE = "active"
    SUSPENDED = "suspended"
    CLOSING = "closing"
    PROPOSED = "proposed"
    CLOSED = "closed"


_ORDER = list(State)
FOLLOWS: dict[State, tuple[State, ...]] = {
    State.PROPOSED: (State.ACTIVE, State.CLOSED),
    State.ACTIVE: (State.SUSPENDED, State.CLOSING),
    State.SUSPENDED: (State.ACTIVE, State.CLOSING),
    State.CLOSING: (State.ACTIVE, State.CLOSED),
    State.CLOSED: (),
}
"""What may come after each."""
_RESTING = frozenset({Right.READ, Right.READ_MONEY, Right.BILL, Right.SEND_READINGS, Right.MANAGE_MEMBERS})
KEPT: dict[State, frozenset[Right]] = {
    State.ACTIVE: frozenset(Right),
    State.SUSPENDED: _RESTING,
    State.CLOSING: _RESTING,
    State.PROPOSED: frozenset(),
    State.CLOSED: frozenset(),
}
"""The rights that its members keep, of those that their roles give."""


@dataclass(frozen=True, slots=True)
class Meaning:
    """What a state means, for the organisation and for all below it, in sentences."""

    sign_in: str
    usage: str
    ordering: str
    billing: str


_LOOKING = "Its people, and those of all below it, sign in to look; they change nothing but members."
MEANING: dict[State, Meaning] = {
    State.PROPOSED: Meaning(
        sign_in="Its people can be invited and set a password; they can sign in from the day it becomes active.",
        usage="Readings are taken, and charged where a subscription covers them.",
        ordering="Its seller prepares everything: projects, quotas, subscriptions.",
        billing="It is billed like any other.",
    ),
    State.ACTIVE: Meaning(
        sign_in="Its people sign in and do what their roles allow.",
        usage="Readings are taken and charged.",
        ordering="Everything that is offered and granted can be subscribed to.",
        billing="It is billed each month.",
    ),
    State.SUSPENDED: Meaning(
        sign_in=_LOOKING,
        usage="What runs goes on being metered and charged: suspending stops nothing in a cloud.",
        ordering="Nothing new is subscribed to and no subscription is changed, for it or anybody below; its seller can "
        "pause and end them.",
        billing="It is billed, and bills its own customers, each month.",
    ),
    State.CLOSING: Meaning(
        sign_in=_LOOKING,
        usage="What still runs is metered and charged until its subscriptions end.",
        ordering="Nothing new is subscribed to; its seller ends what there is.",
        billing="It is billed until nothing is left to bill; then it can be closed.",
    ),
    State.CLOSED: Meaning(
        sign_in="Its people cannot sign in any more.",
        usage="Readings are taken, and listed as covered by no subscription.",
        ordering="Nothing. Its quotas are released.",
        billing="What comes late for a month before goes on a last document. Its documents and records are kept.",
    ),
}


def heaviest(states: Iterable[State]) -> State:
    """What holds for an organisation of which these are its own state and those of all above it.

    >>> heaviest([State.ACTIVE, State.SUSPENDED])
    <State.SUSPENDED: 'suspended'>
    """
    return max(states, key=_ORDER.index, default=State.ACTIVE)


def check_follows(before: State, after: State, name: str) -> None:
    """Check that a state may come after another.

    Raises:
        Conflict: it may not; says what may.
    """
    if after in FOLLOWS[before]:
        return
    allowed = " or ".join(FOLLOWS[before])
    rest = f"it can become {allowed}" if allowed else "that is final; make a new organisation instead"
    raise Conflict(f"{name} is {before} and cannot become {after}: {rest}", field="state", value=after)
