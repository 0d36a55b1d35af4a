"""What organisations demand of who signs in."""

from enum import StrEnum


class Demand(StrEnum):
    """Of whom an organisation demands a second factor."""

    MEMBERS = "members"
    BELOW = "all below"
    """Of its members, and of those of everybody below it."""
