"""Brings a customer on board step by step: its accounts in clouds, then its people and tiers; or takes all back."""

from collections.abc import Callable
from functools import partial
from typing import TypeVar

from gradumen.adapters.cloud_accounts import CloudAccounts, ensure, existing, remove_ours
from gradumen.adapters.clouds import cloud_at
from gradumen.adapters.door import Door
from gradumen.core.errors import Conflict, GradumenError, Unavailable
from gradumen.jobs.leases import Held, now
from gradumen.usecases.subscriptions.onboarding_accounts import (
    ToDo,
    accounts_to_make,
    accounts_to_take_back,
    note_made,
    note_taken_back,
)
from gradumen.usecases.subscriptions.onboarding_tasks import customer_to_make, end_undone, finish_onboarding

T = TypeVar("T")


def make(held: Held, door: Door) -> None:
    """Make what is not there yet; an account that an earlier attempt made is found by its tag."""
    organisation = customer_to_make(held.uow, lease=held.lease)
    accounts = accounts_to_make(held.uow, lease=held.lease, organisation=organisation)
    for count, account in enumerate(accounts):
        held.progress(count, len(accounts) + 1)
        with held.step(f"account in {account.cloud_name}", account=account.name, tag=account.tag) as step:
            found = _asked(door, account, partial(_stands, account=account))
            step.result["account"] = found
            note_made(
                held.uow,
                lease=held.lease,
                account=account.id,
                external_id=found,
                linked=account.link is not None,
                at=now(),
            )
    with held.step("people and tiers") as step:
        step.result["done"] = finish_onboarding(held.uow, lease=held.lease, at=now())
    held.progress(len(accounts) + 1)


def _stands(cloud: CloudAccounts, account: ToDo) -> str:
    found = ensure(cloud, account.name, account.tag) if account.link is None else existing(cloud, account.link)
    return found.id


def take_back(held: Held, door: Door) -> None:
    """Take away every account with a tag of it, whatever is known of it here, then the organisation itself."""
    organisation = customer_to_make(held.uow, lease=held.lease)
    for account in accounts_to_take_back(held.uow, lease=held.lease, organisation=organisation):
        with held.step(f"no account in {account.cloud_name}", tag=account.tag) as step:
            step.result["taken away"] = _asked(door, account, partial(remove_ours, tag=account.tag))
            note_taken_back(held.uow, lease=held.lease, account=account.id, at=now())
    with held.step("the organisation goes") as step:
        step.result["first look"] = end_undone(held.uow, lease=held.lease, at=now())


def _asked(door: Door, account: ToDo, ask: Callable[[CloudAccounts], T]) -> T:
    """What a cloud answers; its refusals begin with its name."""
    try:
        reached = account.reaching
        with cloud_at(door, reached.kind, reached.endpoint, reached.secret) as cloud:
            return ask(cloud)
    except Unavailable as problem:
        raise Unavailable(f"{account.cloud_name}: {problem.message}") from problem
    except GradumenError as problem:
        raise Conflict(f"{account.cloud_name}: {problem.message}") from problem
