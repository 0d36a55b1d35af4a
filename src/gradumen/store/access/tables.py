"""Users, their memberships, sessions, tokens and failed sign-ins."""

from datetime import datetime
from uuid import UUID

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column

from gradumen.store.columns import Base, Moment, ascii_text


class UserRow(Base):
    __tablename__ = "users"

    id: Mapped[UUID] = mapped_column(primary_key=True)
    email: Mapped[str] = mapped_column(String(190), unique=True)
    name: Mapped[str] = mapped_column(String(120))
    password_hash: Mapped[str] = mapped_column(ascii_text(200))


class MemberRow(Base):
    __tablename__ = "members"

    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"), primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"), primary_key=True)
    role: Mapped[str] = mapped_column(ascii_text(16))
    disabled_at: Mapped[datetime | None] = mapped_column(Moment)
    """Since when the membership rests: it gives no rights, its tokens and it itself are kept."""
    services: Mapped[list[str] | None] = mapped_column(JSON(none_as_null=True))
    """It orders and sells plans of these services only; without them, all that its role may."""


class InvitationRow(Base):
    """An offer of membership to one address; ``hash`` is the SHA-256 of what its link carries."""

    __tablename__ = "invitations"

    id: Mapped[UUID] = mapped_column(primary_key=True)
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    email: Mapped[str] = mapped_column(String(190))
    role: Mapped[str] = mapped_column(ascii_text(16))
    hash: Mapped[str] = mapped_column(ascii_text(64), unique=True)
    invited_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    invited_from: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    created_at: Mapped[datetime] = mapped_column(Moment)
    expires_at: Mapped[datetime] = mapped_column(Moment)
    accepted_at: Mapped[datetime | None] = mapped_column(Moment)
    withdrawn_at: Mapped[datetime | None] = mapped_column(Moment)
    services: Mapped[list[str] | None] = mapped_column(JSON(none_as_null=True))
    """As of a member."""


class ProgramRow(Base):
    """A program that was planned with an invitation: who accepts it collects the program's token, once."""

    __tablename__ = "programs"

    id: Mapped[UUID] = mapped_column(primary_key=True)
    invitation_id: Mapped[UUID] = mapped_column(ForeignKey("invitations.id", ondelete="RESTRICT"))
    name: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(ascii_text(16))
    days: Mapped[int]
    token_id: Mapped[UUID | None] = mapped_column(ForeignKey("tokens.id", ondelete="RESTRICT"))
    dropped_at: Mapped[datetime | None] = mapped_column(Moment)


class PasswordResetRow(Base):
    """A link by which a user sets a new password, once; ``hash`` is the SHA-256 of what it carries."""

    __tablename__ = "password_resets"

    hash: Mapped[str] = mapped_column(ascii_text(64), primary_key=True)
    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    made_by: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    expires_at: Mapped[datetime] = mapped_column(Moment)
    used_at: Mapped[datetime | None] = mapped_column(Moment)


class SessionRow(Base):
    """A signed-in browser; ``id`` is the SHA-256 of the cookie, ``agent`` what the browser calls itself."""

    __tablename__ = "sessions"

    id: Mapped[str] = mapped_column(ascii_text(64), primary_key=True)
    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    csrf: Mapped[str] = mapped_column(ascii_text(64))
    started_at: Mapped[datetime] = mapped_column(Moment)
    address: Mapped[str] = mapped_column(String(60))
    agent: Mapped[str] = mapped_column(String(200))
    expires_at: Mapped[datetime] = mapped_column(Moment)


class TokenRow(Base):
    """A program's key; ``hash`` is the SHA-256 of the token, which is shown once."""

    __tablename__ = "tokens"

    id: Mapped[UUID] = mapped_column(primary_key=True)
    hash: Mapped[str] = mapped_column(ascii_text(64), unique=True)
    name: Mapped[str] = mapped_column(String(120))
    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
    organisation_id: Mapped[UUID] = mapped_column(ForeignKey("organisations.id", ondelete="RESTRICT"))
    role: Mapped[str] = mapped_column(ascii_text(16))
    expires_at: Mapped[datetime] = mapped_column(Moment)
    revoked_at: Mapped[datetime | None] = mapped_column(Moment)


class AttemptRow(Base):
    """Attempts in a row of what may be guessed, as a sign-in, by subject; see `usecases.pace`."""

    __tablename__ = "attempts"
    __table_args__ = (Index("ix_attempts_last_at", "last_at"),)

    subject: Mapped[str] = mapped_column(String(190), primary_key=True)
    attempts: Mapped[int]
    last_at: Mapped[datetime] = mapped_column(Moment)


class DeviceRow(Base):
    """A browser that a user signed in from; ``id`` is the SHA-256 of its cookie."""

    __tablename__ = "devices"

    id: Mapped[str] = mapped_column(ascii_text(64), primary_key=True)
    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"), primary_key=True)
    used_at: Mapped[datetime] = mapped_column(Moment)


class SecondFactorRow(Base):
    """A user's second factor: its secret, sealed; ``since`` is when its first code was right, None until then.

    ``last_step`` is the step of time of the last code taken: none is taken twice.
    """

    __tablename__ = "second_factors"

    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"), primary_key=True)
    sealed: Mapped[str] = mapped_column(Text)
    made_at: Mapped[datetime] = mapped_column(Moment)
    since: Mapped[datetime | None] = mapped_column(Moment)
    last_step: Mapped[int] = mapped_column(BigInteger)


class RecoveryCodeRow(Base):
    """A code that stands in for a second factor, once; ``hash`` is its SHA-256 with the user's id."""

    __tablename__ = "recovery_codes"

    hash: Mapped[str] = mapped_column(ascii_text(64), primary_key=True)
    user_id: Mapped[UUID] = mapped_column(ForeignKey("users.id", ondelete="RESTRICT"))
