"""Projects of organisations, and the levels of their trees: tables and queries."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import ForeignKey, String, delete, insert, select, tuple_
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.core.organisations.projects import ProjectTree
from gradumen.store.columns import Base
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow


class ProjectLevelRow(Base):
    """What an organisation calls a level of its tree of projects, counted from 1."""

    __tablename__ = "project_levels"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    level: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    name: Mapped[str] = mapped_column(String(60))


@dataclass(frozen=True, slots=True)
class ProjectAt:
    """A project behind a path: its id and number, and whose it is."""

    id: UUID
    number: int
    organisation_id: UUID


def projects_by_path(tx: Session, paths: Collection[str]) -> dict[str, ProjectAt]:
    """Projects that there are, by their paths organisation/project. Nothing has a path with other letters."""
    pairs = {tuple(path.split("/")) for path in paths if path.count("/") == 1 and path.isascii()}
    if not pairs:
        return {}
    project, owner = ProjectRow, OrganisationRow
    rows = tx.execute(
        select(owner.slug, project.slug, project.id, project.number, owner.id)
        .join(owner, owner.id == project.organisation_id)
        .where(tuple_(owner.slug, project.slug).in_(pairs))
    )
    return {f"{slug}/{name}": ProjectAt(id, number, whose) for slug, name, id, number, whose in rows}


def projects_of(tx: Session, organisations: Collection[UUID]) -> list[ProjectRow]:
    """The projects of organisations, by slug."""
    query = select(ProjectRow).where(ProjectRow.organisation_id.in_(organisations)).order_by(ProjectRow.slug)
    return list(tx.scalars(query, execution_options={"populate_existing": True}))


def projects_by_name(tx: Session, organisations: Collection[UUID]) -> list[ProjectRow]:
    """The projects of organisations, by the slugs of organisation and project."""
    rows = tx.scalars(
        select(ProjectRow)
        .join(OrganisationRow, OrganisationRow.id == ProjectRow.organisation_id)
        .where(ProjectRow.organisation_id.in_(organisations))
        .order_by(OrganisationRow.slug, ProjectRow.slug)
    )
    return list(rows)


def projects_by_id(tx: Session, projects: Collection[UUID]) -> dict[UUID, ProjectRow]:
    """Projects by their ids."""
    return {row.id: row for row in tx.scalars(select(ProjectRow).where(ProjectRow.id.in_(projects)))}


def projects_above(tx: Session, projects: Iterable[ProjectRow]) -> dict[UUID, list[UUID]]:
    """Each of some projects, with those that it is under, from itself up."""
    parents = {row.id: row.parent_id for row in projects}
    wanted = set(parents)
    while unknown := {above for above in parents.values() if above is not None} - set(parents):
        parents |= {row.id: row.parent_id for row in projects_by_id(tx, unknown).values()}
    tree = ProjectTree(parents)
    return {project: tree.path(project)[::-1] for project in wanted}


def projects_by_number(tx: Session, numbers: Collection[int]) -> dict[int, ProjectRow]:
    """Projects by their numbers in usage."""
    return {row.number: row for row in tx.scalars(select(ProjectRow).where(ProjectRow.number.in_(numbers)))}


def levels_of(tx: Session, organisations: Collection[UUID]) -> Mapping[UUID, list[str]]:
    """What organisations call the levels of their trees, from the top; who named none is left out."""
    row = ProjectLevelRow
    found: dict[UUID, list[str]] = {}
    query = select(row.organisation_id, row.name).where(row.organisation_id.in_(organisations)).order_by(row.level)
    for organisation, name in tx.execute(query):
        found.setdefault(organisation, []).append(name)
    return found


def set_levels(tx: Session, organisation: UUID, names: Sequence[str]) -> None:
    """What an organisation calls the levels of its tree from now on."""
    tx.execute(delete(ProjectLevelRow).where(ProjectLevelRow.organisation_id == organisation))
    if names:
        rows = [{"organisation_id": organisation, "level": level, "name": name} for level, name in enumerate(names, 1)]
        tx.execute(insert(ProjectLevelRow), rows)
