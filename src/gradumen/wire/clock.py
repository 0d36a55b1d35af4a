"""Bodies of the business clock."""

from datetime import datetime

from gradumen.wire.values import Body, YesOrNo


class ClockUpdate(Body):
    """Where to move the business clock; null lets it follow the real one, ``held`` makes it stand still."""

    to: datetime | None
    held: YesOrNo = False


class ClockBody(Body):
    """The business time."""

    now: datetime
    held: bool
