"""Bodies of the states of organisations."""

from datetime import date, datetime
from typing import Literal

from gradumen.wire.values import Body


class StateCreate(Body):
    """Another state for an organisation: from a day on (in its seller's zone), or from now where that is null."""

    state: Literal["active", "suspended", "closing", "closed"]
    starts_on: date | None = None
    reason: str | None = None


class StateBody(Body):
    """A state from a moment on; ``planned`` where that is still to come.

    The reason is between the organisation and its direct seller, and null for others.
    """

    state: str
    starts_at: datetime
    reason: str | None
    planned: bool


class MeaningBody(Body):
    """What a state means, for the organisation and all below it."""

    sign_in: str
    usage: str
    ordering: str
    billing: str


class NextStateBody(Body):
    """A state that may follow, what it would mean, and what stands against it (``hindrances``)."""

    state: str
    meaning: MeaningBody
    hindrances: list[str]


class StatesBody(Body):
    """The state of an organisation, those before, and those that may follow.

    ``state`` is what holds, which may come from one above it; ``own`` is its own. ``below`` counts organisations below
    it, and ``subscriptions`` what runs of it and of them, of what its reader sees; both share what happens to it.
    ``next`` is empty for those who do not decide.
    """

    organisation: str
    organisation_name: str
    state: str
    own: str
    meaning: MeaningBody
    below: int
    subscriptions: int
    history: list[StateBody]
    next: list[NextStateBody]
