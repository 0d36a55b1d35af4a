"""Bodies of programs that are planned with an invitation."""

from uuid import UUID

from gradumen.core.permissions import Role
from gradumen.wire.values import Body, WholeNumber


class ProgramPlan(Body):
    """A program that is to act in an organisation: its name, what it may, and for how many days its token lasts."""

    name: str
    role: Role = Role.SENDER
    days: WholeNumber = 90


class ProgramBody(ProgramPlan):
    """A program whose token the caller has not collected yet."""

    id: UUID
    organisation: str
