"""Programs that are planned when somebody is invited: who joins collects each one's token, once.

So no token is made, mailed or kept before somebody is there who answers for it.
"""

from collections.abc import Sequence
from uuid import UUID, uuid4

from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.names import name_of
from gradumen.core.permissions import RIGHTS, Role
from gradumen.store.access.programs import programs_to_collect
from gradumen.store.access.tables import InvitationRow, ProgramRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.access.tokens import check_days, make_token
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, require_password
from gradumen.wire.access.programs import ProgramBody, ProgramPlan
from gradumen.wire.access.tokens import TokenBody

MOST = 20


def plan_programs(tx: Session, invitation: InvitationRow, programs: Sequence[ProgramPlan]) -> None:
    """Plan programs with an invitation.

    Raises:
        Invalid: too many, one lasts too long, has no name, or may more than who is invited.
    """
    if len(programs) > MOST:
        raise Invalid(f"an invitation has at most {MOST} programs; got {len(programs)}", field="programs")
    for each in programs:
        if not RIGHTS[each.role] <= RIGHTS[Role(invitation.role)]:
            raise Invalid(
                f"the program '{each.name}' may no more than {invitation.email}, who is invited as {invitation.role}",
                field="programs",
                value=each.role,
            )
        check_days(each.days)
        name = name_of(each.name, field="programs")
        tx.add(ProgramRow(id=uuid4(), invitation_id=invitation.id, name=name, role=each.role, days=each.days))


@use_case
def list_programs(tx: Session, caller: Caller) -> list[ProgramBody]:
    """The programs whose tokens the caller has not collected yet, by name."""
    return [_body(row, organisation) for row, organisation in programs_to_collect(tx, caller.user_id)]


def _body(row: ProgramRow, organisation: OrganisationRow) -> ProgramBody:
    return ProgramBody(id=row.id, organisation=organisation.slug, name=row.name, role=Role(row.role), days=row.days)


@use_case
def collect_token(tx: Session, caller: Caller, *, program: UUID) -> TokenBody:
    """Make the token of a planned program; its days begin now. Its secret is in the answer and nowhere else.

    Raises:
        NotFound: no such program is planned for the caller.
        Conflict: its token was collected, or it was given up: another one is made as a token.
        Forbidden, QuotaExceeded: as for any token.
    """
    require_password(caller)
    row, organisation = _planned(tx, caller, program)
    if row.token_id is not None or row.dropped_at is not None:
        done = "its token was collected already" if row.token_id else "it was given up"
        raise Conflict(f"'{row.name}' waits no more: {done}; make another token")
    made = make_token(tx, caller, organisation=organisation.slug, name=row.name, role=Role(row.role), days=row.days)
    row.token_id = made.id
    return made


@use_case
def drop_program(tx: Session, caller: Caller, *, program: UUID) -> None:
    """Give a planned program up; asking again changes nothing.

    Raises:
        NotFound: no such program is planned for the caller.
        Conflict: its token was collected: that is withdrawn as a token.
    """
    require_password(caller)
    row, organisation = _planned(tx, caller, program)
    if row.token_id is not None:
        raise Conflict(f"the token of '{row.name}' was collected already; withdraw that")
    if row.dropped_at is None:
        row.dropped_at = caller.at
        record(tx, caller, "program given up", organisation.id, row.name)


def _planned(tx: Session, caller: Caller, program: UUID) -> tuple[ProgramRow, OrganisationRow]:
    found = programs_to_collect(tx, caller.user_id, only=program)
    if not found:
        raise NotFound("program", program)
    return found[0]
