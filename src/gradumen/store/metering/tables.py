"""Feeds, deliveries, readings and the hourly usage that follows from them."""

from datetime import datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, LargeBinary, String, UniqueConstraint
from sqlalchemy.dialects.mysql import BINARY
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Base, Moment, Quantity, ascii_text

_HASH = LargeBinary(16).with_variant(BINARY(16), "mysql", "mariadb")


class FeedRow(Base):
    __tablename__ = "feeds"
    __table_args__ = (UniqueConstraint("organisation_id", "slug"),)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    name: Mapped[str] = mapped_column(String(120))


class FeedSenderRow(Base):
    """The right of one user to send to one feed, beside the administrators of the feed's organisation."""

    __tablename__ = "feed_senders"

    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"), primary_key=True)
    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"), primary_key=True)


class DeliveryRow(Base):
    """One batch that a feed sent, with what became of it."""

    __tablename__ = "deliveries"
    __table_args__ = (Index("ix_deliveries_feed_id_id", "feed_id", "id"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    public_id: Mapped[UUID] = mapped_column(unique=True)
    """What it is called outside: ``id`` would count all that comes in, from everybody."""
    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"))
    sent_by: Mapped[UUID | None] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    received_at: Mapped[datetime] = mapped_column(Moment)
    accepted: Mapped[int]
    known: Mapped[int]
    refused: Mapped[int]
    first_refusal: Mapped[str | None] = mapped_column(String(500))


class AttributeSetRow(Base):
    """A set of attributes that readings share; ``hash`` is of its sorted text."""

    __tablename__ = "attribute_sets"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    hash: Mapped[bytes] = mapped_column(_HASH, unique=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class ReadingRow(Base):
    """A reading; append-only, partitioned by month of ``start_at``, hence without foreign keys."""

    __tablename__ = "readings"
    __table_args__ = (
        Index("ix_readings_delivery_id", "delivery_id"),
        Index("ix_readings_project_id_meter_id_start_at", "project_id", "meter_id", "start_at"),
        {"info": {"partitioned": "start_at"}},
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    start_at: Mapped[datetime] = mapped_column(Moment, primary_key=True)
    end_at: Mapped[datetime] = mapped_column(Moment)
    feed_id: Mapped[int]
    delivery_id: Mapped[int] = mapped_column(BigInteger)
    source: Mapped[str] = mapped_column(String(191, collation="utf8mb4_bin"))
    event_id: Mapped[str] = mapped_column(String(191, collation="utf8mb4_bin"))
    sequence: Mapped[int]
    project_id: Mapped[UUID | None]
    account: Mapped[str | None] = mapped_column(String(191))
    resource: Mapped[str] = mapped_column(String(191, collation="utf8mb4_bin"))
    meter_id: Mapped[int]
    attribute_set_id: Mapped[int]
    quantity: Mapped[Decimal] = mapped_column(Quantity)


class ReadingKeyRow(Base):
    """What decides whether a reading is known: feed, source and id as ``key``; the highest sequence stands."""

    __tablename__ = "reading_keys"

    key: Mapped[bytes] = mapped_column(_HASH, primary_key=True)
    content: Mapped[bytes] = mapped_column(_HASH)
    sequence: Mapped[int]
    delivery_id: Mapped[int] = mapped_column(BigInteger)
    start_at: Mapped[datetime] = mapped_column(Moment)


class SupersededReadingRow(Base):
    """A delivery's reading that a later one with a higher sequence replaces."""

    __tablename__ = "superseded_readings"

    delivery_id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    key: Mapped[bytes] = mapped_column(_HASH, primary_key=True)
    source: Mapped[str] = mapped_column(String(191, collation="utf8mb4_bin"))
    event_id: Mapped[str] = mapped_column(String(191, collation="utf8mb4_bin"))


class StaleUsageRow(Base):
    """An hour whose usage must be made again from readings."""

    __tablename__ = "stale_usage"

    project_id: Mapped[UUID] = mapped_column(primary_key=True)
    meter_id: Mapped[int] = mapped_column(primary_key=True)
    hour: Mapped[datetime] = mapped_column(Moment, primary_key=True)


class UsageHourRow(Base):
    """Usage of a resource in a UTC hour, in the meter's base unit; ``readings`` touch it."""

    __tablename__ = "usage_hours"

    project_id: Mapped[UUID] = mapped_column(ForeignKey("projects.id", ondelete="RESTRICT"), primary_key=True)
    meter_id: Mapped[int] = mapped_column(ForeignKey("meters.id", ondelete="RESTRICT"), primary_key=True)
    hour: Mapped[datetime] = mapped_column(Moment, primary_key=True)
    resource: Mapped[str] = mapped_column(String(191, collation="utf8mb4_bin"), primary_key=True)
    attribute_set_id: Mapped[int] = mapped_column(
        ForeignKey("attribute_sets.id", ondelete="RESTRICT"), primary_key=True
    )
    quantity: Mapped[Decimal] = mapped_column(Quantity)
    readings: Mapped[int]
