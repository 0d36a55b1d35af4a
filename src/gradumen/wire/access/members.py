"""Bodies of members and invitations."""

from datetime import datetime
from uuid import UUID

from gradumen.core.permissions import Role
from gradumen.wire.values import Body, YesOrNo


class MemberBody(Body):
    """A user in an organisation; a disabled one has no rights there."""

    user_id: UUID
    email: str
    name: str
    role: Role
    disabled: bool
    second_factor: bool


class MemberUpdate(Body):
    """What changes of a member; what is left out stays."""

    role: Role | None = None
    disabled: YesOrNo | None = None


class InvitationCreate(Body):
    """Whom to invite, as what."""

    email: str
    role: Role


class InvitationBody(Body):
    """An open invitation; ``secret`` is there only in the answer that made it."""

    id: UUID
    organisation: str
    email: str
    role: Role
    invited_from: str
    expires_at: datetime
    secret: str | None = None


class InvitationAccept(Body):
    """An invitation's secret; name and password where no user of its address exists yet."""

    secret: str
    name: str | None = None
    password: str | None = None


class JoinedBody(Body):
    """What a user is in an organisation now."""

    organisation: str
    name: str
    type: str
    role: Role
