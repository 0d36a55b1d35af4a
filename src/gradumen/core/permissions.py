"""Who may do what: one table, from which `docs/reference.md` is checked."""

from enum import StrEnum


class Role(StrEnum):
    """What a member is in an organisation, from most to least.

    A sender only sends readings, to the feeds that it is allowed on; it reads nothing.
    """

    ADMINISTRATOR = "administrator"
    FINANCE = "finance"
    VIEWER = "viewer"
    SENDER = "sender"


class Right(StrEnum):
    """What a call needs."""

    READ = "read"
    """See organisations, projects, quotas, plans, usage."""
    READ_MONEY = "read money"
    """See rates, period so far, drafts, invoices of links in which the organisation is seller or buyer."""
    MANAGE_ORGANISATIONS = "manage organisations"
    MANAGE_QUOTAS = "manage quotas"
    MANAGE_CATALOGUE = "manage catalogue"
    MANAGE_SUBSCRIPTIONS = "manage subscriptions"
    ORDER = "order"
    """Order of the organisation's own seller: subscribe, change, end."""
    MANAGE_MEMBERS = "manage members"
    MANAGE_FEEDS = "manage feeds"
    SEND_READINGS = "send readings"
    BILL = "bill"
    """Start bill runs, issue and discard drafts, set tax rates."""


_READ = frozenset({Right.READ, Right.READ_MONEY})

RIGHTS: dict[Role, frozenset[Right]] = {
    Role.ADMINISTRATOR: frozenset(Right),
    Role.FINANCE: _READ | {Right.BILL, Right.MANAGE_CATALOGUE, Right.MANAGE_SUBSCRIPTIONS, Right.ORDER},
    Role.VIEWER: _READ,
    Role.SENDER: frozenset(),
}

FROM_ABOVE = frozenset({Right.READ, Right.MANAGE_ORGANISATIONS, Right.MANAGE_QUOTAS})
"""What a role gives for all organisations below its own too: structure and quotas, nothing of their business."""


def may(role: Role, right: Right) -> bool:
    """Whether the role has the right.

    >>> may(Role.VIEWER, Right.BILL)
    False
    """
    return right in RIGHTS[role]


def least(one: Role, other: Role) -> Role:
    """Of two roles the one with fewer rights.

    >>> least(Role.FINANCE, Role.VIEWER)
    <Role.VIEWER: 'viewer'>
    """
    return one if RIGHTS[one] <= RIGHTS[other] else other
