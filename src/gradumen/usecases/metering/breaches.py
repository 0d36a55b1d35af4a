"""Breaches of limits by metered use: seen by who holds the limit and who gave it, each of whom says what it does."""

from collections.abc import Collection, Sequence
from uuid import UUID

from gradumen.core.errors import NotFound
from gradumen.core.metering.breaches import breach_state
from gradumen.core.names import name_of
from gradumen.core.permissions import Right
from gradumen.store.access.members import names_of
from gradumen.store.metering import breaches as store
from gradumen.store.metering.breaches import BreachNoteRow, BreachRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.projects import projects_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.quotas.measures import load_measures
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.pages import moment_place
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.metering.breaches import BreachBody

LONGEST = 1000


@use_case
def list_breaches(
    tx: Session, caller: Caller, *, organisation: str, open_only: bool, after: str | None, limit: int
) -> list[BreachBody]:
    """Breaches of an organisation and its projects, and of what it gave those below, the latest first, after one.

    Its seller reads those of what it gave.

    Raises:
        Forbidden: the caller is a member neither of it nor of one that gave it a limit it exceeds: its use is its own.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    own = scope.is_member(owner.id)
    if not own and not scope.is_member(scope.tree.parents.get(owner.id, owner.id)):
        scope.require_member(Right.READ, owner)
    rows = store.page_of_breaches(
        tx,
        owner.id,
        own=own,
        givers=[owner.id] if own else scope.members_of(),
        open_only=open_only,
        after=moment_place(after),
        limit=limit,
    )
    return _views(tx, scope, rows, scope.members_of())


def breaches_to_do(tx: Session, scope: Scope, owner: UUID, most: int) -> list[BreachBody]:
    """Open breaches about which an organisation has said nothing yet."""
    return _views(tx, scope, store.breaches_to_do(tx, owner, most), [owner])


@use_case
def note_breach(tx: Session, caller: Caller, *, breach: UUID, note: str) -> BreachBody:
    """Say what one's side does about a breach: it is then on nobody's list there. Saying it again changes nothing.

    Raises:
        NotFound: there is none, or the caller is a member of neither side.
        Forbidden: the caller does not manage limits there.
    """
    scope = load_scope(tx, caller)
    row = store.find_breach(tx, breach)
    sides = [each for each in (row.giver_id, row.organisation_id) if each and scope.is_member(each)] if row else []
    if row is None or not sides:
        raise NotFound("breach", breach)
    side = next((each for each in sides if scope.is_member(each, Right.MANAGE_QUOTAS)), sides[0])
    scope.require_member(Right.MANAGE_QUOTAS, tx.get_one(OrganisationRow, side))
    said = name_of(" ".join(note.split()), field="note", most=LONGEST)
    new = BreachNoteRow(breach_id=row.id, organisation_id=side, note=said, noted_by=caller.user_id, noted_at=scope.now)
    held = store.find_note(tx, row.id, side)
    before = held.note if held is not None else None
    if held is None and not add_new(tx, new):
        held = store.find_note(tx, row.id, side)
    if held is not None and held.note != said:
        held.note, held.noted_by, held.noted_at = said, caller.user_id, scope.now
    tx.flush()
    if before != said:
        owner = tx.get_one(OrganisationRow, row.organisation_id)
        record(
            tx,
            caller,
            "breach noted",
            side,
            f"{owner.slug}: {row.measure}",
            before={"note": before},
            after={"note": said},
        )
    return _views(tx, scope, [row], [side])[0]


def _views(tx: Session, scope: Scope, rows: Sequence[BreachRow], sides: Collection[UUID]) -> list[BreachBody]:
    known = organisations_by_id(tx, {each for row in rows for each in (row.organisation_id, row.giver_id) if each})
    projects = projects_by_id(tx, {row.project_id for row in rows if row.project_id})
    notes = store.notes_of(tx, [(row.id, sides) for row in rows])
    people = names_of(tx, {note.noted_by for note in notes.values()})
    found, measures = [], load_measures(tx)
    for row in rows:
        measured, note = measures[row.measure], notes.get(row.id)
        owner, project = known[row.organisation_id], projects[row.project_id] if row.project_id else None
        found.append(
            BreachBody(
                id=row.id,
                organisation=owner.slug,
                organisation_name=owner.name,
                project=project.slug if project else None,
                project_name=project.name if project else None,
                giver=known[row.giver_id].slug if row.giver_id else None,
                measure=row.measure,
                unit=measured.unit,
                kind=measured.kind,
                crossed=row.crossed,
                state=breach_state(row.grace_until, row.closed_at, scope.now),
                limit=row.limit_value,
                used=row.used,
                most=row.most,
                opened_at=row.opened_at,
                seen_at=row.seen_at,
                grace_until=row.grace_until,
                closed_at=row.closed_at,
                note=note.note if note else None,
                noted_by=people.get(note.noted_by) if note else None,
                noted_at=note.noted_at if note else None,
            )
        )
    return found
