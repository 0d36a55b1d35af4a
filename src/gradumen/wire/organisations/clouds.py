"""Bodies of clouds and the accounts in them."""

from datetime import date, datetime
from uuid import UUID

from gradumen.core.organisations.clouds import AccountState, CloudKind
from gradumen.wire.values import AsSet, Body, WholeNumber, YesOrNo


class CloudCreate(Body):
    """A cloud in which accounts are made for customers.

    ``site`` is where it runs: only who may use that site has accounts there; null is outside of all sites.
    ``secret`` is kept sealed and never told again. With ``shared`` sellers that buy from it may use it too.
    ``set_aside_for`` is the slug of the one below for whom alone it is, with all below that; null is for all.
    """

    slug: str
    name: str
    place: str | None = None
    site: UUID | None = None
    kind: CloudKind = CloudKind.ACCOUNT_SERVICE
    endpoint: str
    secret: str
    shared: YesOrNo = False
    set_aside_for: str | None = None


class CloudUpdate(AsSet, Body):
    """What is to be changed of a cloud, over the version that was read; what is left out stays."""

    version: WholeNumber
    name: str | None = None
    place: str | None = None
    site: UUID | None = None
    endpoint: str | None = None
    secret: str | None = None
    shared: YesOrNo | None = None
    set_aside_for: str | None = None


class CloudBody(Body):
    """A cloud that an organisation may have accounts made in.

    How one is reached that is another's, and for whom it is set aside, is not told.
    """

    id: UUID
    slug: str
    name: str
    owner: str
    owner_name: str
    place: str | None
    site: UUID | None
    site_name: str | None
    kind: CloudKind
    endpoint: str | None
    shared: bool
    set_aside_for: str | None
    version: int


class CloudTriedBody(Body):
    """What came of trying a cloud: whether it was reached, and what it said or what is missing."""

    reached: bool
    said: str


class CloudAccountBody(Body):
    """An account of an organisation in a cloud; ``external_id`` is the cloud's own.

    ``kept`` are the measures whose limits its cloud holds it to. What is used there is of ``project``, of one that was
    linked from the day ``billed_from`` on.
    """

    id: UUID
    cloud: str
    cloud_name: str
    name: str
    external_id: str | None
    state: AccountState
    kept: list[str]
    project: str | None
    billed_from: date | None
    changed_at: datetime
