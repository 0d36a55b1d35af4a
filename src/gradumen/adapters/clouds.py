"""Which adapter speaks to a cloud of a kind."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from gradumen.adapters.account_service import AccountService
from gradumen.adapters.cloud_accounts import CloudAccounts
from gradumen.adapters.door import Door
from gradumen.adapters.openstack_identity import OpenStackIdentity
from gradumen.core.organisations.clouds import CloudKind

_KINDS: dict[CloudKind, Callable[[Door, str, str], CloudAccounts]] = {
    CloudKind.ACCOUNT_SERVICE: AccountService,
    CloudKind.OPENSTACK_IDENTITY: OpenStackIdentity,
}


@contextmanager
def cloud_at(door: Door, kind: CloudKind, endpoint: str, secret: str) -> Iterator[CloudAccounts]:
    """The accounts of a cloud, for as long as they are asked for.

    Raises:
        Invalid: its address is not among what the operator lets be called.
    """
    found = _KINDS[kind](door, endpoint, secret)
    try:
        yield found
    finally:
        found.close()
