"""Clouds whose usage comes by a feed: what is used in an account is of who has it, by a rule that is made for it."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date, datetime
from uuid import UUID

from gradumen.core.errors import Invalid, NotFound
from gradumen.core.metering.ownership import MOST_OWNERS, MOST_RULES
from gradumen.core.organisations.clouds import AccountState
from gradumen.core.permissions import Right
from gradumen.core.tasks import Lease
from gradumen.store.metering import cloud_feeds as store
from gradumen.store.metering.tables import FeedRow
from gradumen.store.organisations.clouds import (
    CloudAccountRow,
    CloudRow,
    accounts_in,
    accounts_of,
    clouds_by_id,
    clouds_of,
    find_cloud,
)
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.projects import projects_by_id, projects_of
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.metering.feeds import get_feed
from gradumen.usecases.metering.ownership_rules import lock_rules, put_rules, written_rules
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope, scope_of_nobody
from gradumen.usecases.tasks import require_lease
from gradumen.wire.metering.cloud_feeds import CloudFeedBody
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm


@use_case
def list_cloud_feeds(tx: Session, caller: Caller, *, organisation: str) -> list[CloudFeedBody]:
    """The clouds of an organisation, each with the feed by which its usage comes; for its own members.

    Raises:
        Forbidden: the caller is none.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, owner)
    return _views(tx, owner, clouds_of(tx, [owner.id]))


def _views(tx: Session, owner: OrganisationRow, clouds: Sequence[CloudRow]) -> list[CloudFeedBody]:
    feeds = store.feeds_of_clouds(tx, [each.id for each in clouds])
    rules = written_rules(tx, owner)
    accounts: dict[UUID, list[CloudAccountRow]] = defaultdict(list)
    for account in accounts_in(tx, [each.id for each in clouds]):
        accounts[account.cloud_id].append(account)
    found = []
    for cloud in clouds:
        feed, there = feeds.get(cloud.id), accounts[cloud.id]
        named = _named(rules, feed) if feed else set()
        owned = sum(each.external_id in named for each in there)
        path = f"{owner.slug}/{feed.slug}" if feed else None
        found.append(
            CloudFeedBody(
                id=cloud.id, cloud=cloud.slug, cloud_name=cloud.name, feed=path, accounts=len(there), owned=owned
            )
        )
    return found


def _named(rules: Sequence[OwnershipRuleForm], feed: FeedRow) -> set[str]:
    """The accounts of a feed that rules name the owners of."""
    return {account for rule in rules if _is_table(rule, feed) for account in rule.owners or {}}


def _is_table(rule: OwnershipRuleForm, feed: FeedRow) -> bool:
    return rule.by == "account" and rule.conditions == {"feed": feed.slug}


@use_case
def set_cloud_feed(tx: Session, caller: Caller, *, cloud: UUID, feed: str) -> CloudFeedBody:
    """Let what is used in a cloud come by a feed of its owner. Safe to repeat.

    Each account that is in it, or comes, gets a rule of ownership, before those that name no account: what is used
    there is of the project that it was made for.

    Raises:
        NotFound: no such cloud, or no such feed, in scope.
        Forbidden: the caller does not manage feeds there.
        Invalid: the feed is another organisation's.
    """
    scope = load_scope(tx, caller)
    row, owner = _managed(tx, scope, cloud)
    found, whose = get_feed(tx, scope, feed)
    if whose.id != owner.id:
        raise Invalid(f"'{feed}' is no feed of {owner.name}, whose cloud it is", field="feed", value=feed)
    before = store.feeds_of_clouds(tx, [cloud]).get(cloud)
    if before is None or before.id != found.id:
        store.set_feed(tx, cloud, found.id, caller.at)
        was = None if before is None else {"feed": f"{owner.slug}/{before.slug}"}
        record(tx, caller, "cloud metered", owner.id, row.slug, before=was, after={"feed": feed})
    _give(tx, scope, owner, row, found, accounts_in(tx, [cloud]))
    return _views(tx, owner, [row])[0]


@use_case
def drop_cloud_feed(tx: Session, caller: Caller, *, cloud: UUID) -> None:
    """Let it come by none: accounts that come get no rule any more, and the others keep theirs. Safe to repeat."""
    scope = load_scope(tx, caller)
    row, owner = _managed(tx, scope, cloud)
    if store.drop_feed(tx, cloud):
        record(tx, caller, "cloud metered no more", owner.id, row.slug)


def _managed(tx: Session, scope: Scope, cloud: UUID) -> tuple[CloudRow, OrganisationRow]:
    row = find_cloud(tx, cloud, lock=True)
    if row is None or not scope.is_member(row.organisation_id) or row.retired_at:
        raise NotFound("cloud", cloud)
    owner = tx.get_one(OrganisationRow, row.organisation_id)
    scope.require_member(Right.MANAGE_FEEDS, owner)
    return row, owner


def _give(
    tx: Session,
    scope: Scope,
    owner: OrganisationRow,
    cloud: CloudRow,
    feed: FeedRow,
    accounts: Sequence[CloudAccountRow],
) -> list[str]:
    """Make the rules that are not there yet; gives whose the accounts are by these, in words.

    Accounts of one day stand in one rule, which goes by them.

    Raises:
        Invalid: there are as many rules as there may be, or one of those that are there cannot be any more.
    """
    lock_rules(tx, owner)
    rules = written_rules(tx, owner)
    projects = _projects(tx, accounts)
    holders = organisations_by_id(tx, {each.organisation_id for each in accounts})
    named = _named(rules, feed)
    told: list[str] = []
    new: dict[date, dict[str, str]] = defaultdict(dict)
    for each in accounts:
        if each.id not in projects:
            told.append(f"{each.name}: nobody's, as it is of no project")
            continue
        path = f"{holders[each.organisation_id].slug}/{projects[each.id]}"
        since = each.billed_from or scope.now.date()
        told.append(f"{each.name}: {path}'s from {since} on")
        if each.external_id not in named:
            new[since][each.external_id or ""] = path
    for since, owners in new.items():
        rules = _with(rules, cloud, feed, since, owners)
    if new:
        put_rules(tx, scope, owner, rules)
    return told


def _with(
    rules: Sequence[OwnershipRuleForm], cloud: CloudRow, feed: FeedRow, since: date, owners: Mapping[str, str]
) -> list[OwnershipRuleForm]:
    """Rules with owners of accounts from a day on: in the one of that day, else in a new one.

    Rules that name accounts were written for them; what takes all the rest comes after.
    """
    for place, each in enumerate(rules):
        table = each.owners if _is_table(each, feed) and (each.starts_on, each.ends_on) == (since, None) else None
        if table is not None and len(table) + len(owners) <= MOST_OWNERS:
            return [*rules[:place], each.model_copy(update={"owners": {**table, **owners}}), *rules[place + 1 :]]
    if len(rules) >= MOST_RULES:
        raise Invalid(f"there are {len(rules)} rules of ownership, as many as there may be; put some into one table")
    names, name, nth = {each.name for each in rules}, f"Accounts in {cloud.name} from {since}", 2
    while name in names:
        name, nth = f"Accounts in {cloud.name} from {since} ({nth})", nth + 1
    made = OwnershipRuleForm(
        name=name, by="account", owners=dict(owners), starts_on=since, conditions={"feed": feed.slug}
    )
    own = [place for place, each in enumerate(rules) if each.by == "account" or "account" in each.conditions]
    place = own[-1] + 1 if own else 0
    return [*rules[:place], made, *rules[place:]]


def _projects(tx: Session, accounts: Sequence[CloudAccountRow]) -> dict[UUID, str]:
    """By account the project whose what is used there is: as it was made, else the only one that its holder has."""
    named = projects_by_id(tx, {each.project_id for each in accounts if each.project_id})
    of: dict[UUID, list[str]] = {}
    for project in projects_of(tx, {each.organisation_id for each in accounts if not each.project_id}):
        of.setdefault(project.organisation_id, []).append(project.slug)
    found = {each.id: named[each.project_id].slug for each in accounts if each.project_id in named}
    only = {each.id: of[each.organisation_id] for each in accounts if each.organisation_id in of}
    return {account: slugs[0] for account, slugs in only.items() if len(slugs) == 1} | found


@use_case
def own_accounts(tx: Session, *, lease: Lease, organisation: UUID, at: datetime) -> list[str]:
    """Give what is used in an organisation's accounts to it, where their clouds have feeds; in words whose that is.

    Raises:
        Conflict: another worker has the task now.
        Invalid: the rules that are there cannot be kept any more.
    """
    require_lease(tx, lease)
    scope = scope_of_nobody(tx, at)
    accounts = [each for each in accounts_of(tx, organisation) if each.state != AccountState.WANTED]
    clouds = clouds_by_id(tx, {each.cloud_id for each in accounts})
    told = []
    for cloud, feed in store.feeds_of_clouds(tx, clouds).items():
        owner = tx.get_one(OrganisationRow, feed.organisation_id)
        told += _give(tx, scope, owner, clouds[cloud], feed, [each for each in accounts if each.cloud_id == cloud])
    return told


@use_case
def disown_accounts(tx: Session, *, lease: Lease, organisation: UUID, at: datetime) -> int:
    """Take an organisation that is undone out of rules of ownership; gives how many of them said something of it."""
    require_lease(tx, lease)
    slug = tx.get_one(OrganisationRow, organisation).slug
    scope = scope_of_nobody(tx, at)
    count = 0
    for owner_id in scope.tree.chain(organisation):
        owner = tx.get_one(OrganisationRow, owner_id)
        lock_rules(tx, owner)
        rules = written_rules(tx, owner)
        left = [_without(each, f"{slug}/") for each in rules]
        changed = sum(one is not other for one, other in zip(rules, left, strict=True))
        if changed:
            put_rules(tx, scope, owner, [each for each in left if each is not None])
            count += changed
    return count


def _without(rule: OwnershipRuleForm, prefix: str) -> OwnershipRuleForm | None:
    """A rule without what it says of an organisation; None where nothing is left of it."""
    if rule.owner is not None and rule.owner.startswith(prefix):
        return None
    if not rule.owners:
        return rule
    left = {value: owner for value, owner in rule.owners.items() if not owner.startswith(prefix)}
    if not left:
        return None
    return rule if left == rule.owners else rule.model_copy(update={"owners": left})


def unmeasured(
    tx: Session, owner: OrganisationRow, since: datetime, until: datetime
) -> list[tuple[CloudRow, FeedRow, CloudAccountRow]]:
    """The accounts that came into an organisation's clouds within some time, of which their feed has measured nothing.

    What is measured of a project counts for its account.
    """
    found: list[tuple[CloudRow, FeedRow, CloudAccountRow]] = []
    for cloud, feed in store.clouds_with_feeds(tx, owner.id):
        accounts = accounts_in(tx, [cloud.id], since, until)
        used = store.projects_used(tx, {each.project_id for each in accounts if each.project_id}, feed.id)
        found += [(cloud, feed, each) for each in accounts if each.project_id not in used]
    return found
