"""Requests for other limits: an organisation asks its seller, who grants, grants in part or refuses.

Asking holds nothing; the limit is checked and taken when it is granted.
"""

from collections.abc import Collection, Sequence
from datetime import datetime
from decimal import Decimal
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.core.exact import text
from gradumen.core.messages import Kind
from gradumen.core.names import name_of
from gradumen.core.permissions import Right
from gradumen.core.quotas.measures import amount_words, measure_words
from gradumen.store.access.members import names_of
from gradumen.store.organisations.organisations import lock_organisation, organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.quotas import quota_requests as store
from gradumen.store.quotas.measures import load_measures
from gradumen.store.quotas.tables import QuotaRequestRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.limits import Limits
from gradumen.usecases.messages import member_as_reader, people_with, tell
from gradumen.usecases.pages import moment_place
from gradumen.usecases.quotas.quotas import grant_limit
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.quotas.quota_requests import QuotaRequestBody

LONGEST = 1000


@use_case
def list_quota_requests(
    tx: Session, caller: Caller, *, organisation: str, after: str | None, limit: int
) -> list[QuotaRequestBody]:
    """What an organisation asked for, and is asked by those that it sells to, the latest first, after one of them.

    Its direct seller reads what it is asked by it.

    Raises:
        Forbidden: the caller is a member neither of it nor of its seller: a request is between the two.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    seller = scope.tree.parents.get(owner.id)
    as_seller = seller if seller is not None and not scope.is_member(owner.id) and scope.is_member(seller) else None
    if as_seller is None:
        scope.require_member(Right.READ, owner)
    place = moment_place(after)
    return _views(tx, scope, store.page_of_requests(tx, owner.id, seller=as_seller, after=place, limit=limit))


def requests_to_answer(tx: Session, scope: Scope, sellers: Collection[UUID], most: int) -> list[QuotaRequestBody]:
    """What sellers are asked and have not answered."""
    return _views(tx, scope, store.open_requests(tx, sellers, most=most))


def requests_answered(tx: Session, scope: Scope, owner: UUID, since: datetime, most: int) -> list[QuotaRequestBody]:
    """What an organisation asked for and was answered lately."""
    return _views(tx, scope, store.answered_since(tx, owner, since, most=most))


@use_case
def ask_quota(
    tx: Session, caller: Caller, *, organisation: str, measure: str, limit: Decimal, reason: str
) -> QuotaRequestBody:
    """Ask for another limit; an open request of the same measure is replaced.

    Raises:
        Forbidden: the caller does not manage the quotas of it as its member.
        Invalid: no limit, or no reason.
        Conflict: it buys from nobody, or has as much or more already.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_QUOTAS, owner)
    seller = scope.tree.parents.get(owner.id)
    if seller is None:
        raise Conflict(f"{owner.name} buys from nobody: it sets its limits itself")
    wanted = load_measures(tx).read(measure)
    if limit <= 0:
        raise Invalid(f"limit {text(limit)} is not above 0; say how much is wanted in all", field="limit", value=limit)
    why = name_of(" ".join(reason.split()), field="reason", most=LONGEST)
    present = Limits(tx, scope.tree, [owner.id]).limit(owner.id, wanted)
    if present is None or present >= limit:
        had = "no limit" if present is None else amount_words(wanted, present)
        raise Conflict(f"{owner.name} has {had} of {measure_words(wanted)} already", field="limit")
    lock_organisation(tx, owner.id)
    row = store.open_request(tx, owner.id, measure)
    if row is None:
        row = QuotaRequestRow(id=uuid4(), organisation_id=owner.id, measure=measure, state=store.OPEN)
        tx.add(row)
    row.seller_id, row.asked, row.reason = seller, limit, why
    row.asked_by, row.asked_at = caller.user_id, scope.now
    tx.flush()
    values = {"limit": text(limit), "reason": why}
    record(tx, caller, "quota asked for", owner.id, f"{owner.slug}: {measure}", concerns=seller, after=values)
    for reader in people_with(tx, scope, seller, Right.MANAGE_QUOTAS):
        told = {**_facts(tx, row, owner), "reason": why}
        tell(tx, Kind.QUOTA_ASKED, reader, told, at=caller.at, organisation=seller, sender=seller, path=_path(owner))
    return _views(tx, scope, [row])[0]


@use_case
def answer_quota_request(
    tx: Session, caller: Caller, *, request: UUID, limit: Decimal | None, reason: str | None
) -> QuotaRequestBody:
    """Grant a request, in part where the limit is less than asked, or refuse it with a reason.

    Raises:
        NotFound: there is none, or the caller is a member of neither side.
        Forbidden: it is its seller's to answer.
        Conflict: it is answered or withdrawn already, in another way.
        QuotaExceeded: the seller has not so much left.
    """
    scope = load_scope(tx, caller)
    row = _seen(tx, scope, request)
    if not scope.is_member(row.seller_id, Right.MANAGE_QUOTAS):
        seller = tx.get_one(OrganisationRow, row.seller_id)
        raise Forbidden(right=Right.MANAGE_QUOTAS, organisation=seller.slug, name=seller.name)
    said = name_of(" ".join(reason.split()), field="reason", most=LONGEST) if reason else None
    if limit is None and said is None:
        raise Invalid("say why it is refused: the one who asked reads it", field="reason")
    state = "refused" if limit is None else "granted" if limit >= row.asked else "partly granted"
    if row.state != store.OPEN:
        if (row.state, row.answered) == (state, limit):
            return _views(tx, scope, [row])[0]
        raise Conflict(f"this request is {row.state} already; set the limit itself instead")
    owner = tx.get_one(OrganisationRow, row.organisation_id)
    if limit is not None:
        measure = load_measures(tx).read(row.measure)
        grant_limit(tx, scope, organisation=owner.slug, project=None, measure=measure, limit=limit)
    row.state, row.answered, row.answer = state, limit, said
    row.answered_by, row.answered_at = caller.user_id, scope.now
    tx.flush()
    values = {"limit": None if limit is None else text(limit), "reason": said}
    what = f"{owner.slug}: {row.measure}"
    record(tx, caller, f"quota request {state}", row.seller_id, what, concerns=owner.id, after=values)
    less = "" if limit is None or limit >= row.asked else f": {amount_words(load_measures(tx)[row.measure], limit)}"
    outcome = {"partly granted": "granted in part"}.get(state, state) + less
    for reader in member_as_reader(tx, owner.id, row.asked_by):
        tell(
            tx,
            Kind.QUOTA_ANSWERED,
            reader,
            {**_facts(tx, row, owner), "outcome": outcome, "reason": said or ""},
            at=caller.at,
            organisation=owner.id,
            sender=row.seller_id,
            path=_path(owner),
        )
    return _views(tx, scope, [row])[0]


@use_case
def withdraw_quota_request(tx: Session, caller: Caller, *, request: UUID) -> QuotaRequestBody:
    """Take a request back; asking again changes nothing.

    Raises:
        NotFound: there is none, or the caller is a member of neither side.
        Forbidden: it is the one's who asked to withdraw.
        Conflict: it is answered.
    """
    scope = load_scope(tx, caller)
    row = _seen(tx, scope, request)
    owner = tx.get_one(OrganisationRow, row.organisation_id)
    scope.require_member(Right.MANAGE_QUOTAS, owner)
    if row.state not in (store.OPEN, "withdrawn"):
        raise Conflict(f"this request is {row.state} already")
    if row.state == store.OPEN:
        row.state, row.answered_at = "withdrawn", scope.now
        tx.flush()
        record(tx, caller, "quota request withdrawn", owner.id, f"{owner.slug}: {row.measure}", concerns=row.seller_id)
    return _views(tx, scope, [row])[0]


def _facts(tx: Session, row: QuotaRequestRow, owner: OrganisationRow) -> dict[str, str]:
    """What a message says of a request."""
    measure = load_measures(tx)[row.measure]
    limit = amount_words(measure, row.asked)
    return {"customer": owner.name, "measure": measure_words(measure), "limit": limit}


def _path(owner: OrganisationRow) -> str:
    return f"/organisations/{owner.slug}/quotas"


def _seen(tx: Session, scope: Scope, request: UUID) -> QuotaRequestRow:
    row = store.lock_request(tx, request)
    if row is None or not (scope.is_member(row.organisation_id) or scope.is_member(row.seller_id)):
        raise NotFound("quota request", request)
    return row


def _views(tx: Session, scope: Scope, rows: Sequence[QuotaRequestRow]) -> list[QuotaRequestBody]:
    known = organisations_by_id(tx, {each for row in rows for each in (row.organisation_id, row.seller_id)})
    limits = Limits(tx, scope.tree, {row.organisation_id for row in rows})
    # Who asked is named to those of its own organisation; its seller reads which organisation asked.
    people = names_of(tx, {row.asked_by for row in rows if scope.is_member(row.organisation_id)})
    return [
        QuotaRequestBody(
            id=row.id,
            organisation=known[row.organisation_id].slug,
            organisation_name=known[row.organisation_id].name,
            seller=known[row.seller_id].slug,
            seller_name=known[row.seller_id].name,
            measure=row.measure,
            unit=limits.measures[row.measure].unit,
            asked=row.asked,
            present=limits.limit(row.organisation_id, limits.measures[row.measure]),
            reason=row.reason,
            state=row.state,
            answered=row.answered,
            answer=row.answer,
            asked_by=people.get(row.asked_by, known[row.organisation_id].name),
            asked_at=row.asked_at,
            answered_at=row.answered_at,
        )
        for row in rows
    ]
