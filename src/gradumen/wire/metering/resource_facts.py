"""Bodies of what is known of a resource."""

from datetime import date

from gradumen.wire.values import Body


class ResourceFactBody(Body):
    """An attribute or tag (``tag:name``) of a resource as it was told last: by a feed of one's own, by its name.

    Null is what its usage is priced by.
    """

    name: str
    value: str
    feed: str | None


class ResourceFactsBody(Body):
    """What is known of a resource, of the last 400 days of UTC as far as the caller sees what was used of it.

    ``quiet_days`` is how many days ago something of it was used last; null where nothing was. ``made_by`` is who made
    it, where an attribute or tag says so.
    """

    organisation: str
    resource: str
    first_used: date | None
    last_used: date | None
    quiet_days: int | None
    made_by: str | None
    facts: list[ResourceFactBody]
