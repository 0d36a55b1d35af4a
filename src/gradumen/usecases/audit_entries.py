"""The record: who did what, by which token, for whom, from where; written with what was done."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.errors import Forbidden
from gradumen.core.permissions import Right
from gradumen.store.access.members import emails_of
from gradumen.store.access.sessions import token_names
from gradumen.store.audit_entries import AuditEntryRow, page_of_entries
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow, sellers_ever
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.pages import moment_place
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.audit_entries import AuditEntryBody

Values = Mapping[str, Any] | None


def record(
    tx: Session,
    caller: Caller,
    action: str,
    organisation: UUID,
    subject: str,
    *,
    concerns: UUID | None = None,
    before: Values = None,
    after: Values = None,
) -> None:
    """Write down what a caller does, in the transaction that does it; what the service does by itself names nobody.

    Args:
        organisation: in whose record it stands: the one that acts.
        concerns: another organisation that it is done for; its administrators read it too.
        before: what it was, as far as it changes; ``after`` what it is now.
    """
    record_sign_in(
        tx,
        action,
        organisation,
        subject,
        at=caller.at,
        user=caller.somebody,
        token=caller.token_id,
        address=caller.address,
        concerns=None if concerns == organisation else concerns,
        before=before,
        after=after,
    )


def record_sign_in(
    tx: Session,
    action: str,
    organisation: UUID | None,
    subject: str,
    *,
    at: datetime,
    user: UUID | None,
    address: str,
    token: UUID | None = None,
    concerns: UUID | None = None,
    before: Values = None,
    after: Values = None,
) -> None:
    """As `record`, where nobody is signed in yet."""
    tx.add(
        AuditEntryRow(
            id=uuid4(),
            at=at,
            organisation_id=organisation,
            for_id=concerns,
            user_id=user,
            token_id=token,
            address=address[:60],
            action=action,
            subject=subject[:300],
            before=_plain(before),
            after=_plain(after),
        )
    )


def _plain(values: Values) -> dict[str, Any] | None:
    """Values as JSON takes them: everything else as text."""
    if values is None:
        return None
    plain = (str, int, bool, list, dict, type(None))
    return {name: value if isinstance(value, plain) else str(value) for name, value in values.items()}


@use_case
def list_audit_entries(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    action: str | None,
    search: str,
    after: str | None,
    limit: int,
) -> list[AuditEntryBody]:
    """What was done in an organisation, and for it, newest first; for its administrators.

    Args:
        after: ``at|id`` of the last one seen.
        search: found in the subject.

    Raises:
        Forbidden: the caller is no administrator of it.
        Invalid: ``after`` is no such place in the list.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    if not scope.is_member(owner.id, Right.MANAGE_MEMBERS):
        raise Forbidden(right=Right.MANAGE_MEMBERS, organisation=owner.slug, name=owner.name)
    rows = page_of_entries(
        tx,
        owner.id,
        nobodys=owner.id not in scope.tree.parents,
        action=action,
        search=search,
        after=moment_place(after),
        limit=limit,
    )
    return _views(tx, owner, rows, nameable(tx, scope, owner.id))


def acting_for(scope: Scope, organisation: UUID, right: Right) -> UUID:
    """The organisation whose member the caller is when it does something for one, there or from above."""
    return next(each for each in scope.tree.chain(organisation) if scope.is_member(each, right))


def nameable(tx: Session, scope: Scope, owner: UUID) -> set[UUID]:
    """The organisations that are named to an organisation: itself, its sellers one after the other, and all below."""
    return {*sellers_ever(tx, owner), *scope.tree.below([owner])}


def _views(tx: Session, owner: OrganisationRow, rows: list[AuditEntryRow], named: set[UUID]) -> list[AuditEntryBody]:
    names = emails_of(tx, {row.user_id for row in rows if row.user_id})
    tokens = token_names(tx, {row.token_id for row in rows if row.token_id})
    concerned = {each for row in rows for each in (row.organisation_id, row.for_id) if each}
    organisations = organisations_by_id(tx, concerned)
    found: list[AuditEntryBody] = []
    for row in rows:
        own = row.organisation_id in (owner.id, None)
        found.append(
            AuditEntryBody(
                id=row.id,
                at=row.at,
                organisation=organisations[row.organisation_id].slug if row.organisation_id in named else "",
                concerns=organisations[row.for_id].slug if row.for_id else None,
                user=names.get(row.user_id, "") if own and row.user_id else "",
                token=tokens.get(row.token_id) if own and row.token_id else None,
                address=row.address if own else "",
                action=row.action,
                subject=row.subject,
                before=row.before,
                after=row.after,
            )
        )
    return found
