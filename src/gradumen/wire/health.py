"""Bodies of the probes."""

from gradumen.wire.values import Body


class Health(Body):
    """That the process answers."""

    status: str


class Readiness(Body):
    """Each of disk, database and clock is ``ok``, or says what does not hold; ``provider`` is set up, or none yet."""

    status: str
    disk: str
    database: str
    clock: str
    provider: str
