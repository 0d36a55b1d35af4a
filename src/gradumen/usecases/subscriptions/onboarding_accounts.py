"""Accounts in clouds of a customer that comes on board: noted with a tag, then made, linked, or taken back."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.names import name_of
from gradumen.core.organisations.clouds import AccountState, tag_of
from gradumen.core.quotas.measures import AccountLimits, Counted
from gradumen.core.tasks import Lease
from gradumen.store.organisations import clouds as store
from gradumen.store.organisations.clouds import CloudAccountRow, CloudRow
from gradumen.store.organisations.projects import projects_by_path
from gradumen.store.organisations.tables import OrganisationRow, load_tree
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.limits import check_room_for
from gradumen.usecases.organisations.clouds import Reaching, clouds_for, reaching
from gradumen.usecases.organisations.sites import usable_sites
from gradumen.usecases.quotas.cloud_limits import limits_there
from gradumen.usecases.scope import Scope
from gradumen.usecases.tasks import require_lease
from gradumen.wire.subscriptions.onboardings import OnboardingAccount, OnboardingCreate, OnboardingPerson

LATEST_DAY = timedelta(days=92)


@dataclass(frozen=True, slots=True)
class Noted:
    """An account that is noted, and what is to be done in words."""

    row: CloudAccountRow
    sentence: str


@dataclass(frozen=True, slots=True)
class ToDo:
    """An account that is to be made or taken away, and what its cloud is reached by."""

    id: UUID
    cloud_name: str
    name: str
    tag: str
    link: str | None
    people: tuple[str, ...]
    """Who is to use it."""
    limits: AccountLimits
    """What it is to be held to; nothing is said of one that is linked."""
    reaching: Reaching


def want_accounts(
    tx: Session, scope: Scope, seller: OrganisationRow, row: OrganisationRow, customer: OnboardingCreate
) -> list[Noted]:
    """Note the accounts that are asked for, with their tags; nothing is asked of any cloud.

    Raises:
        Invalid: no cloud is called so, its seller may not have accounts made there, it is at a site that the customer
            may not use, or set aside for another.
        Conflict: an account that is to be linked is somebody's already.
    """
    usable = clouds_for(tx, scope, seller) if customer.cloud_accounts else []
    sites = {each.id for each in usable_sites(tx, scope.tree, row.id)}
    found = []
    for each in customer.cloud_accounts:
        cloud = _cloud(usable, each.cloud)
        if cloud.site_id is not None and cloud.site_id not in sites:
            raise Invalid(
                f"{cloud.name} is at a site that {row.name} may not use; permit it, or choose another cloud",
                field="cloud_accounts",
                value=each.cloud,
            )
        if cloud.set_aside_id is not None and cloud.set_aside_id not in scope.tree.chain(row.id):
            raise Invalid(
                f"{cloud.name} is set aside for somebody else; choose another cloud",
                field="cloud_accounts",
                value=each.cloud,
            )
        check_room_for(tx, scope, row, Counted.ACCOUNTS)
        account = CloudAccountRow(
            id=uuid4(),
            cloud_id=cloud.id,
            organisation_id=row.id,
            name=name_of(each.name or row.slug, field="cloud_accounts", most=63),
            tag="",
            external_id=name_of(each.link, field="cloud_accounts", most=190) if each.link else None,
            state=AccountState.WANTED,
            changed_at=scope.now,
            with_people=each.people,
            kept=None,
            project_id=_project(tx, row, customer, each),
            billed_from=_billed_from(scope, each),
        )
        account.tag = tag_of(account.id)
        if not add_new(tx, account):
            raise Conflict(f"account '{each.link}' in {cloud.name} belongs to somebody already", field="cloud_accounts")
        what = (
            f"Account {each.link} in {cloud.name} is linked to it, what is used there from {account.billed_from} on"
            if each.link
            else (f"It gets an account {account.name} in {cloud.name}")
        )
        users = _users(customer.people) if each.people else ""
        found.append(Noted(account, f"{what}{users}."))
    return found


def _project(tx: Session, row: OrganisationRow, customer: OnboardingCreate, account: OnboardingAccount) -> UUID | None:
    """Whose what is used in an account is; None where the customer has no project yet.

    Raises:
        Invalid: it has no such project.
    """
    named = account.project or (customer.projects[0].slug if customer.projects else None)
    if named is None:
        return None
    found = projects_by_path(tx, {f"{row.slug}/{named}"})
    if not found:
        has = ", ".join(each.slug for each in customer.projects) or "none"
        raise Invalid(
            f"'{named[:63]}' is no project of the new customer; it has {has}", field="cloud_accounts", value=named[:63]
        )
    return next(iter(found.values())).id


def _billed_from(scope: Scope, account: OnboardingAccount) -> date | None:
    """From which day what is in a linked account is its own.

    Raises:
        Invalid: the account is to be made, or the day is in a month before this one.
    """
    today = scope.now.date()
    day = account.billed_from
    if account.link is None and day is not None:
        raise Invalid("an account that is made is empty; billed_from is of one that is linked", field="cloud_accounts")
    if day is not None and not today.replace(day=1) <= day <= today + LATEST_DAY:
        raise Invalid(
            f"billed_from {day} is not between the first of this month and {today + LATEST_DAY}; what was before is "
            "given to it by a rule of ownership, with finance",
            field="cloud_accounts",
            value=day,
        )
    return None if account.link is None else day or today


def _users(people: Sequence[OnboardingPerson]) -> str:
    """Who of its people become users of an account, as the end of a sentence."""
    users = [each.email for each in people if each.cloud_user]
    if not users:
        return ""
    return f", of which {'its people' if len(users) == len(people) else ', '.join(users)} become users"


def _cloud(usable: list[CloudRow], named: str) -> CloudRow:
    fit = [row for row in usable if named in (row.slug, str(row.id))]
    if len(fit) == 1:
        return fit[0]
    known = ", ".join(sorted({row.slug for row in usable})) or "none yet"
    said = "several clouds are called" if fit else "no cloud in which you make accounts is called"
    remedy = "say which by its id" if fit else f"there are: {known}"
    raise Invalid(f"{said} '{named[:63]}'; {remedy}", field="cloud_accounts", value=named)


@use_case
def accounts_to_make(
    tx: Session, *, lease: Lease, organisation: UUID, people: Sequence[str], at: datetime
) -> list[ToDo]:
    """The accounts of a customer that are not there yet, with who uses them and what they are held to."""
    require_lease(tx, lease)
    tree = load_tree(tx, at)
    found = []
    for row in store.accounts_of(tx, organisation):
        if row.state == AccountState.WANTED:
            cloud = store.clouds_by_id(tx, {row.cloud_id})[row.cloud_id]
            limits = limits_there(tx, tree, organisation, cloud) if row.external_id is None else {}
            found.append(_to_do(tx, row, cloud, people, limits))
    return found


@use_case
def accounts_to_take_back(tx: Session, *, lease: Lease, organisation: UUID, people: Sequence[str]) -> list[ToDo]:
    """All accounts that were ever asked for of a customer that is undone; linked ones where they have users of it."""
    require_lease(tx, lease)
    rows = [row for row in store.all_accounts_of(tx, organisation) if _link_of(row) is None or row.with_people]
    clouds = store.clouds_by_id(tx, {row.cloud_id for row in rows})
    return [_to_do(tx, row, clouds[row.cloud_id], people, {}) for row in rows]


def _to_do(tx: Session, row: CloudAccountRow, cloud: CloudRow, people: Sequence[str], limits: AccountLimits) -> ToDo:
    users = tuple(people) if row.with_people else ()
    return ToDo(row.id, cloud.name, row.name, row.tag, _link_of(row), users, limits, reaching(tx, cloud))


def _link_of(row: CloudAccountRow) -> str | None:
    """The cloud's own id of an account that was there before."""
    return None if row.state in (AccountState.MADE, AccountState.REMOVED) else row.external_id


@use_case
def note_made(
    tx: Session,
    *,
    lease: Lease,
    account: UUID,
    external_id: str,
    linked: bool,
    kept: Sequence[str],
    at: datetime,
) -> None:
    """An account is there, held to its limits of some measures.

    Raises:
        Conflict: another worker has the task now, or that account is somebody else's.
    """
    require_lease(tx, lease)
    row = store.find_account(tx, account)
    if row is None or row.state != AccountState.WANTED:
        return
    row.external_id, row.state = external_id, AccountState.LINKED if linked else AccountState.MADE
    row.changed_at, row.kept = at, None if linked else [str(each) for each in kept]
    tx.flush()


@use_case
def note_taken_back(tx: Session, *, lease: Lease, account: UUID, at: datetime) -> None:
    """An account is not there, or not any more."""
    require_lease(tx, lease)
    row = store.find_account(tx, account)
    if row is not None and row.state != AccountState.REMOVED:
        row.state, row.changed_at = AccountState.REMOVED, at
