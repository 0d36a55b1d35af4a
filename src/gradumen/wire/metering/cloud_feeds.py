"""Bodies of clouds whose usage comes by a feed."""

from uuid import UUID

from gradumen.wire.values import Body


class CloudFeedSet(Body):
    """The feed of the cloud's owner by which its usage comes, as ``organisation/feed``."""

    feed: str


class CloudFeedBody(Body):
    """A cloud, and by which feed its usage comes, if by any: what is used in its accounts is then of who has them.

    ``accounts`` are in it, ``owned`` of them by a rule of ownership that names them.
    """

    id: UUID
    cloud: str
    cloud_name: str
    feed: str | None
    accounts: int
    owned: int
