"""Clouds in which accounts are made for organisations, and how far such an account is."""

from datetime import timedelta
from enum import StrEnum
from uuid import UUID


class CloudKind(StrEnum):
    """What a cloud's side speaks."""

    ACCOUNT_SERVICE = "account service"
    """The small protocol of `docs/cloud-accounts.md`, for any cloud that has a bridge to it."""
    OPENSTACK_IDENTITY = "openstack identity"
    """Projects of an OpenStack identity service."""


class AccountState(StrEnum):
    """How far an account is."""

    WANTED = "wanted"
    """Noted with its tag before anything is asked of the cloud."""
    MADE = "made"
    LINKED = "linked"
    """It was there already; it is never taken away by us."""
    REMOVED = "removed"


CALL_SECONDS = 20.0
"""The longest that one call to a cloud may take."""
LATEST = timedelta(minutes=5)
"""How long after it was given up a cloud may still do what it was asked."""


def tag_of(account: UUID) -> str:
    """The tag by which an account is known to be ours, whatever became of the answer to our call.

    >>> tag_of(UUID(int=7))
    'gradumen-00000000000000000000000000000007'
    """
    return f"gradumen-{account.hex}"
