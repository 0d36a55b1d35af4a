"""Bodies of members and invitations."""

from datetime import datetime
from uuid import UUID

from pydantic import Field

from gradumen.core.permissions import Role
from gradumen.wire.access.programs import ProgramPlan
from gradumen.wire.values import Body, YesOrNo


class MemberBody(Body):
    """A user in an organisation; a disabled one has no rights there.

    ``services`` are those of which it orders and sells plans; null is all.
    """

    user_id: UUID
    email: str
    name: str
    role: Role
    disabled: bool
    second_factor: bool
    services: list[str] | None = None


class MemberUpdate(Body):
    """What changes of a member; what is left out stays."""

    role: Role | None = None
    disabled: YesOrNo | None = None


class InvitationCreate(Body):
    """Whom to invite, as what, with the programs whose tokens it is to collect."""

    email: str
    role: Role
    programs: list[ProgramPlan] = Field(default_factory=list, max_length=20)


class InvitationBody(Body):
    """An open invitation; ``secret`` is there only in the answer that made it.

    ``services`` are as of a member; who accepts collects the tokens of ``programs``.
    """

    id: UUID
    organisation: str
    email: str
    role: Role
    invited_from: str
    expires_at: datetime
    services: list[str] | None = None
    programs: list[ProgramPlan] = Field(default_factory=list)
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
    services: list[str] | None = None
