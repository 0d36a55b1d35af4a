"""gradumen spend: by what one chooses, the charges behind it, and beside documents."""

import json
from datetime import date

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.world import GIB, World, egress, reading

__all__ = ["profiles", "terminal"]


def used(world: World) -> None:
    world.send(
        egress("q", 300 * GIB, owner="quillstone/archive", resource="plates"),
        egress("s", 100 * GIB, owner="saltmarsh/booking"),
        reading("v"),
    )


def test_spend_is_shown_with_change_margin_and_what_is_billed(terminal: Terminal, world: World) -> None:
    used(world)
    month = ("--month", "2026-09", "--wait", "60")
    shown = terminal("spend", "show", *month)
    assert "Sold by Tarnwick Cloud, 2026-09-01 to 2026-09-30, net of tax" in shown
    assert "change is against 2026-08-01 to 2026-08-31" in shown
    for word in ("Compute", "Fees and discounts", "MARGIN", "CHANGE", "in all", "to bill"):
        assert word in shown
    assert all(len(line) <= 100 for line in shown.splitlines())
    days = terminal("spend", "show", "--by", "buyer", "--by", "day", "--top", "1", *month)
    assert "the rest (" in days or "Quillstone" in days
    assert "CHANGE" not in days and "change is against" not in days
    found = json.loads(terminal("spend", "show", "--by", "resource", "--only", "resource:plates", *month, "--json"))
    assert [row["keys"][0]["id"] for row in found["currencies"][0]["rows"]] == ["plates"]
    assert "nothing is charged in these days" in terminal("spend", "show", "--from", "2025-01-01", "--to", "2025-01-31")


def test_a_charge_is_listed_and_explained(terminal: Terminal, world: World) -> None:
    used(world)
    terminal("spend", "show", "--month", "2026-09", "--wait", "60")
    listed = terminal("spend", "charges", "--month", "2026-09", "--only", "service:network", "--limit", "1")
    assert "the largest 1; see more with --limit" in listed
    charge = next(word for word in listed.split() if word.startswith("tarnwick."))
    explained = terminal("spend", "explain", charge)
    assert "Network: Data sent out" in explained and "rate 'egress' of" in explained and "on documents:" in explained
    assert "nothing is charged" in terminal("spend", "charges", "--month", "2025-01")


def test_documents_period_and_spend_stand_beside_each_other(terminal: Terminal, world: World) -> None:
    used(world)
    open_month = json.loads(terminal("spend", "compare", "2026-09", "--wait", "60", "--json"))
    assert {each["buyer"] for each in open_month} >= {"oxbow", "quillstone"}
    assert all(
        each["period"] == each["spend"] != each["documents"] == "0" for each in open_month if each["spend"] != "0"
    )
    world.close("tarnwick", "finn", "2026-09")
    for each in json.loads(terminal("spend", "compare", "2026-09", "--json")):
        assert each["documents"] == each["period"] == each["spend"], each
    said = terminal("spend", "compare", "2026-09")
    assert "period and spend are the same" in said and "Quillstone".lower() in said
    assert world.mara.spend.show("tarnwick", first=date(2026, 9, 1), end=date(2026, 10, 1)).currencies


def test_days_that_do_not_belong_together_are_refused(terminal: Terminal) -> None:
    assert "--from and --to belong together" in terminal("spend", "show", "--from", "2026-09-01", exit=1)
    both = ("--month", "2026-09", "--from", "2026-09-01", "--to", "2026-09-02")
    assert "give --month, or --from and --to" in terminal("spend", "show", *both, exit=1)
    assert "spend has no dimension 'colour'" in terminal("spend", "show", "--by", "colour", exit=1)
