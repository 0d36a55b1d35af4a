"""Bodies of the hosts of a cloud."""

from datetime import date, datetime
from uuid import UUID

from gradumen.wire.values import Body, DecimalText


class HostBody(Body):
    """What a host has of a resource, as it was told last, in ``unit`` where the resource is a measure of quotas.

    ``capacity`` is what is handed out, (total - reserved) x factor; ``free`` what of it is not in use, negative where
    more is. ``host`` is empty and ``factor`` null for all ``hosts`` together.
    """

    host: str
    resource: str
    unit: str
    hosts: int
    total: DecimalText
    reserved: DecimalText
    factor: DecimalText | None
    capacity: DecimalText
    used: DecimalText
    free: DecimalText


class HostsBody(Body):
    """A page of the hosts of a cloud as they were at the last look, before it what all have together.

    ``tells`` is false of a cloud that does not tell of its hosts, null before the first look. ``problem`` is why the
    last look brought nothing, ``failing_since`` the first that did not since the last that did.
    """

    cloud: UUID
    cloud_name: str
    site_name: str | None
    tells: bool | None
    looked_at: datetime | None
    next_at: datetime | None
    problem: str | None
    failing_since: datetime | None
    together: list[HostBody]
    items: list[HostBody]
    next: str | None = None


class HostDayBody(Body):
    """What a host, or all ``hosts`` of a cloud together, had of a resource on a UTC day, as it was told last on it.

    ``used_least`` and ``used_most`` are of all ``looks`` of the day. A day without any has no such entry.
    """

    day: date
    resource: str
    unit: str
    hosts: int
    total: DecimalText
    reserved: DecimalText
    factor: DecimalText | None
    capacity: DecimalText
    used: DecimalText
    used_least: DecimalText
    used_most: DecimalText
    free: DecimalText
    looks: int
