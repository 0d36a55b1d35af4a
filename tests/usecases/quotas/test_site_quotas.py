"""Sites, pools and limits there: within the limit of all sites, given down the chain, and nobody else's business."""

from datetime import date
from decimal import Decimal

import pytest

from gradumen.core.errors import (
    Conflict,
    EditedMeanwhile,
    Forbidden,
    Invalid,
    NotFound,
    QuotaBelowGranted,
    QuotaExceeded,
)
from gradumen.core.permissions import Role
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.organisations.sites import SiteCreate
from gradumen.wire.quotas.pools import PoolCreate
from tests.usecases.quotas.conftest import Sited
from tests.world import World, join


def limits(world: World, user: str, organisation: str) -> dict[tuple[str, str | None], tuple[Decimal | None, Decimal]]:
    """By site and pool: limit and what is passed on."""
    found = world.user(user).site_quotas.list(organisation)
    return {(each.site_slug, each.pool_name): (each.limit, each.granted) for each in found if each.project is None}


def test_a_site_has_what_its_pools_have_and_it_flows_down(world: World, sites: Sited) -> None:
    north, south = sites
    mara, edda, ines = world.mara, world.user("edda"), world.user("ines")
    assert limits(world, "mara", "tarnwick") == {
        ("north-fell", None): (Decimal(60), Decimal(0)),
        ("north-fell", "Old Hall"): (Decimal(40), Decimal(0)),
        ("north-fell", "New Hall"): (Decimal(20), Decimal(0)),
    }
    mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(30))
    with pytest.raises(QuotaExceeded, match="at most 30 machines at North Fell: its 0 and the 30 that Tarnwick Cloud"):
        mara.site_quotas.grant("quillstone", north.id, "machines", Decimal(31))
    with pytest.raises(QuotaExceeded, match="Oxbow Managed IT has 50 machines in all, so 51 machines at North Fell"):
        mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(51))
    with pytest.raises(QuotaExceeded, match="has 0 machines in all"):
        edda.site_quotas.grant("saltmarsh", north.id, "machines", Decimal(1))
    edda.quotas.grant("saltmarsh", "machines", Decimal(25))
    assert edda.site_quotas.grant("saltmarsh", north.id, "machines", Decimal(20), label="Moor").left == 20
    with pytest.raises(QuotaBelowGranted, match="passed on or reserved 20 machines at North Fell, so 19 are too few"):
        mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(19))
    with pytest.raises(QuotaBelowGranted, match="20 machines at one site, so 19 in all are too few"):
        edda.quotas.grant("saltmarsh", "machines", Decimal(19))
    ines.site_quotas.grant("saltmarsh", north.id, "machines", Decimal(6), project="booking")
    with pytest.raises(QuotaExceeded, match="at most 14 machines at North Fell"):
        ines.site_quotas.grant("saltmarsh", north.id, "machines", Decimal(15), project="harbour")
    # At a site without pools nothing bounds the owner; who has none there itself gives none on.
    with pytest.raises(Conflict, match="has no limit at South Quay itself"):
        edda.site_quotas.grant("saltmarsh", south.id, "machines", Decimal(1))
    assert mara.site_quotas.grant("oxbow", south.id, "machines", Decimal(45)).limit == 45
    assert edda.site_quotas.grant("saltmarsh", south.id, "machines", Decimal(1)).limit == 1
    with pytest.raises(Invalid, match="its pools say what there is"):
        mara.site_quotas.grant("tarnwick", north.id, "machines", Decimal(1))
    with pytest.raises(Invalid, match="users are at no site"):
        mara.site_quotas.grant("oxbow", north.id, "users", Decimal(1))
    history = [(each.site, each.limit, each.released) for each in edda.quotas.changes("saltmarsh", measure="machines")]
    assert ("North Fell", Decimal(20), False) in history and (None, Decimal(25), False) in history


def test_a_pool_lies_inside_its_site_and_is_called_as_its_giver_calls_it(world: World, sites: Sited) -> None:
    north, _ = sites
    mara, edda = world.mara, world.user("edda")
    old = next(each for each in mara.pools.list("tarnwick") if each.slug == "old-hall")
    with pytest.raises(QuotaExceeded, match="0 machines at North Fell, so 5 machines of Old Hall"):
        mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(5), pool=old.id)
    mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(30))
    mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(12), pool=old.id, label="Fast ones")
    with pytest.raises(QuotaBelowGranted, match="12 machines of a pool at North Fell"):
        mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(11))
    told = edda.connection.http.get("organisations/oxbow/site-quotas").text
    assert "Fast ones" in told and "Old Hall" not in told and "Rack" not in told
    # Further down, in refusals, on record and in the history it is what its giver calls it, too.
    edda.quotas.grant("saltmarsh", "machines", Decimal(20))
    edda.site_quotas.grant("saltmarsh", north.id, "machines", Decimal(20))
    edda.site_quotas.grant("saltmarsh", north.id, "machines", Decimal(3), pool=old.id)
    with pytest.raises(QuotaExceeded, match="at most 12 machines of Fast ones"):
        edda.site_quotas.grant("saltmarsh", north.id, "machines", Decimal(13), pool=old.id)
    records = [each for each in edda.audit_entries.list("oxbow") if each.action == "quota set"]
    assert [(each.before, each.after) for each in records if "Fast ones" in each.subject] == [
        ({"limit": None}, {"limit": "3"}), ({"limit": None}, {"limit": "12"}),
    ]  # fmt: skip
    mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(14), pool=old.id)
    newest = edda.audit_entries.list("oxbow")[0]
    assert (newest.before, newest.after) == ({"limit": "12"}, {"limit": "14"}), (
        "a change of what was there is on record"
    )
    for user, organisation in (("edda", "oxbow"), ("ines", "saltmarsh")):
        http = world.user(user).connection.http
        paths = ("site-quotas", "quotas/changes", "audit-entries")
        told = "".join(http.get(f"organisations/{organisation}/{path}").text for path in paths)
        assert "Fast ones" in told and "Old Hall" not in told, (user, told)
    edda.site_quotas.grant("saltmarsh", north.id, "machines", None, pool=old.id)
    edda.site_quotas.grant("saltmarsh", north.id, "machines", None)
    with pytest.raises(Conflict, match="limits of Old Hall are given"):
        mara.pools.retire(old.id)
    mara.site_quotas.grant("oxbow", north.id, "machines", None, pool=old.id)
    mara.site_quotas.grant("oxbow", north.id, "machines", None)
    assert limits(world, "edda", "oxbow") == {("north-fell", None): (Decimal(0), Decimal(0))}, "its giver is limited"
    mara.pools.retire(old.id)
    mara.pools.retire(old.id)
    assert limits(world, "mara", "tarnwick")["north-fell", None] == (Decimal(20), Decimal(0))


def test_less_than_is_promised_stops_what_is_more_and_nothing_else(world: World, sites: Sited) -> None:
    north, _ = sites
    mara = world.mara
    mara.quotas.grant("quillstone", "machines", Decimal(40))
    mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(30))
    mara.site_quotas.grant("quillstone", north.id, "machines", Decimal(25))
    old = next(each for each in mara.pools.list("tarnwick") if each.slug == "old-hall")
    shrunk = mara.pools.change(old.id, old.version, capacity=Decimal(25))
    assert (shrunk.left, shrunk.at_site) == (-10, 55)
    [told] = [each for each in mara.to_dos.list("tarnwick") if each.kind == "pool"]
    assert told.title == "10 machines more are promised at North Fell than there are"
    with pytest.raises(QuotaExceeded, match="at most 20 machines"):
        mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(31))
    assert mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(24)).limit == 24, "less is never refused"
    with pytest.raises(EditedMeanwhile):
        mara.pools.change(old.id, old.version, capacity=Decimal(99))
    mara.quotas.grant("oxbow", "storage", Decimal(10))
    south = sites[1]
    mara.site_quotas.grant("oxbow", south.id, "storage", Decimal(8))
    with pytest.raises(Conflict, match="8 are promised at South Quay already"):
        given = PoolCreate(site=south.id, slug="discs", name="Discs", measure="storage", capacity=Decimal(7))
        mara.pools.make("tarnwick", given)


def test_who_may_use_which_site(world: World, sites: Sited) -> None:
    north, south = sites
    mara, edda = world.mara, world.user("edda")

    def seen(user: str, organisation: str) -> list[str]:
        return [each.slug for each in world.user(user).sites.list(organisation)]

    assert seen("ines", "saltmarsh") == ["north-fell", "south-quay"]
    mara.site_quotas.permit("oxbow", [north.id])
    assert mara.site_quotas.permitted("oxbow") == [north.id]
    assert seen("edda", "oxbow") == seen("ines", "saltmarsh") == ["north-fell"]
    with pytest.raises(Invalid, match="none that its seller may use itself"):
        edda.site_quotas.permit("saltmarsh", [south.id])
    with pytest.raises(NotFound):
        mara.site_quotas.grant("oxbow", south.id, "machines", Decimal(1))
    mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(3))
    with pytest.raises(Conflict, match="have limits at North Fell; take them back first"):
        mara.site_quotas.permit("oxbow", [south.id])
    with pytest.raises(Invalid, match="one site at least"):
        mara.site_quotas.permit("oxbow", [])
    with pytest.raises(Forbidden):
        edda.site_quotas.permit("oxbow", None)
    mara.site_quotas.permit("oxbow", None)
    own = edda.sites.register("oxbow", SiteCreate(slug="barn", name="The Barn"))
    assert seen("ines", "saltmarsh") == ["barn", "north-fell", "south-quay"]
    assert seen("mara", "saltmarsh") == ["north-fell", "south-quay"], (
        "a seller's own site is not its supplier's business"
    )
    assert "barn" not in seen("una", "quillstone")
    with pytest.raises(NotFound):
        mara.sites.change(own.id, own.version, name="Mine")
    with pytest.raises(Forbidden):
        mara.pools.list("oxbow")
    mara.quotas.grant("oxbow", "storage", Decimal(9))
    edda.quotas.grant("saltmarsh", "storage", Decimal(9))
    edda.site_quotas.grant("saltmarsh", own.id, "storage", Decimal(4))
    edda.sites.retire(own.id)
    edda.sites.retire(own.id)
    assert "barn" not in seen("edda", "oxbow")
    with pytest.raises(NotFound):
        edda.site_quotas.grant("saltmarsh", own.id, "storage", Decimal(5))
    with pytest.raises(QuotaBelowGranted, match="4 GiB at one site"):
        edda.quotas.grant("saltmarsh", "storage", Decimal(3))
    edda.site_quotas.grant("saltmarsh", own.id, "storage", None)
    assert edda.quotas.grant("saltmarsh", "storage", Decimal(3)).limit == 3


def test_a_move_takes_limits_at_sites_along(world: World, sites: Sited) -> None:
    north, south = sites
    mara, edda = world.mara, world.user("edda")
    mara.organisations.create(
        OrganisationCreate(parent="tarnwick", type="reseller", slug="bluefern", name="Bluefern", country="BE",
                           currency="EUR", billing_zone="Europe/Brussels")
    )  # fmt: skip
    join(world, "mara", "bluefern", "ruben@bluefern.example", Role.ADMINISTRATOR)
    mara.quotas.grant("bluefern", "machines", Decimal(9))
    edda.quotas.grant("thistledown", "machines", Decimal(5))
    mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(30))
    edda.site_quotas.grant("thistledown", north.id, "machines", Decimal(4))

    def against() -> list[str]:
        return mara.moves.plan("thistledown", "bluefern", date(2026, 11, 1), "why", check=True).hindrances

    assert against() == [
        "Thistledown Clinic can have at most 0 machines at North Fell: its 0 and the 0 that Bluefern has free"
    ]
    mara.site_quotas.permit("bluefern", [south.id])
    assert against() == ["Thistledown Clinic has limits at a site that Bluefern may not use"]
    mara.site_quotas.permit("bluefern", None)
    mara.site_quotas.grant("bluefern", north.id, "machines", Decimal(4))
    assert against() == []
