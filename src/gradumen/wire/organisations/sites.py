"""Bodies of sites, and of who may use which."""

from uuid import UUID

from gradumen.wire.values import AsSet, Body, WholeNumber


class SiteCreate(Body):
    """A place where capacity is; ``zone`` is its time zone, like Europe/Dublin."""

    slug: str
    name: str
    place: str | None = None
    zone: str = "UTC"


class SiteUpdate(AsSet, Body):
    """What is to be changed of a site, over the version that was read; what is left out stays."""

    version: WholeNumber
    name: str | None = None
    place: str | None = None
    zone: str | None = None


class SiteBody(Body):
    """A site that an organisation may use; ``own`` where it is its own. Whose it is else is not told."""

    id: UUID
    slug: str
    name: str
    place: str | None
    zone: str
    own: bool
    version: int


class PermittedSites(Body):
    """The sites that an organisation is held to, by id; null is all that its seller may use."""

    sites: list[UUID] | None
