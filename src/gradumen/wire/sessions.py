"""Bodies of sign-in, members and tokens."""

from datetime import datetime
from uuid import UUID

from gradumen.core.permissions import Right, Role
from gradumen.wire.values import Body


class SetUp(Body):
    """The provider and its first administrator; ``code`` is printed by the service at its first start."""

    code: str
    slug: str
    name: str
    country: str
    currency: str
    billing_zone: str
    email: str
    user_name: str
    password: str


class SignIn(Body):
    """A sign-in by password."""

    email: str
    password: str


class MembershipBody(Body):
    """What the signed-in user is in an organisation."""

    organisation: str
    name: str
    type: str
    role: Role
    rights: list[Right]


class SessionBody(Body):
    """Who is signed in; ``csrf`` goes into X-CSRF-Token of every changing call with a session cookie."""

    email: str
    name: str
    memberships: list[MembershipBody]
    now: datetime
    csrf: str | None = None


class MemberCreate(Body):
    """A new user of an organisation."""

    email: str
    name: str
    password: str
    role: Role


class MemberBody(Body):
    """A user in an organisation."""

    user_id: UUID
    email: str
    name: str
    role: Role


class TokenCreate(Body):
    """A new token for programs, with a role in one organisation."""

    organisation: str
    name: str
    role: Role
    days: int = 90


class TokenBody(Body):
    """A token; ``secret`` is there only in the answer that made it."""

    id: UUID
    name: str
    organisation: str
    role: Role
    expires_at: datetime
    revoked: bool
    secret: str | None = None
