"""Projects as a tree: where they may stand, what is changed over what was read, and spend by levels and cost centres."""

from datetime import date
from decimal import Decimal

import pytest

from gradumen.client import Client
from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid, NotFound
from tests.world import World, moment, reading


def tree(client: Client, organisation: str) -> list[tuple[str, int, str | None]]:
    return [(each.slug, each.level, each.parent) for each in client.projects.list(organisation)]


def test_a_tree_is_built_moved_and_never_a_circle(world: World) -> None:
    ines = world.user("ines")
    ines.projects.create("saltmarsh", slug="pier", name="Pier", parent="harbour")
    ines.projects.create("saltmarsh", slug="berth", name="Berth", parent="pier")
    assert tree(ines, "saltmarsh") == [
        ("booking", 1, None),
        ("harbour", 1, None),
        ("pier", 2, "harbour"),
        ("berth", 3, "pier"),
    ]
    with pytest.raises(Conflict, match="under itself"):
        ines.projects.change("saltmarsh", "harbour", version=1, parent="berth")
    with pytest.raises(Conflict, match="under itself"):
        ines.projects.change("saltmarsh", "pier", version=1, parent="pier")
    with pytest.raises(NotFound):
        ines.projects.change("saltmarsh", "pier", version=1, parent="archive")
    moved = ines.projects.change("saltmarsh", "pier", version=1, parent="booking", name="The pier")
    assert (moved.name, moved.level, moved.version) == ("The pier", 2, 2)
    with pytest.raises(EditedMeanwhile):
        ines.projects.change("saltmarsh", "pier", version=1, parent=None)
    assert ines.projects.change("saltmarsh", "pier", version=2, parent=None).level == 1
    ines.projects.create("saltmarsh", slug="rope", name="Rope", parent="berth")
    ines.projects.create("saltmarsh", slug="knot", name="Knot", parent="rope")
    with pytest.raises(Conflict, match="that would be level 5, and there are 4"):
        ines.projects.create("saltmarsh", slug="end", name="End", parent="knot")
    with pytest.raises(Conflict, match="that would be level 5"):
        ines.projects.change("saltmarsh", "pier", version=3, parent="harbour")
    entry = next(each for each in ines.audit_entries.list("saltmarsh") if each.action == "project changed")
    assert (entry.subject, entry.after) == ("saltmarsh/pier", {"under": None})


def test_levels_are_named_by_the_organisation_itself(world: World) -> None:
    ines = world.user("ines")
    ines.projects.create("saltmarsh", slug="pier", name="Pier", parent="harbour")
    assert ines.projects.levels("saltmarsh") == []
    with pytest.raises(Conflict, match="projects on level 2"):
        ines.projects.set_levels("saltmarsh", ["Quay"])
    assert ines.projects.set_levels("saltmarsh", ["Quay", "  Pier  "]) == ["Quay", "Pier"]
    with pytest.raises(Conflict, match="that would be level 3, and there are 2"):
        ines.projects.create("saltmarsh", slug="berth", name="Berth", parent="pier")
    for wrong in (["A", "a"], list("ABCDE"), [""]):
        with pytest.raises(Invalid):
            ines.projects.set_levels("saltmarsh", wrong)
    assert world.user("edda").projects.levels("saltmarsh") == ["Quay", "Pier"]
    with pytest.raises(Forbidden):
        world.user("edda").projects.set_levels("saltmarsh", [])
    assert ines.projects.set_levels("saltmarsh", []) == []


def spent(client: Client, by: str) -> dict[str, Decimal]:
    found = client.spend.show("saltmarsh", by=[by], first=date(2026, 9, 1), end=date(2026, 11, 1), wait=60)
    return {row.keys[0].id or "": row.amount for each in found.currencies for row in each.rows if row.amount}


def test_spend_adds_up_over_the_tree_and_each_day_has_its_cost_centre(world: World) -> None:
    ines = world.user("ines")
    ines.projects.create("saltmarsh", slug="pier", name="Pier", cost_centre="1002", parent="harbour")
    world.mara.clock.set(moment("2026-10-06 12:00"), held=True)
    for number, (owner, day) in enumerate(
        (("harbour", "10-01"), ("pier", "10-02"), ("pier", "10-05"), ("booking", "10-03"))
    ):
        span = {"start": f"2026-{day}T10:00:00Z", "end": f"2026-{day}T12:00:00Z"}
        world.send(reading(str(number), owner=f"saltmarsh/{owner}", resource=owner, **span))
    of = spent(ines, "project")
    whole = spent(ines, "level-1")
    assert whole["saltmarsh/harbour"] == of["saltmarsh/harbour"] + of["saltmarsh/pier"]
    assert whole["saltmarsh/booking"] == of["saltmarsh/booking"] == spent(ines, "level-3")["saltmarsh/booking"]
    assert spent(ines, "level-2") == of, "what is higher up is there as itself"
    assert sum(whole.values()) == sum(of.values())

    before = spent(ines, "cost-centre")
    assert before["1002"] == of["saltmarsh/pier"]
    world.mara.clock.set(moment("2026-10-05 12:00"), held=True)
    ines.projects.change("saltmarsh", "pier", version=1, cost_centre="2002")
    ines.organisations.change("saltmarsh", cost_centre="9")
    after = spent(ines, "cost-centre")
    assert after["1002"] == Decimal("0.152"), "eight hours of the 2nd by what it was"
    assert after["1002"] + after["2002"] == of["saltmarsh/pier"], "the 5th, with the line's rounding, by what it is"
    assert after["9"] > 0, "fees of the days from the 5th on"
    assert sum(after.values()) == sum(before.values())
    ines.projects.change("saltmarsh", "pier", version=2, cost_centre="1002")
    assert spent(ines, "cost-centre")["1002"] == of["saltmarsh/pier"], "changed back on the same day"
