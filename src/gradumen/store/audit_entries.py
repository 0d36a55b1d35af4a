"""Who did what: written in the transaction of what was done, never changed."""

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, ForeignKey, Index, String, and_, or_, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from gradumen.store.columns import Base, Moment, ascii_text, has_text


class AuditEntryRow(Base):
    """One act: in whose organisation, for whom, by whom, with which token, from where; what was before and after.

    ``organisation_id`` is None for what belongs to nobody: a sign-in with an address that nobody has.
    """

    __tablename__ = "audit_entries"
    __table_args__ = (
        Index("ix_audit_entries_organisation_id_at", "organisation_id", "at"),
        Index("ix_audit_entries_for_id_at", "for_id", "at"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(Moment)
    organisation_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    for_id: Mapped[UUID | None] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    user_id: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    token_id: Mapped[UUID | None] = mapped_column(ForeignKey("tokens.id", ondelete="RESTRICT"))
    address: Mapped[str] = mapped_column(String(60))
    action: Mapped[str] = mapped_column(ascii_text(40))
    subject: Mapped[str] = mapped_column(String(300))
    before: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    after: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))


def page_of_entries(
    tx: Session,
    organisation: UUID,
    *,
    nobodys: bool,
    action: str | None,
    search: str,
    after: tuple[datetime, UUID] | None,
    limit: int,
) -> list[AuditEntryRow]:
    """What was done in an organisation and for it, newest first; with ``nobodys`` what belongs to nobody too."""
    whose = or_(AuditEntryRow.organisation_id == organisation, AuditEntryRow.for_id == organisation)
    query = select(AuditEntryRow).where(or_(whose, AuditEntryRow.organisation_id.is_(None)) if nobodys else whose)
    if action:
        query = query.where(AuditEntryRow.action == action)
    if search:
        query = query.where(has_text(AuditEntryRow.subject, search))
    if after is not None:
        at, identity = after
        query = query.where(or_(AuditEntryRow.at < at, and_(AuditEntryRow.at == at, AuditEntryRow.id > identity)))
    return list(tx.scalars(query.order_by(AuditEntryRow.at.desc(), AuditEntryRow.id).limit(limit)))
