"""A month of which not all is here is closed in the console with a reason, after what lacks was read."""

from playwright.sync_api import expect

from gradumen.client.metering.readings import told_event
from tests.console.conftest import Tab
from tests.usecases.metering.test_held import COMPUTE, SOURCE, event
from tests.world import World, files, moment


def test_a_month_is_closed_all_the_same_for_a_reason(tab: Tab, world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(COMPUTE))
    world.send(event("made", "1", "2026-09-20 08:00", "awake"), told_event(SOURCE, "t", moment("2026-09-29 10:00")))
    tab.expected.append("409")
    tab.sign_in("mara")
    tab.go("/bill-runs?period=2026-09", "Closing a month")
    tab.page.get_by_role("button", name="Make drafts of September 2026").click()
    told = tab.page.get_by_role("alert")
    expect(told).to_contain_text("all is here until 2026-09-29 10:00 UTC, a resource is still there")
    anyway = told.get_by_role("button", name="Close it all the same")
    expect(anyway).to_be_disabled()
    told.get_by_label("Reason").fill("The site is cut off until Friday")
    tab.accessible()
    anyway.click()
    runs = tab.page.get_by_role("table", name="Bill runs")
    expect(runs).to_contain_text("closed early: The site is cut off until Friday")
    expect(tab.page.get_by_role("link", name="to review").first).to_be_visible(timeout=30_000)
