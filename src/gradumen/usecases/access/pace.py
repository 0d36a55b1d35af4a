"""The pace of guesses: attempts are counted before they are looked at, and what fails often waits."""

import ipaddress
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from gradumen.core.errors import SlowDown
from gradumen.core.retentions import SIGN_IN_ATTEMPTS
from gradumen.store.access.sessions import drop_attempts, lock_attempts, take_back_attempt
from gradumen.store.unit_of_work import Session, use_case

FORGOTTEN_AFTER = timedelta(minutes=15)


@dataclass(frozen=True, slots=True)
class Pace:
    """After ``free`` attempts of a subject in a row each doubles a waiting time, to at most ``longest`` seconds."""

    subject: str
    free: int
    longest: int

    @property
    def key(self) -> str:
        """The subject as it is stored."""
        return self.subject[:190]


@use_case
def count_attempt(tx: Session, paces: Sequence[Pace], *, at: datetime) -> None:
    """Count an attempt, before it is checked, so that many at once are as many as one after another.

    Raises:
        SlowDown: it comes too early for one of the paces; it is not counted.
    """
    drop_attempts(tx, before=at - SIGN_IN_ATTEMPTS)
    # In one order, so that rivals wait for each other rather than fall into each other's arms.
    for pace in sorted(paces, key=lambda each: each.key):
        row = lock_attempts(tx, pace.key, at)
        if at - row.last_at > max(FORGOTTEN_AFTER, timedelta(seconds=2 * pace.longest)):
            row.attempts = 0
        if row.attempts >= pace.free:
            wait = min(pace.longest, 2 ** min(row.attempts - pace.free, 20))
            left = (row.last_at + timedelta(seconds=wait) - at).total_seconds()
            if left > 0:
                raise SlowDown(retry_after_seconds=int(left) + 1)
        row.attempts, row.last_at = row.attempts + 1, at


def forgive(tx: Session, paces: Sequence[Pace]) -> None:
    """An attempt succeeded: its subjects begin anew."""
    drop_attempts(tx, subjects=[pace.key for pace in paces])


def take_back(tx: Session, pace: Pace) -> None:
    """An attempt succeeded where many share a subject: it alone is not counted."""
    take_back_attempt(tx, pace.key)


def network_of(address: str) -> str:
    """What stands for one caller: an IPv4 address, or the /64 network of an IPv6 one (RFC 6177, 2).

    >>> network_of("2001:db8::1"), network_of("192.0.2.7")
    ('2001:db8::/64', '192.0.2.7')
    """
    try:
        found = ipaddress.ip_address(address)
    except ValueError:
        return address
    return str(ipaddress.ip_network((found, 64), strict=False)) if found.version == 6 else address
