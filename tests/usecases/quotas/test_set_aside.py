"""What is set aside for one alone, at sites and in clouds, and projects that are held to sites."""

from decimal import Decimal

import pytest

from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound, QuotaExceeded
from gradumen.demo.clouds import SimulatedCloud
from gradumen.wire.organisations.sites import SiteCreate
from gradumen.wire.quotas.pools import PoolCreate
from tests.usecases.quotas.conftest import Sited
from tests.usecases.subscriptions.stepping import asked, registered
from tests.world import World


def machines(world: World, of: str, sites: Sited, limit: int | None, **more: object) -> None:
    signer = world.user("edda") if of in ("saltmarsh", "thistledown") else world.mara
    signer.site_quotas.grant(of, sites[0].id, "machines", None if limit is None else Decimal(limit), **more)


def test_a_pool_is_for_one_and_all_below_and_the_rest_is_shared(world: World, sites: Sited) -> None:
    """60 machines at North Fell, of which the 40 of Old Hall are for Saltmarsh alone."""
    mara, edda = world.mara, world.user("edda")
    for organisation in ("quillstone", "oxbow"):
        mara.quotas.grant(organisation, "machines", Decimal(60))
    for organisation in ("saltmarsh", "thistledown"):
        edda.quotas.grant(organisation, "machines", Decimal(30))
    old = next(each for each in mara.pools.list("tarnwick") if each.slug == "old-hall")
    machines(world, "quillstone", sites, 25)
    with pytest.raises(Conflict, match="5 machines more are promised to others at North Fell than that leaves"):
        mara.pools.change(old.id, 1, set_aside_for="saltmarsh")
    machines(world, "quillstone", sites, 15)
    kept = mara.pools.change(old.id, 1, set_aside_for="saltmarsh")
    assert (kept.set_aside_for, kept.version) == ("saltmarsh", 2)
    with pytest.raises(QuotaExceeded, match="at most 20 machines at North Fell: the rest is set aside for others"):
        machines(world, "quillstone", sites, 21)
    machines(world, "oxbow", sites, 45)
    with pytest.raises(QuotaExceeded, match="at most 15 machines at North Fell"):
        machines(world, "quillstone", sites, 16)
    with pytest.raises(QuotaExceeded, match="at most 45 machines at North Fell"):
        machines(world, "oxbow", sites, 46)
    with pytest.raises(Conflict, match="that pool is set aside for somebody else"):
        machines(world, "quillstone", sites, 5, pool=old.id)
    machines(world, "oxbow", sites, 40, pool=old.id, label="The old ones")
    machines(world, "saltmarsh", sites, 30)
    machines(world, "saltmarsh", sites, 30, pool=old.id)
    machines(world, "thistledown", sites, 10)
    with pytest.raises(Conflict, match="that pool is set aside for somebody else"):
        machines(world, "thistledown", sites, 5, pool=old.id)
    with pytest.raises(Conflict, match="2 others have limits of Old Hall; take them back first"):
        mara.pools.change(old.id, 2, set_aside_for="quillstone")
    assert mara.pools.change(old.id, 2, set_aside_for=None).set_aside_for is None
    for wrong in ("tarnwick", "nobody"):
        with pytest.raises(NotFound):
            mara.pools.change(old.id, 3, set_aside_for=wrong)
    told = edda.connection.http.get("organisations/oxbow/site-quotas").text
    assert "set_aside" not in told


def test_a_first_pool_is_set_aside_only_where_nobody_else_has_anything(world: World, sites: Sited) -> None:
    south = sites[1]
    world.mara.site_quotas.grant("oxbow", south.id, "machines", Decimal(5))
    given = PoolCreate(site=south.id, slug="dry-dock", name="Dry Dock", measure="machines", capacity=Decimal(9))
    with pytest.raises(Conflict, match="5 machines more are promised to others"):
        world.mara.pools.make("tarnwick", given.model_copy(update={"set_aside_for": "quillstone"}))
    assert world.mara.pools.make("tarnwick", given.model_copy(update={"set_aside_for": "saltmarsh"})).left == 4


def test_a_cloud_is_for_one_and_all_below(world: World, cloud_server: SimulatedCloud) -> None:
    made = registered(world, cloud_server, set_aside_for="quillstone")
    assert world.user("edda").clouds.list("oxbow") == [], "whose it is not does not know of it"
    with pytest.raises(Invalid, match="no cloud in which you make accounts is called 'north-fell'"):
        asked(world, "gull")
    world.mara.clouds.change(made.id, 1, set_aside_for="saltmarsh")
    [shown] = world.user("edda").clouds.list("oxbow")
    assert shown.set_aside_for is None, "for whom is its owner's to know"
    with pytest.raises(Invalid, match="set aside for somebody else"):
        asked(world, "gull")
    assert world.mara.clouds.change(made.id, 2, set_aside_for="oxbow").set_aside_for == "oxbow"
    assert asked(world, "gull").onboarding is not None


def test_a_project_is_held_to_sites_of_its_organisations(world: World, sites: Sited) -> None:
    north, south = sites
    edda, ines = world.user("edda"), world.user("ines")
    other = world.mara.sites.register("tarnwick", SiteCreate(slug="ombry", name="Ombry"))
    world.user("edda").quotas.grant("saltmarsh", "machines", Decimal(25))
    for site in (north, south):
        world.mara.site_quotas.grant("oxbow", site.id, "machines", Decimal(20))
        edda.site_quotas.grant("saltmarsh", site.id, "machines", Decimal(10))
    world.mara.site_quotas.permit("oxbow", [north.id, south.id])
    assert ines.site_quotas.permitted("saltmarsh", "booking") is None
    ines.site_quotas.permit("saltmarsh", [north.id], project="booking")
    assert ines.site_quotas.permitted("saltmarsh", "booking") == [north.id]
    with pytest.raises(Conflict, match="Booking is held to other sites than South Quay"):
        ines.site_quotas.grant("saltmarsh", south.id, "machines", Decimal(2), project="booking")
    ines.site_quotas.grant("saltmarsh", north.id, "machines", Decimal(2), project="booking")
    ines.site_quotas.grant("saltmarsh", south.id, "machines", Decimal(2), project="harbour")
    with pytest.raises(Conflict, match="Booking has limits at North Fell"):
        ines.site_quotas.permit("saltmarsh", [south.id], project="booking")
    for wrong in ([], [other.id]):
        with pytest.raises(Invalid):
            ines.site_quotas.permit("saltmarsh", wrong, project="booking")
    with pytest.raises(Forbidden):
        world.user("vera").site_quotas.permit("saltmarsh", None, project="booking")
    ines.site_quotas.permit("saltmarsh", None, project="booking")
    entry = next(each for each in ines.audit_entries.list("saltmarsh") if each.action == "permitted sites set")
    assert (entry.before, entry.after) == ({"sites": ["north-fell"]}, {"sites": "all"})
