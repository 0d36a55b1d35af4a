"""Bodies of whose a resource is by what its feeds sent, and why."""

from datetime import date

from gradumen.wire.values import Body


class ResourceOwnerBody(Body):
    """Readings of a resource that are alike, one after another, from ``first_day`` until ``last_day`` of UTC.

    ``named`` is whom they were sent as; ``rule`` the rule of ownership that takes what names nobody. ``owner`` is whose
    they are by that, as organisation/project or in words; null is nobody's: nobody there has that name, or no rule
    takes them.
    """

    feed: str
    meter: str
    meter_name: str
    account: str | None
    named: str | None
    rule: str | None
    owner: str | None
    first_day: date
    last_day: date
    readings: int


class ResourceOwnersBody(Body):
    """Whose a resource of a seller's feeds is in a month of UTC, by day; ``more`` was not looked at."""

    organisation: str
    resource: str
    period: str
    items: list[ResourceOwnerBody]
    more: bool


def because(found: ResourceOwnerBody) -> str:
    """Why something is whose it is."""
    if found.named is not None:
        return "so it was sent" if found.owner else f"sent as {found.named}, which is not there"
    came = f" of account {found.account}" if found.account else ""
    return f"rule {found.rule}" if found.rule else f"no rule takes it{came}"
