"""Bodies of published plans."""

from datetime import date, datetime

from gradumen.wire.catalogue.forms.plans import PlanForm
from gradumen.wire.values import Body


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
