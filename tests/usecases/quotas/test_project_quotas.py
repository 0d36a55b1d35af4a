"""Limits of projects under projects: each lies inside the nearest above that has one, and rivals never break that."""

import contextlib
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from decimal import Decimal
from itertools import cycle

import pytest

from gradumen.client import Client
from gradumen.core.errors import GradumenError, QuotaBelowGranted, QuotaExceeded, UnlimitedBelow
from gradumen.usecases.metering.limit_watch import watch_limits
from tests.conftest import Service
from tests.usecases.metering.test_uses import TIED
from tests.usecases.quotas.conftest import Sited
from tests.world import World, files, moment, reading


@pytest.fixture
def ines(world: World) -> Client:
    """Who keeps a school with a year and a class, and a club beside it; Saltmarsh may have 20 machines."""
    for holder in ("oxbow", "saltmarsh"):
        world.user("mara" if holder == "oxbow" else "edda").quotas.grant(holder, "machines", Decimal(20))
    ines = world.user("ines")
    for slug, parent in (("school", None), ("year", "school"), ("class", "year"), ("club", None)):
        ines.projects.create("saltmarsh", slug=slug, name=slug.title(), parent=parent)
    return ines


def give(client: Client, project: str, limit: int | None, measure: str = "machines") -> None:
    client.quotas.grant("saltmarsh", measure, None if limit is None else Decimal(limit), project=project)


def held(client: Client, measure: str = "machines") -> dict[str, tuple[int, int, str | None]]:
    """Limit, what is passed on of it, and inside what, by project; the organisation has no name here."""
    found = [each for each in client.quotas.list("saltmarsh") if each.measure == measure]
    return {each.project or "": (int(each.limit or 0), int(each.granted), each.inside) for each in found}


def under(client: Client, project: str, parent: str | None) -> None:
    [version] = [each.version for each in client.projects.list("saltmarsh") if each.slug == project]
    client.projects.change("saltmarsh", project, version=version, parent=parent)


def test_a_limit_lies_inside_the_nearest_above(ines: Client) -> None:
    give(ines, "school", 10)
    give(ines, "class", 4)
    give(ines, "club", 10)
    assert held(ines) == {"": (20, 20, None), "school": (10, 4, None), "class": (4, 0, "school"), "club": (10, 0, None)}
    with pytest.raises(QuotaExceeded, match="Class of Saltmarsh Ferries can have at most 10 machines: its 4 and the 6"):
        give(ines, "class", 11)
    with pytest.raises(QuotaBelowGranted, match="School of Saltmarsh Ferries has passed on or reserved 4 machines"):
        give(ines, "school", 3)
    # Between them, with a limit of its own, the year takes over what the class has.
    with pytest.raises(QuotaBelowGranted, match="take 1 back"):
        give(ines, "year", 3)
    give(ines, "year", 6)
    assert held(ines)["school"] == (10, 6, None) and held(ines)["year"] == (6, 4, "school")
    assert held(ines)["class"] == (4, 0, "year") and held(ines)[""] == (20, 20, None)
    # What is given above takes over what those below had of the organisation.
    give(ines, "club", 6)
    ines.projects.create("saltmarsh", slug="team", name="Team", parent="club")
    give(ines, "team", 4)
    give(ines, "school", 14)
    assert held(ines)[""] == (20, 20, None)


def test_what_is_given_above_takes_over_what_those_below_had_of_the_organisation(ines: Client) -> None:
    give(ines, "class", 8)
    give(ines, "club", 9)
    assert held(ines)[""] == (20, 17, None)
    with pytest.raises(QuotaExceeded, match="School of Saltmarsh Ferries can have at most 11 machines"):
        give(ines, "school", 12)
    give(ines, "school", 11)
    assert held(ines)[""] == (20, 20, None) and held(ines)["class"] == (8, 0, "school")


def test_a_project_moves_with_its_limits_where_they_fit(ines: Client) -> None:
    give(ines, "school", 10)
    give(ines, "class", 4)
    give(ines, "club", 5)
    with pytest.raises(QuotaExceeded, match=r"School of Saltmarsh Ferries has 10 machines, so .* 1 too many"):
        give(ines, "class", 6)
        under(ines, "club", "school")
    give(ines, "class", 5)
    under(ines, "club", "school")
    assert held(ines) == {"": (20, 10, None), "school": (10, 10, None), "class": (5, 0, "school"),
                          "club": (5, 0, "school")}  # fmt: skip
    give(ines, "school", 20)
    with pytest.raises(QuotaExceeded, match=r"Saltmarsh Ferries has 20 machines, so .* 5 too many"):
        under(ines, "club", None)
    give(ines, "school", 15)
    under(ines, "club", None)
    assert held(ines)["club"] == (5, 0, None)
    give(ines, "club", None, "storage")
    give(ines, "school", 5, "storage")
    with pytest.raises(UnlimitedBelow, match="1 of what is to be below it has none"):
        under(ines, "club", "school")


def test_at_a_site_too(ines: Client, world: World, sites: Sited) -> None:
    north, _ = sites
    world.mara.site_quotas.grant("oxbow", north.id, "machines", Decimal(20))
    world.user("edda").site_quotas.grant("saltmarsh", north.id, "machines", Decimal(10))
    there = ines.site_quotas
    there.grant("saltmarsh", north.id, "machines", Decimal(6), project="school")
    there.grant("saltmarsh", north.id, "machines", Decimal(4), project="class")
    there.grant("saltmarsh", north.id, "machines", Decimal(4), project="club")
    granted = {each.project: each.granted for each in there.list("saltmarsh") if each.site == north.id}
    assert granted == {None: 10, "school": 4, "class": 0, "club": 0}
    with pytest.raises(QuotaExceeded, match="at most 6 machines at North Fell: its 4 and the 2 that School"):
        there.grant("saltmarsh", north.id, "machines", Decimal(7), project="class")
    assert there.grant("saltmarsh", north.id, "machines", Decimal(3), project="class").limit == 3, "set again"
    give(ines, "year", 3)
    with pytest.raises(QuotaExceeded, match="Year of Saltmarsh Ferries has 3 machines in all, so 4 machines at North"):
        there.grant("saltmarsh", north.id, "machines", Decimal(4), project="class")
    with pytest.raises(QuotaBelowGranted):
        there.grant("saltmarsh", north.id, "machines", None, project="school")
    with pytest.raises(QuotaExceeded, match="School of Saltmarsh Ferries has 6 machines"):
        under(ines, "club", "school")
    there.grant("saltmarsh", north.id, "machines", None, project="class")
    under(ines, "club", "school")


def test_use_counts_for_all_that_it_is_under(ines: Client, world: World, service: Service) -> None:
    world.mara.catalogue.publish("tarnwick", files(TIED))
    world.mara.clock.set(moment("2026-10-05 12:30"), held=True)
    for holder, client in (("oxbow", world.mara), ("saltmarsh", world.user("edda"))):
        client.quotas.grant(holder, "processors", Decimal(40))
    give(ines, "school", 5, "processors")
    hour = {"start": "2026-10-05T10:00:00Z", "end": "2026-10-05T11:00:00Z"}
    world.send(
        *(reading(each, owner=f"saltmarsh/{each}", resource=each, quantity="3", **hour) for each in ("year", "class"))
    )
    with service.worker.gate:
        watch_limits(service.uow, at=datetime.now(UTC))
    [breach] = ines.breaches.list("saltmarsh", state="open")
    assert (breach.project, breach.used, breach.limit) == ("school", Decimal(6), Decimal(5))


def test_rivals_never_give_more_than_there_is(ines: Client, world: World) -> None:
    """Grants at three levels and moves between two, at once: whatever is refused, all lies inside what is above."""
    give(ines, "school", 8)
    give(ines, "club", 8)
    acts = cycle([lambda: give(ines, "class", 5), lambda: under(ines, "class", "club"), lambda: give(ines, "year", 6),
                  lambda: under(ines, "class", "year"), lambda: give(ines, "club", 4), lambda: give(ines, "class", 7),
                  lambda: give(ines, "school", 9), lambda: give(ines, "club", 9)])  # fmt: skip
    done = 0
    with ThreadPoolExecutor(8) as threads:
        for _ in range(6):
            asked = [threads.submit(next(acts)) for _ in range(8)]
            for each in asked:
                with contextlib.suppress(GradumenError):
                    each.result()
                    done += 1
            found = held(ines)
            assert all(granted <= limit for limit, granted, _ in found.values()), found
            inside: dict[str, int] = {}
            for name, (limit, _, above) in found.items():
                if name:
                    inside[above or ""] = inside.get(above or "", 0) + limit
            assert all(found[name][1] == total for name, total in inside.items()), found
    assert done > 10
