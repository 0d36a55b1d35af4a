"""The rows of rules of ownership: those that hold, and those that others took the place of."""

from collections.abc import Callable, Collection
from datetime import date
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, SmallInteger, String, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base


class OwnershipRuleListRow(Base):
    """The rules of a seller together: each change of them counts a version, and rivals queue here."""

    __tablename__ = "ownership_rule_lists"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    version: Mapped[int]


class OwnershipRuleRow(Base):
    """A rule of a seller, in the order of positions; its days are those of UTC on which readings start.

    ``shares`` are projects' ids, each with the number that its share is in proportion to; ``project_id`` is the first.
    Where a value says whose it is, ``look_up`` has what that is a value of (``by``) and, unless it is the owner itself,
    projects' ids by value (``owners``); then there are neither shares nor a project. ``by_usage`` divides each day by
    what is used on it of ``meter`` (by number): by ``feeds`` and ``among`` projects, where not by all; what it
    ``divides`` are meters by name. ``remainder`` has what is left, of shares as of usage.
    """

    __tablename__ = "ownership_rules"

    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    position: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    look_up: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    shares: Mapped[list[list[str]] | None] = mapped_column(JSON(none_as_null=True))
    by_usage: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    remainder: Mapped[UUID | None] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"))
    starts_on: Mapped[date]
    ends_on: Mapped[date | None]
    conditions: Mapped[dict[str, Any]] = mapped_column(JSON)


class ReplacedRulesRow(Base):
    """All rules of a seller as they were when others took their place: documents go by those of their day.

    Those of all sellers are numbered together.
    """

    __tablename__ = "replaced_ownership_rules"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    rules: Mapped[list[dict[str, Any]]] = mapped_column(JSON)


def last_replaced(tx: Session) -> int:
    """The number of the rules that were replaced last; 0 where none were."""
    return tx.scalar(select(func.max(ReplacedRulesRow.id))) or 0


def replaced_after(tx: Session, sellers: Collection[UUID], number: int) -> dict[UUID, list[OwnershipRuleRow]]:
    """The rules of sellers that were the first to be replaced after those of a number."""
    row = ReplacedRulesRow
    first = select(func.min(row.id)).where(row.organisation_id.in_(sellers), row.id > number)
    then = tx.scalars(select(row).where(row.id.in_(first.group_by(row.organisation_id).scalar_subquery())))
    return {
        each.organisation_id: [_as_row(each.organisation_id, at, kept) for at, kept in enumerate(each.rules)]
        for each in then
    }


_TEXTS: dict[str, Callable[[str], object]] = {
    "project_id": UUID,
    "remainder": UUID,
    "starts_on": date.fromisoformat,
    "ends_on": date.fromisoformat,
}
"""What is kept of a replaced rule as text, and how that is read."""
_KEPT = ("name", *_TEXTS, "look_up", "shares", "by_usage", "conditions")


def _as_row(seller: UUID, position: int, kept: dict[str, Any]) -> OwnershipRuleRow:
    told = {name: read(kept[name]) for name, read in _TEXTS.items() if kept[name] is not None}
    return OwnershipRuleRow(organisation_id=seller, position=position, **{**kept, **told})


def as_kept(row: OwnershipRuleRow) -> dict[str, Any]:
    """A rule as it is kept when others take its place."""
    found = {name: getattr(row, name) for name in _KEPT}
    return {name: str(value) if name in _TEXTS and value is not None else value for name, value in found.items()}
