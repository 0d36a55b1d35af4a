"""Queries of feeds, who may send to them, and deliveries."""

from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from gradumen.store.metering.tables import FeedRow, FeedSenderRow


def drop_sender(tx: Session, organisation: UUID, user: UUID) -> None:
    """A user no longer sends to the feeds of an organisation."""
    feeds = select(FeedRow.id).where(FeedRow.organisation_id == organisation)
    tx.execute(delete(FeedSenderRow).where(FeedSenderRow.user_id == user, FeedSenderRow.feed_id.in_(feeds)))
