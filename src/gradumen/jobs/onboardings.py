"""Brings a customer on board step by step: its accounts in clouds, then its people and tiers; or takes all back."""

from collections.abc import Callable
from functools import partial
from typing import TypeVar
from uuid import UUID

from gradumen.adapters.cloud_accounts import CloudAccounts, ensure, existing, remove_ours
from gradumen.adapters.door import Door
from gradumen.core.errors import Invalid
from gradumen.jobs.clouds import asked, hold_to
from gradumen.jobs.leases import Held, now
from gradumen.usecases.metering.cloud_feeds import disown_accounts, own_accounts
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
    customer = customer_to_make(held.uow, lease=held.lease)
    accounts = accounts_to_make(
        held.uow, lease=held.lease, organisation=customer.organisation, people=customer.people, at=now()
    )
    for count, account in enumerate(accounts):
        held.progress(count, len(accounts) + 1)
        _make_account(held, door, account)
    _own_accounts(held, customer.organisation)
    with held.step("people and tiers") as step:
        step.result["done"] = finish_onboarding(held.uow, lease=held.lease, at=now())
    held.progress(len(accounts) + 1)


def _own_accounts(held: Held, organisation: UUID) -> None:
    """What is used in its accounts is its own; rules that stand in the way are told, and hold nothing up."""
    try:
        told = own_accounts(held.uow, lease=held.lease, organisation=organisation, at=now())
    except Invalid as problem:
        told = [f"nobody's yet: {problem.message}"]
    if told:
        with held.step("whose its accounts' usage is") as step:
            step.result["is"] = told


def _make_account(held: Held, door: Door, account: ToDo) -> None:
    """An account counts as made once its limits and people are there too; each is asked for again where it may be."""
    with held.step(f"account in {account.cloud_name}", account=account.name, tag=account.tag) as step:
        found = step.result["account"] = _ask(door, account, partial(_stands, account=account))
    kept = []
    if account.limits:
        kept = hold_to(held, door, account.cloud_name, account.reaching, found, account.limits)
    if account.people:
        with held.step(f"users in {account.cloud_name}", people=list(account.people)) as step:
            admitted = _ask(door, account, partial(_admit, id=found, people=account.people))
            step.result["users"] = len(account.people) if admitted else "none: its cloud has no users"
    note_made(
        held.uow,
        lease=held.lease,
        account=account.id,
        external_id=found,
        linked=account.link is not None,
        kept=kept,
        at=now(),
    )


def _stands(cloud: CloudAccounts, account: ToDo) -> str:
    found = ensure(cloud, account.name, account.tag) if account.link is None else existing(cloud, account.link)
    return found.id


def _admit(cloud: CloudAccounts, id: str, people: tuple[str, ...]) -> bool:
    admitted = [cloud.admit(id, email) for email in people]
    return all(admitted)


def take_back(held: Held, door: Door) -> None:
    """Take away every account with a tag of it, whatever is known of it here, then the organisation itself."""
    customer = customer_to_make(held.uow, lease=held.lease)
    for account in accounts_to_take_back(
        held.uow, lease=held.lease, organisation=customer.organisation, people=customer.people
    ):
        if account.link is not None:
            _dismiss_from_linked(held, door, account, account.link)
            continue
        with held.step(f"no account in {account.cloud_name}", tag=account.tag) as step:
            gone = partial(remove_ours, tag=account.tag, people=account.people)
            step.result["taken away"] = _ask(door, account, gone)
            note_taken_back(held.uow, lease=held.lease, account=account.id, at=now())
    disowned = disown_accounts(held.uow, lease=held.lease, organisation=customer.organisation, at=now())
    if disowned:
        with held.step("what its accounts used is nobody's") as step:
            step.result["rules taken away"] = disowned
    with held.step("the organisation goes") as step:
        step.result["first look"] = end_undone(held.uow, lease=held.lease, at=now())


def _dismiss_from_linked(held: Held, door: Door, account: ToDo, link: str) -> None:
    with held.step(f"no users in {account.cloud_name}", account=link):
        _ask(door, account, partial(_dismiss, id=link, people=account.people))


def _dismiss(cloud: CloudAccounts, id: str, people: tuple[str, ...]) -> None:
    for email in people:
        cloud.dismiss(id, email)


def _ask(door: Door, account: ToDo, ask: Callable[[CloudAccounts], T]) -> T:
    return asked(door, account.cloud_name, account.reaching, ask)
