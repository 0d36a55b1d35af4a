"""Cost centres of organisations and projects, each from a day on: what is shown of a day goes by that day's."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import date
from uuid import UUID

from sqlalchemy import BigInteger, ForeignKey, Index, String, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base

BEGINNING = date(2000, 1, 1)
"""From when on what was there before the first change held."""


class CostCentreRow(Base):
    """The cost centre of an organisation, or of a project of it, from a day on; who was never changed has no row."""

    __tablename__ = "cost_centres"
    __table_args__ = (Index("ix_cost_centres_organisation_id", "organisation_id", "project_id", "starts_on"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    starts_on: Mapped[date]
    cost_centre: Mapped[str | None] = mapped_column(String(60))


def note_cost_centre(
    tx: Session, organisation: UUID, project: UUID | None, *, before: str | None, after: str | None, day: date
) -> None:
    """From a day on it is another; what it was is noted with the first change. Rivals wait for its own row."""
    row = CostCentreRow
    own = row.project_id.is_(None) if project is None else row.project_id == project
    query = select(row).where(row.organisation_id == organisation, own).order_by(row.starts_on.desc())
    newest = tx.scalars(query.limit(1)).first()
    if newest is not None and newest.starts_on == day:
        newest.cost_centre = after
        return
    new = {"organisation_id": organisation, "project_id": project}
    if newest is None:
        tx.add(CostCentreRow(**new, starts_on=BEGINNING, cost_centre=before))
    tx.add(CostCentreRow(**new, starts_on=day, cost_centre=after))


@dataclass(frozen=True, slots=True)
class CostCentre:
    """A cost centre from a day on."""

    starts_on: date
    cost_centre: str | None


def cost_centres_of(tx: Session, organisations: Collection[UUID]) -> dict[tuple[UUID, UUID | None], list[CostCentre]]:
    """Those of organisations and their projects that were ever changed, the earliest first."""
    row = CostCentreRow
    found: dict[tuple[UUID, UUID | None], list[CostCentre]] = defaultdict(list)
    query = select(row.organisation_id, row.project_id, row.starts_on, row.cost_centre)
    for owner, project, starts_on, centre in tx.execute(
        query.where(row.organisation_id.in_(organisations)).order_by(row.starts_on)
    ):
        found[owner, project].append(CostCentre(starts_on, centre))
    return dict(found)
