"""Feeds, deliveries, readings and the usage that follows from them."""

from datetime import date, datetime
from decimal import Decimal
from typing import Any
from uuid import UUID

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, LargeBinary, String, UniqueConstraint, and_
from sqlalchemy.dialects.mysql import BINARY, VARBINARY
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Base, Moment, Quantity, Second, ascii_text

HASH = LargeBinary(16).with_variant(BINARY(16), "mysql", "mariadb")
_NAME = String(191, collation="utf8mb4_bin")


class FeedRow(Base):
    __tablename__ = "feeds"
    __table_args__ = (UniqueConstraint("organisation_id", "slug"),)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    slug: Mapped[str] = mapped_column(ascii_text(63))
    name: Mapped[str] = mapped_column(String(120))
    mapping: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    """How the rows of its files become readings, as it is written."""
    mapping_version: Mapped[int] = mapped_column(default=0)
    cost_meter_id: Mapped[int | None]
    """The meter that costs are of which its cost files state; None takes no such files."""
    reads_quantities: Mapped[bool] = mapped_column(default=False)
    """What its cost files say was used counts as usage too."""
    estimates_costs: Mapped[bool] = mapped_column(default=False)
    """What its cost files do not state yet is estimated."""


class FeedSenderRow(Base):
    """The right of one user to send to one feed, beside the administrators of the feed's organisation."""

    __tablename__ = "feed_senders"

    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"), primary_key=True)
    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"), primary_key=True)


class DeliveryRow(Base):
    """One batch that a feed sent, with what became of it."""

    __tablename__ = "deliveries"
    __table_args__ = (
        Index("ix_deliveries_feed_id_id", "feed_id", "id"),
        Index("ix_deliveries_feed_id_file_name", "feed_id", "file_name"),
        Index("ix_deliveries_feed_id_received_at", "feed_id", "received_at"),
    )

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
    file_name: Mapped[str | None] = mapped_column(_NAME)
    content_hash: Mapped[bytes | None] = mapped_column(HASH)
    """Of a file and the way in which it was mapped."""
    first_at: Mapped[datetime | None] = mapped_column(Second)
    last_at: Mapped[datetime | None] = mapped_column(Second)
    """When the first and the last of its readings start."""
    taken_back_by: Mapped[int | None] = mapped_column(BigInteger)
    takes_back: Mapped[int | None] = mapped_column(BigInteger)
    """Another delivery, by which or which this one takes back whole."""
    is_read_again: Mapped[bool] = mapped_column(default=False)
    """Nobody sent it: its readings were made of what others had brought, by rules of kind or of costs."""


class AttributeSetRow(Base):
    """A set of attributes that readings share; ``hash`` is of its sorted text."""

    __tablename__ = "attribute_sets"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    hash: Mapped[bytes] = mapped_column(HASH, unique=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class ResourceRow(Base):
    """A resource as a feed names it. Every pass that makes its usage writes ``passes``, so that rivals queue."""

    __tablename__ = "resources"
    __table_args__ = (UniqueConstraint("feed_id", "name"), Index("ix_resources_name", "name"))

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"))
    name: Mapped[str] = mapped_column(_NAME)
    passes: Mapped[int]


class OriginRow(Base):
    """What readings say of where they come from and whose they are, as sent; ``hash`` is of these texts.

    Of what a rule of kind reads, or none does, also what it was sent as: meter, unit, and the set of its attributes;
    and how many base units one of its quantity is, as ``numerator/denominator``, None where its kind is not known.
    ``is_amount``: of all its time, where its meter counts levels.
    """

    __tablename__ = "origins"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    hash: Mapped[bytes] = mapped_column(HASH, unique=True)
    source: Mapped[str] = mapped_column(_NAME)
    account: Mapped[str | None] = mapped_column(_NAME)
    owner: Mapped[str | None] = mapped_column(_NAME)
    sent_meter: Mapped[str | None] = mapped_column(_NAME)
    sent_unit: Mapped[str | None] = mapped_column(_NAME)
    sent_set_id: Mapped[int | None]
    factor: Mapped[str | None] = mapped_column(ascii_text(191))
    is_amount: Mapped[bool] = mapped_column(default=False)


class ReadingRow(Base):
    """A reading as it was sent; append-only, partitioned by month of ``start_at``, clustered as usage is made.

    ``position`` is its place in the delivery. Of unknown kind (meter 0) its quantity is as it was sent.
    """

    __tablename__ = "readings"

    resource_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    meter_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    start_at: Mapped[datetime] = mapped_column(Second, primary_key=True)
    delivery_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    end_at: Mapped[datetime] = mapped_column(Second)
    origin_id: Mapped[int]
    attribute_set_id: Mapped[int]
    event_id: Mapped[str] = mapped_column(_NAME)
    sequence: Mapped[int]
    quantity: Mapped[Decimal] = mapped_column(Quantity)


class ReadingKeyRow(Base):
    """What decides whether a reading is known: feed, source and id as ``key``; the highest sequence stands.

    The rest is where that reading is.
    """

    __tablename__ = "reading_keys"

    key: Mapped[bytes] = mapped_column(HASH, primary_key=True)
    content: Mapped[bytes] = mapped_column(HASH)
    sequence: Mapped[int]
    delivery_id: Mapped[int] = mapped_column(BigInteger)
    position: Mapped[int]
    resource_id: Mapped[int]
    meter_id: Mapped[int]
    start_at: Mapped[datetime] = mapped_column(Second)


class SupersededReadingRow(Base):
    """A delivery's reading that one of a later delivery replaces, with a higher sequence."""

    __tablename__ = "superseded_readings"

    delivery_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    by_delivery_id: Mapped[int] = mapped_column(BigInteger)


class ReadAgainRow(Base):
    """A reading that changed rules of kind made: the delivery that had brought what it is made of."""

    __tablename__ = "read_again"
    __table_args__ = (Index("ix_read_again_sent_delivery_id", "sent_delivery_id"),)

    delivery_id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    sent_delivery_id: Mapped[int] = mapped_column(BigInteger)


REPLACED = and_(
    SupersededReadingRow.delivery_id == ReadingRow.delivery_id, SupersededReadingRow.position == ReadingRow.position
)
"""By which a reading is joined with what says that it was replaced, or taken back."""


class StaleUsageRow(Base):
    """A mark: usage of a resource and meter on a UTC day is to be made again. Only ever added, until it is done."""

    __tablename__ = "stale_usage"

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    resource_id: Mapped[int]
    meter_id: Mapped[int]
    day: Mapped[date]
    marked_at: Mapped[datetime] = mapped_column(Moment)
    quiet: Mapped[bool]
    """Made by a release that keeps usage in another way: what is charged does not change by it."""


class FeedWatermarkRow(Base):
    """Up to which full hour all is known that a source of a feed says of what holds until it changes."""

    __tablename__ = "feed_watermarks"
    __table_args__ = (UniqueConstraint("feed_id", "source"),)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"))
    source: Mapped[str] = mapped_column(_NAME)
    told_until: Mapped[datetime] = mapped_column(Second)


class SpellRow(Base):
    """An unbroken time of a resource at one level, with one set of attributes, of one project: made with its usage.

    ``run_start`` is since when the project has had it without a gap; where several share it each has its part of the
    level. ``watermark_id`` is of what ends it for now: it goes on as far as that tells; None once the end is known.
    """

    __tablename__ = "spells"
    __table_args__ = (
        Index("ix_spells_project_number_end_at", "project_number", "end_at"),
        Index("ix_spells_watermark_id_end_at", "watermark_id", "end_at"),
    )

    resource_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    meter_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    start_at: Mapped[datetime] = mapped_column(Second, primary_key=True)
    project_number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    end_at: Mapped[datetime] = mapped_column(Second)
    attribute_set_id: Mapped[int]
    level: Mapped[Decimal] = mapped_column(Quantity)
    run_start: Mapped[datetime] = mapped_column(Second)
    watermark_id: Mapped[int | None]
    is_inferred: Mapped[bool]
    """Nobody said that it ended there: it is missing in a later list."""


class ListingRow(Base):
    """That a source listed all that it has of a meter, and of an account or without one, at a moment."""

    __tablename__ = "listings"
    __table_args__ = (
        UniqueConstraint("feed_id", "source", "event_id"),
        Index("ix_listings_feed_id_meter_id_listed_at", "feed_id", "meter_id", "listed_at"),
        Index("ix_listings_delivery_id", "delivery_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    feed_id: Mapped[int] = mapped_column(ForeignKey("feeds.id", ondelete="RESTRICT"))
    source: Mapped[str] = mapped_column(_NAME)
    event_id: Mapped[str] = mapped_column(_NAME)
    content: Mapped[bytes] = mapped_column(HASH)
    delivery_id: Mapped[int] = mapped_column(BigInteger)
    meter_id: Mapped[int]
    account: Mapped[str | None] = mapped_column(_NAME)
    listed_at: Mapped[datetime] = mapped_column(Second)


class UsageDayRow(Base):
    """Usage of a resource on a UTC day, in the meter's base unit, packed (`gradumen.core.metering.packed_days`).

    ``project_number`` 0 is nobody's. ``total`` is the sum of ``slots``; ``readings`` begin on this day. Partitioned by
    month, hence without foreign keys.
    """

    __tablename__ = "usage_days"
    __table_args__ = (Index("ix_usage_days_resource_id_meter_id_day", "resource_id", "meter_id", "day"),)

    project_number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    meter_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    day: Mapped[date] = mapped_column(primary_key=True)
    resource_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    attribute_set_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    hours: Mapped[int]
    slots: Mapped[bytes] = mapped_column(VARBINARY(1536))
    total: Mapped[Decimal] = mapped_column(Quantity)
    readings: Mapped[int]
