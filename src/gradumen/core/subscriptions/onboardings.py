"""Bringing customers on board: how far one is, and when it waits for somebody's approval."""

import hashlib
import json
from collections.abc import Iterable, Mapping
from decimal import Decimal
from enum import StrEnum

from gradumen.core.errors import Invalid
from gradumen.core.exact import add, text


class OnboardingState(StrEnum):
    """How far an onboarding has come."""

    DRAFT = "draft"
    """Somebody is still writing it, or was asked back."""
    WAITING = "waiting"
    """For approval."""
    REFUSED = "refused"
    WITHDRAWN = "withdrawn"
    RUNNING = "running"
    """Step by step: the organisation is there, its accounts in clouds are made, then its people and tiers."""
    DONE = "done"
    UNDOING = "undoing"
    UNDONE = "undone"
    """All that it made is taken back."""


LONGEST_WELCOME = 1500


def welcome_of(raw: str | None) -> str | None:
    """Words of welcome in paragraphs; None where there are none.

    Raises:
        Invalid: they are too long, or have characters that cannot be shown.
    """
    words = "" if raw is None else raw.replace("\r\n", "\n").strip()
    if len(words) > LONGEST_WELCOME or not words.replace("\n", "").isprintable():
        raise Invalid(f"welcome has at most {LONGEST_WELCOME} characters that can be shown", field="welcome")
    return words or None


class Answer(StrEnum):
    """What an approver says: yes, no, or that something is to be written otherwise first."""

    APPROVE = "approve"
    REFUSE = "refuse"
    ASK_BACK = "ask back"


Sums = Mapping[str, Decimal]
"""What onboardings come to: fees a month by currency, limits by measure."""
ENDLESS = Decimal("Infinity")
"""Stands for no limit of a measure."""


def passed(limits: Sums, earlier: Iterable[Sums], sums: Sums) -> str | None:
    """The first of what has a limit that is passed, with what was brought on board earlier in the month; None: none.

    What comes to nothing passes nothing.

    Args:
        limits: up to how much of each goes through without approval.

    >>> passed({"EUR": Decimal(100)}, [{"EUR": Decimal(60)}], {"EUR": Decimal(50)})
    'EUR'
    >>> passed({"EUR": Decimal(100)}, [{"GBP": Decimal(60)}], {"EUR": Decimal(50), "GBP": Decimal(900)})
    >>> passed({"storage": Decimal(500)}, [], {"storage": ENDLESS})
    'storage'
    """
    before = list(earlier)
    for what in sorted(limits):
        more = sums.get(what, Decimal(0))
        if more > 0 and (not more.is_finite() or _all(before, what, more) > limits[what]):
            return what
    return None


def _all(earlier: Iterable[Sums], what: str, more: Decimal) -> Decimal:
    return add([more, *(each[what] for each in earlier if each.get(what, ENDLESS).is_finite())])


def seal_of(version: int, sentences: Iterable[str], sums: Sums) -> str:
    """What an approver read, in short: another version, sentence, price or limit gives another one.

    >>> seal_of(1, ["It has 8 vCPU."], {}) == seal_of(1, ["It has 9 vCPU."], {})
    False
    """
    read = [version, list(sentences), sorted((what, _said(amount)) for what, amount in sums.items())]
    return hashlib.sha256(json.dumps(read).encode()).hexdigest()[:32]


def _said(amount: Decimal) -> str:
    return text(amount) if amount.is_finite() else "no limit"
