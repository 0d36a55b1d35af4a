"""Who answers for a project and who works in it: members of its organisation."""

from collections.abc import Collection, Mapping
from uuid import UUID

from sqlalchemy import ForeignKey, delete, insert, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.access.tables import MemberRow, UserRow
from gradumen.store.columns import Base
from gradumen.store.organisations.tables import ProjectRow


class ProjectPersonRow(Base):
    """A user who works in a project, or answers for it."""

    __tablename__ = "project_people"

    project_id: Mapped[UUID] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"), primary_key=True)
    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"), primary_key=True)
    is_owner: Mapped[bool]


def people_of(tx: Session, projects: Collection[UUID]) -> list[tuple[ProjectPersonRow, UserRow]]:
    """The people of projects who are members of the organisation still, not at rest, by e-mail address."""
    person = ProjectPersonRow
    query = (
        select(person, UserRow)
        .join(UserRow, UserRow.id == person.user_id)
        .join(ProjectRow, ProjectRow.id == person.project_id)
        .join(
            MemberRow,
            (MemberRow.user_id == person.user_id)
            & (MemberRow.organisation_id == ProjectRow.organisation_id)
            & MemberRow.disabled_at.is_(None),
        )
        .where(person.project_id.in_(projects))
        .order_by(UserRow.email)
    )
    return [(row, user) for row, user in tx.execute(query)]


def set_people(tx: Session, project: UUID, people: Mapping[UUID, bool]) -> None:
    """The people of a project from now on; each with whether it answers for it."""
    tx.execute(delete(ProjectPersonRow).where(ProjectPersonRow.project_id == project))
    if people:
        rows = [{"project_id": project, "user_id": user, "is_owner": owner} for user, owner in people.items()]
        tx.execute(insert(ProjectPersonRow), rows)
