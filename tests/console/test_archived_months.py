"""Months of readings are archived and brought back in a real browser."""

from playwright.sync_api import expect

from tests.console.conftest import Tab
from tests.world import World, egress, moment


def test_months_are_archived_and_brought_back(tab: Tab, world: World) -> None:
    page = tab.page
    world.send(egress("a", 5), egress("b", 6, start="2026-09-11T00:00:00Z", end="2026-09-11T06:00:00Z"))
    world.mara.clock.set(moment("2027-01-02"), held=True)
    tab.sign_in("mara")
    tab.go("/record/kept", "What is kept")
    expect(page.get_by_text("No readings are archived.")).to_be_visible()
    page.get_by_role("button", name="Archive or bring back").click()
    page.get_by_role("combobox", name="Archived is what was measured").click()
    page.get_by_role("option", name="before October 2026").click()
    tab.accessible(dark=True)
    page.get_by_role("button", name="Move them").click()
    fixed = page.get_by_text("What was measured before October 2026 is archived, and its usage fixed.", exact=True)
    expect(fixed).to_be_visible(timeout=20_000)
    row = page.get_by_role("table", name="Months of readings").get_by_role("row", name="September 2026")
    expect(row).to_contain_text("2")
    tab.accessible(dark=True)
    page.get_by_role("button", name="Archive or bring back").click()
    page.get_by_role("combobox", name="Archived is what was measured").click()
    page.get_by_role("option", name="nothing").click()
    page.get_by_role("button", name="Move them").click()
    expect(page.get_by_text("No readings are archived.", exact=True)).to_be_visible(timeout=20_000)


def test_it_is_the_providers(tab: Tab, world: World) -> None:
    tab.sign_in("edda")
    tab.go("/record/kept", "What is kept")
    expect(tab.page.get_by_role("table", name="What is kept")).to_be_visible()
    expect(tab.page.get_by_text("Readings by month")).to_have_count(0)
