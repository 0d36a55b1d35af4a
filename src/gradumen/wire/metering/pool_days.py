"""Body of a pool's day."""

from datetime import date

from gradumen.wire.values import Body, DecimalText


class PoolDayBody(Body):
    """What there was of a pool on a UTC day, as it stood last on it, in the unit of its measure.

    ``promised`` are limits of the pool itself, ``at_site`` all limits of the measure at its site, ``left`` what of all
    pools of the measure there was free. ``metered`` is the day's mean of what was used in the clouds at the site by the
    meters that count the measure, null where none does, or the day is not over. ``handed_out`` and ``on_hosts`` are
    what the hosts of these clouds handed out and had in use as they told last on that day, ``on_hosts_most`` the most
    they told of; null where none told.
    """

    day: date
    capacity: DecimalText
    factor: DecimalText
    promised: DecimalText
    at_site: DecimalText
    left: DecimalText
    metered: DecimalText | None
    handed_out: DecimalText | None
    on_hosts: DecimalText | None
    on_hosts_most: DecimalText | None
