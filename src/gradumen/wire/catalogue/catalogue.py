"""Bodies of the catalogue."""

from datetime import date, datetime
from typing import Any
from uuid import UUID

from gradumen.wire.catalogue.forms.offers import OfferForm
from gradumen.wire.catalogue.forms.plans import PlanForm
from gradumen.wire.catalogue.forms.rate_cards import RateCardForm
from gradumen.wire.catalogue.forms.services import ServiceForm
from gradumen.wire.values import Body


class CatalogueFile(Body):
    """A catalogue file as it was written."""

    name: str
    content: str


class CatalogueFiles(Body):
    """Files to check, compare or publish together, for a seller."""

    organisation: str
    files: list[CatalogueFile]


class DifferenceBody(Body):
    """A value that changes."""

    path: str
    before: str | None
    after: str | None


class ChangeBody(Body):
    """What publishing does to one service, plan or rate card: new, new version, unchanged."""

    kind: str
    slug: str
    change: str
    version: int
    differences: list[DifferenceBody]


class ChangesBody(Body):
    """What publishing does, or did."""

    changes: list[ChangeBody]


class PublishedServiceBody(Body):
    """A service in its newest version, in its written form; ``seller`` is whose it is."""

    slug: str
    version: int
    published_at: datetime
    form: ServiceForm
    seller: str


class PublishedPlanBody(Body):
    """A plan in a version, in its written form.

    ``withdrawn`` has its tiers that are or will be withdrawn from sale, with the first day not sold. ``seller``
    offers the plan under these names; not ``offered``: only a subscription still has it.
    """

    slug: str
    version: int
    published_at: datetime
    form: PlanForm
    withdrawn: dict[str, date]
    seller: str
    recommended: str | None
    offered: bool


class OfferBody(Body):
    """What a seller offers of a plan, in its written form; ``lapsed`` are tiers that it may not sell any more."""

    seller: str
    plan: str
    version: int
    published_at: datetime
    form: OfferForm
    lapsed: list[str]


class RateCardVersionBody(Body):
    """A version of a rate card, in its written form."""

    number: int
    starts_on: date
    in_force: bool
    form: RateCardForm


class RateCardBody(Body):
    """A rate card with its versions in the order of their days."""

    id: UUID
    seller: str
    slug: str
    name: str
    currency: str
    buyers: str
    versions: list[RateCardVersionBody]


class VersionsBody(Body):
    """A plan with all its versions, oldest first."""

    kind: str
    slug: str
    versions: list[PublishedPlanBody]


class DifferencesBody(Body):
    """What differs between two versions."""

    differences: list[DifferenceBody]


class CatalogueDraftSave(Body):
    """A draft's form, complete or not."""

    organisation: str
    form: dict[str, Any]


class CatalogueDraftBody(Body):
    """A service, plan or rate card being written; ``version`` is its ETag."""

    kind: str
    slug: str
    form: dict[str, Any]
    version: int
    edited_by: str
    edited_at: datetime


class TierSaleUpdate(Body):
    """The first days on which a tier is not sold and not used any more; null takes them back."""

    withdrawn_on: date | None
    retired_on: date | None = None


class TierSaleBody(Body):
    """Until when a tier is sold and used, and how many subscriptions have it then."""

    plan: str
    tier: str
    withdrawn_on: date | None
    retired_on: date | None
    subscriptions: int
