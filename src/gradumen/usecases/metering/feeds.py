"""Feeds: the ways in for usage, each belonging to a seller."""

from collections.abc import Sequence
from uuid import UUID

from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.core.names import name_of, slug_of
from gradumen.core.permissions import Right
from gradumen.store.metering import feeds
from gradumen.store.metering.deliveries import deliveries_by_number
from gradumen.store.metering.tables import DeliveryRow, FeedRow, FeedSenderRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.readings import DeliveryBody, FeedBody


def get_feed(tx: Session, scope: Scope, path: str) -> tuple[FeedRow, OrganisationRow]:
    """The feed of a path ``organisation/feed``, for members of its organisation and those who may send to it.

    Raises:
        NotFound: not there or not in scope.
    """
    organisation, _, slug = path.partition("/")
    found = feeds.find_feed(tx, organisation, slug)
    if found is not None:
        feed, owner = found
        if scope.is_member(owner.id) or may_send(tx, scope, feed):
            return feed, owner
    raise NotFound("feed", path[:140])


def may_send(tx: Session, scope: Scope, feed: FeedRow) -> bool:
    """Whether the caller may send to a feed: by its role in the feed's organisation, or as one of its senders."""
    if scope.may(Right.SEND_READINGS, feed.organisation_id):
        return True
    return tx.get(FeedSenderRow, (feed.id, scope.caller.user_id)) is not None


def feed_to_send(tx: Session, scope: Scope, path: str) -> FeedRow:
    """A feed that the caller may send to.

    Raises:
        NotFound: no such feed in scope.
        Forbidden: the caller may see it, but not send to it.
    """
    feed, owner = get_feed(tx, scope, path)
    if not may_send(tx, scope, feed):
        raise Forbidden(right=Right.SEND_READINGS, organisation=owner.slug, name=owner.name)
    return feed


@use_case
def create_feed(tx: Session, caller: Caller, *, organisation: str, slug: str, name: str) -> FeedBody:
    """Make a feed of a seller.

    Raises:
        Invalid: a tenant sells nothing and has no feeds.
        Conflict: the slug is taken.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_FEEDS, owner)
    if owner.type == "tenant":
        raise Invalid(f"'{owner.slug}' is a tenant; feeds belong to sellers", field="organisation", value=owner.slug)
    row = FeedRow(organisation_id=owner.id, slug=slug_of(slug, field="slug"), name=name_of(name, field="name"))
    if not add_new(tx, row):
        raise Conflict(f"'{owner.slug}' has a feed '{slug}' already; choose another slug", field="slug")
    record(tx, caller, "feed made", owner.id, f"{owner.slug}/{row.slug}", after={"name": row.name})
    return FeedBody(path=f"{owner.slug}/{row.slug}", name=row.name, senders=[])


@use_case
def list_feeds(tx: Session, caller: Caller, *, organisation: str) -> list[FeedBody]:
    """The feeds of an organisation, by slug; for its own members."""
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ, owner)
    rows = feeds.feeds_of(tx, owner.id)
    senders = feeds.senders_of(tx, [row.id for row in rows])
    return [FeedBody(path=f"{owner.slug}/{row.slug}", name=row.name, senders=senders[row.id]) for row in rows]


@use_case
def allow_sender(tx: Session, caller: Caller, *, feed: str, email: str) -> FeedBody:
    """Give a member of the feed's organisation the right to send to it; asking again changes nothing.

    Raises:
        NotFound: no such member.
    """
    scope = load_scope(tx, caller)
    row, owner = get_feed(tx, scope, feed)
    scope.require(Right.MANAGE_FEEDS, owner)
    user = feeds.find_member(tx, owner.id, email)
    if user is None:
        raise NotFound("user", email[:100])
    if tx.get(FeedSenderRow, (row.id, user.id)) is None:
        record(tx, caller, "sender allowed", owner.id, f"{owner.slug}/{row.slug}", after={"sender": user.email})
    feeds.add_sender(tx, row.id, user.id)
    return FeedBody(path=f"{owner.slug}/{row.slug}", name=row.name, senders=feeds.senders_of(tx, [row.id])[row.id])


@use_case
def list_deliveries(tx: Session, caller: Caller, *, feed: str, before: UUID | None, limit: int) -> list[DeliveryBody]:
    """What a feed delivered, newest first, before a delivery; a sender sees its own.

    Raises:
        Invalid: ``before`` is none of these.
    """
    scope = load_scope(tx, caller)
    row, owner = get_feed(tx, scope, feed)
    number = None if before is None else feeds.delivery_number(tx, row.id, before)
    if before is not None and number is None:
        raise Invalid(f"after '{before}' is no delivery of this feed", field="after", value=before)
    sent_by = None if scope.is_member(owner.id) else caller.user_id
    return delivery_bodies(tx, feeds.deliveries_of(tx, row.id, sent_by=sent_by, before=number, limit=limit))


def delivery_bodies(tx: Session, rows: Sequence[DeliveryRow]) -> list[DeliveryBody]:
    """Deliveries as they are told."""
    others = {other for each in rows for other in (each.taken_back_by, each.takes_back) if other is not None}
    known = deliveries_by_number(tx, others) if others else {}
    return [
        DeliveryBody(
            id=each.public_id,
            received_at=each.received_at,
            accepted=each.accepted,
            known=each.known,
            refused=each.refused,
            first_refusal=each.first_refusal,
            file=each.file_name,
            taken_back_at=known[each.taken_back_by].received_at if each.taken_back_by else None,
            takes_back=known[each.takes_back].public_id if each.takes_back else None,
        )
        for each in rows
    ]
