"""The page of a resource: found from what was used, with what it was when, and what feeds said."""

from playwright.sync_api import expect

from gradumen.client.metering.readings import told_event
from tests.console.conftest import Tab
from tests.usecases.metering.test_held import COMPUTE, SOURCE, event
from tests.world import World, egress, files, moment, reading


def test_a_resource_is_found_by_what_was_used_of_it(tab: Tab, world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(COMPUTE))
    world.send(
        event("made", "1", "2026-09-03 08:20", "awake", resource="rack/vm 1 & co"),
        event("phase-changed", "2", "2026-09-10 10:50", "parked", resource="rack/vm 1 & co"),
        told_event(SOURCE, "told", moment("2026-09-12")),
    )
    tab.sign_in("mara")
    tab.go("/usage?period=2026-09&meter=compute/running&by=resource&organisation=quillstone", "What was used")
    tab.page.get_by_role("link", name="rack/vm 1 & co").click()
    expect(tab.page.get_by_role("heading", name="rack/vm 1 & co")).to_be_visible()
    expect(tab.page.get_by_role("img", name="Compute: Running: 2 spells in September 2026")).to_be_visible()
    was = tab.page.get_by_role("grid", name="What it was, and when")
    expect(was.get_by_text("2026-09-12 00:00, goes on")).to_be_visible()
    expect(was.get_by_text("7 d 2 h 30 min")).to_be_visible()
    expect(tab.page.get_by_role("grid", name="What was said of it").get_by_text("tarnwick/north-fell")).to_have_count(2)
    tab.accessible()
    tab.accessible(dark=True)
    tab.page.get_by_role("link", name="What it cost").click()
    expect(tab.page.get_by_text("Resource: rack/vm 1 & co")).to_be_visible()


def test_a_resource_of_somebody_else_shows_nothing(tab: Tab, world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(COMPUTE))
    world.send(event("made", "1", "2026-09-03 08:20", "awake", resource="vm-q"))
    tab.sign_in("ines")
    tab.go("/usage/resource?name=vm-q&period=2026-09", "vm-q")
    expect(tab.page.get_by_text("Nothing of it was used in September 2026")).to_be_visible()
    expect(tab.page.get_by_text("What was said of it")).to_have_count(0)


def test_who_manages_feeds_has_a_month_made_again(tab: Tab, world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(COMPUTE))
    world.send(event("made", "1", "2026-09-03 08:20", "awake"))
    tab.sign_in_by_form("mara")
    tab.go("/usage?period=2026-09&meter=compute/running&organisation=quillstone", "What was used")
    tab.page.get_by_role("button", name="Make it again").click()
    expect(tab.page.get_by_text("Usage of September 2026 is made again from what came in")).to_be_visible()
    tab.sign_out()
    tab.sign_in("vera")
    tab.go("/usage?period=2026-09", "What was used")
    expect(tab.page.get_by_role("button", name="Make it again")).to_have_count(0)


def test_what_several_feeds_measure_stands_together(tab: Tab, world: World) -> None:
    world.mara.feeds.create("tarnwick", slug="south-quay", name="South Quay")
    world.send(reading("a"), egress("b", 5))
    world.send(reading("c", resource="vm-2", quantity="1"), feed="tarnwick/south-quay")
    tab.sign_in("ines")
    tab.go("/usage?period=2026-09", "What was used")
    tab.page.get_by_label("Meter").click()
    tab.page.get_by_role("option", name="every meter").click()
    tab.page.get_by_label("By", exact=True).click()
    tab.page.get_by_role("option", name="feed").click()
    rows = tab.page.get_by_role("grid", name="Usage by feed").get_by_role("row")
    expect(rows.filter(has_text="Compute: Processors")).to_have_count(2)
    expect(rows.filter(has_text="South Quay")).to_contain_text("6 vCPU-hours")
    expect(rows.filter(has_text="Network: Data sent out")).to_contain_text("5 bytes")
