"""Who answers for a project and who works in it: told what concerns it, and seen by its organisation alone."""

from collections.abc import Collection
from uuid import UUID

from gradumen.core.errors import Invalid
from gradumen.core.permissions import Right
from gradumen.store.access.members import members_of
from gradumen.store.access.project_people import people_of, set_people
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.messages import Reader
from gradumen.usecases.scope import Caller, get_organisation, get_project, load_scope
from gradumen.wire.access.project_people import ProjectPeopleBody, ProjectPeopleSet

MOST = 200


@use_case
def read_project_people(tx: Session, caller: Caller, *, organisation: str, project: str) -> ProjectPeopleBody:
    """The people of a project; for members of its organisation, whose people are its own.

    Raises:
        Forbidden: the caller is none.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    row = get_project(tx, owner, project)
    scope.require_member(Right.READ, owner)
    return _view(tx, row.id)


@use_case
def set_project_people(
    tx: Session, caller: Caller, *, organisation: str, project: str, given: ProjectPeopleSet
) -> ProjectPeopleBody:
    """Say who answers for a project and who works in it. Saying it again changes nothing.

    Raises:
        Forbidden: the caller does not manage organisations as its member.
        Invalid: somebody is no member of the organisation, or they are too many.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    row = get_project(tx, owner, project)
    scope.require_member(Right.MANAGE_ORGANISATIONS, owner)
    lock_organisation(tx, owner.id)
    if len(given.members) > MOST:
        raise Invalid(f"a project has at most {MOST} people; got {len(given.members)}", field="members")
    known = {user.email: user.id for user, member in members_of(tx, owner.id) if member.disabled_at is None}
    people: dict[UUID, bool] = {}
    for field, written in (("members", given.members), ("owner", [given.owner] if given.owner else [])):
        for each in written:
            email = each.strip().lower()
            if email not in known:
                raise Invalid(f"'{each[:80]}' is no member of {owner.name}; invite them first", field=field, value=each)
            people[known[email]] = field == "owner"
    before = _view(tx, row.id)
    set_people(tx, row.id, people)
    after = _view(tx, row.id)
    if before != after:
        was, now = before.model_dump(), after.model_dump()
        record(tx, caller, "project people set", owner.id, f"{owner.slug}/{row.slug}", before=was, after=now)
    return after


def readers_of(tx: Session, projects: Collection[UUID]) -> list[Reader]:
    """The people of projects, as those who are told what concerns them."""
    found = {user.id: user for _, user in people_of(tx, projects)}
    return [Reader(user.email, user.name, user.id) for user in found.values()]


def _view(tx: Session, project: UUID) -> ProjectPeopleBody:
    found = people_of(tx, [project])
    owners = [user.email for row, user in found if row.is_owner]
    return ProjectPeopleBody(
        owner=owners[0] if owners else None, members=[user.email for row, user in found if not row.is_owner]
    )
