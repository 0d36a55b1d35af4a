"""Bodies of set-up, sign-in, sessions and passwords."""

from datetime import datetime

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


class SetUpBody(Body):
    """Whether the service has no provider yet and can be set up."""

    open: bool


class SignIn(Body):
    """A sign-in by password; who has a second factor sends its ``code`` too, or a recovery code."""

    email: str
    password: str
    code: str | None = None


class MembershipBody(Body):
    """What the signed-in user is in an organisation; ``services`` as of a member."""

    organisation: str
    name: str
    type: str
    role: Role
    rights: list[Right]
    services: list[str] | None = None


class HeldBackBody(Body):
    """A membership that gives nothing until its user has a second factor, and who demands that."""

    organisation: str
    name: str
    demanded_by: str


class SessionBody(Body):
    """Who is signed in; ``csrf`` goes into X-CSRF-Token of every changing call with a session cookie."""

    email: str
    name: str
    memberships: list[MembershipBody]
    held_back: list[HeldBackBody]
    now: datetime
    csrf: str | None = None


class OpenSessionBody(Body):
    """A session of the signed-in user; ``current`` is the one that asks."""

    id: str
    started_at: datetime
    expires_at: datetime
    address: str
    agent: str
    current: bool


class PasswordResetAsk(Body):
    """Whose password is to be set anew."""

    email: str


class PasswordChange(Body):
    """A new password of the signed-in user."""

    current: str
    new: str


class PasswordReset(Body):
    """A new password by a reset link; ``secret`` is what the link carries."""

    secret: str
    password: str


class PasswordResetBody(Body):
    """A reset link's secret; it is in this answer only and lasts a day."""

    secret: str
