"""Sites with pools, for what is limited there."""

from decimal import Decimal

import pytest

from gradumen.wire.organisations.sites import SiteBody, SiteCreate
from gradumen.wire.quotas.pools import PoolBody, PoolCreate
from tests.world import World

Sited = tuple[SiteBody, SiteBody]


@pytest.fixture
def sites(world: World) -> Sited:
    """North Fell with pools of 40 and 20 machines, and South Quay without any; Oxbow has 50 machines in all."""
    north = world.mara.sites.register(
        "tarnwick", SiteCreate(slug="north-fell", name="North Fell", zone="Europe/Dublin")
    )
    south = world.mara.sites.register("tarnwick", SiteCreate(slug="south-quay", name="South Quay"))
    world.mara.quotas.grant("oxbow", "machines", Decimal(50))
    for slug, capacity, factor in (("old-hall", "40", None), ("new-hall", "10", Decimal(2))):
        pool(world, north, slug, Decimal(capacity), factor)
    return north, south


def pool(world: World, site: SiteBody, slug: str, capacity: Decimal, factor: Decimal | None = None) -> PoolBody:
    given = PoolCreate(site=site.id, slug=slug, name=slug.replace("-", " ").title(), measure="machines",
                       capacity=capacity, factor=factor, behind="Rack 7")  # fmt: skip
    return world.mara.pools.make("tarnwick", given)
