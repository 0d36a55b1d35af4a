"""Clouds that a step asks: what they answer, with their names before what they refuse."""

from collections.abc import Callable
from typing import TypeVar

from gradumen.adapters.cloud_accounts import CloudAccounts
from gradumen.adapters.clouds import cloud_at
from gradumen.adapters.door import Door
from gradumen.core.errors import Conflict, GradumenError, Unavailable
from gradumen.core.quotas.measures import AccountLimits, Measure
from gradumen.jobs.leases import Held
from gradumen.usecases.organisations.clouds import Reaching

T = TypeVar("T")


def asked(door: Door, name: str, reaching: Reaching, ask: Callable[[CloudAccounts], T]) -> T:
    """What a cloud answers.

    Raises:
        Unavailable: it may go better later.
        Conflict: it will not.
    """
    try:
        with cloud_at(door, reaching.kind, reaching.endpoint, reaching.secret) as cloud:
            return ask(cloud)
    except Unavailable as problem:
        raise Unavailable(f"{name}: {problem.message}") from problem
    except GradumenError as problem:
        raise Conflict(f"{name}: {problem.message}") from problem


def hold_to(
    held: Held, door: Door, name: str, reaching: Reaching, account: str, limits: AccountLimits
) -> list[Measure]:
    """The step that holds an account, by its cloud's id, to limits; gives the measures of which its cloud keeps any."""
    with held.step(f"limits in {name}", account=account) as step:
        kept = asked(door, name, reaching, lambda cloud: cloud.limit(account, limits))
        step.result["kept there"] = ", ".join(kept) or "none: its cloud keeps no limits"
    return kept
