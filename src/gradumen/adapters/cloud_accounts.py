"""Accounts in clouds: what every kind of cloud has to be able to do, and what is done with that.

`docs/cloud-accounts.md` says how another kind is written.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Protocol

from gradumen.core.errors import Conflict
from gradumen.core.quotas.hosts import Stock
from gradumen.core.quotas.measures import AccountLimits, Measure


@dataclass(frozen=True, slots=True)
class Account:
    """An account as its cloud knows it; ``tag`` is what was given when it was made."""

    id: str
    name: str
    tag: str | None


class CloudAccounts(Protocol):
    """One cloud. Each call raises `Unavailable` where it may go better later, and `Conflict` where it will not."""

    def close(self) -> None:
        """End its connections."""

    def look(self) -> str:
        """What was reached, in words; raises `Conflict` naming a right that is missing."""

    def find(self, tag: str) -> Account | None:
        """The account with a tag of ours."""

    def named(self, name: str) -> Account | None:
        """The account of a name, whosever it is."""

    def get(self, id: str) -> Account | None:
        """An account by the cloud's own id."""

    def make(self, name: str, tag: str) -> Account:
        """Make one; where the name is taken, `Conflict`."""

    def remove(self, id: str) -> None:
        """Take one away; one that is not there is no mistake."""

    def limit(self, id: str, limits: AccountLimits) -> list[Measure]:
        """Hold an account to limits, whatever it was held to before; gives those that this cloud keeps."""

    def hosts(self) -> list[Stock] | None:
        """What its hosts have; None where it does not tell of any."""

    def admit(self, id: str, email: str) -> bool:
        """Let somebody use an account, again and again the same; False where this cloud has no users."""

    def dismiss(self, id: str | None, email: str) -> None:
        """Take that back, with a user that was made for it and is of no other account; ``id`` None is gone already."""


def ensure(cloud: CloudAccounts, name: str, tag: str) -> Account:
    """The account with our tag: as an earlier attempt made it, or made now. Never two.

    Raises:
        Conflict: the name is taken by one without our tag; a person chooses another, or links that one.
        Unavailable: the cloud does not answer; whether it did it is seen by the tag the next time.
    """
    found = cloud.find(tag)
    if found is not None:
        return found
    if cloud.named(name) is not None:
        raise Conflict(
            f"there is an account '{name}' already, which is not ours: link that one, or choose another name"
        )
    try:
        return cloud.make(name, tag)
    except Conflict:
        # What an earlier attempt asked for may have been done only now.
        late = cloud.find(tag)
        if late is None:
            raise
        return late


def existing(cloud: CloudAccounts, id: str) -> Account:
    """An account that is there already.

    Raises:
        Conflict: there is none of that id.
    """
    found = cloud.get(id)
    if found is None:
        raise Conflict(f"there is no account '{id}' in it")
    return found


def remove_ours(cloud: CloudAccounts, tag: str, people: Iterable[str] = ()) -> bool:
    """Take away what has our tag, and the users of it that were made for it; whether there was any."""
    found = cloud.find(tag)
    for email in people:
        cloud.dismiss(found.id if found else None, email)
    if found is None:
        return False
    cloud.remove(found.id)
    return True
