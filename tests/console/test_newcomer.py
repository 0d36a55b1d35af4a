"""A newcomer's path: without typing an address or opening help, from a new customer to its first invoice."""

import re
from datetime import UTC, datetime

from playwright.sync_api import Page, expect

from tests.console.conftest import Tab
from tests.world import World, reading


def to(page: Page, section: str) -> None:
    page.get_by_role("navigation", name="Pages").get_by_role("link", name=section, exact=True).click()


def tab_of(page: Page, name: str) -> None:
    page.get_by_role("tab", name=name).click()


def test_from_a_new_customer_to_its_first_invoice(tab: Tab, world: World) -> None:
    page = tab.page
    tab.sign_in("mara")
    tab.go("/", "so far")
    _made(page)
    _given_quotas(page)
    _people_and_project(page)
    _subscribed(tab)
    # Its cloud sends what it uses; a day goes by, then the month.
    world.mara.clock.set(datetime(2026, 10, 7, tzinfo=UTC), held=True)
    span = {"start": "2026-10-06T00:00:00Z", "end": "2026-10-06T12:00:00Z"}
    world.send(reading("first", owner="petrel-charts/survey", resource="plotter", **span))
    to(page, "Metering")
    expect(page.get_by_role("button", name="for Petrel Charts")).to_be_visible()
    expect(page.get_by_role("row", name="plotter")).to_contain_text("48")
    to(page, "Overview")
    expect(page.get_by_role("list", name="What is spent")).to_contain_text("EUR")
    expect(page.get_by_role("row", name="Petrel Charts: Survey")).to_be_visible()
    world.mara.clock.set(datetime(2026, 11, 3, tzinfo=UTC), held=True)
    page.reload()
    _billed(tab)


def _made(page: Page) -> None:
    to(page, "Organisations")
    page.get_by_role("link", name="Add a customer").click()
    page.get_by_role("button", name="Bring it on board").click()
    expect(page.get_by_text("The name that people read")).to_be_visible()
    page.get_by_label("Name").fill("Petrel Charts")
    expect(page.get_by_label("Slug")).to_have_value("petrel-charts")
    page.get_by_label("Country").fill("irel")
    page.get_by_role("option", name="Ireland (IE)").click()
    page.get_by_role("button", name="Bring it on board").click()
    page.get_by_role("link", name="Open Petrel Charts").click()
    expect(page.get_by_role("heading", name="Petrel Charts", level=1)).to_be_visible()


def _given_quotas(page: Page) -> None:
    tab_of(page, "Quotas")
    for measure, limit in (("processors", "16"), ("storage", "500")):
        page.get_by_role("button", name=f"Change {measure}", exact=True).click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("No limit").uncheck()
        dialog.get_by_role("textbox", name=re.compile("^Limit")).fill(limit)
        dialog.get_by_role("button", name="Set the limit").click()
        expect(dialog).to_be_hidden()
        expect(page.get_by_role("row", name=measure.title())).to_contain_text(limit)


def _people_and_project(page: Page) -> None:
    tab_of(page, "People")
    page.get_by_role("button", name="Invite its first administrator").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("E-mail address").fill("ada@petrel.example")
    dialog.get_by_role("button", name="Send the invitation").click()
    expect(page.get_by_test_id("secret")).to_contain_text("/join#")
    page.get_by_role("button", name="Done").click()
    tab_of(page, "Projects")
    page.get_by_role("button", name="Add a project").click()
    dialog.get_by_label("Name").fill("Survey")
    dialog.get_by_role("button", name="Add the project").click()
    expect(page.get_by_role("row", name="Survey")).to_contain_text("petrel-charts/survey")


def _subscribed(tab: Tab) -> None:
    page = tab.page
    tab_of(page, "Subscriptions")
    page.get_by_role("link", name="Compare tiers and subscribe").click()
    expect(page.get_by_role("heading", name="Which Open Range suits Petrel Charts?")).to_be_visible()
    page.get_by_label("Quantity of Compute: Processors").fill("2000")
    moor = page.get_by_role("list", name="Tiers of Open Range").get_by_role("listitem").nth(1)
    expect(moor).to_contain_text("more than Heath")
    page.get_by_role("button", name="Take Heath").click()
    dialog = page.get_by_role("dialog")
    tab.day("From", "2026-10-05", dialog)
    dialog.get_by_role("button", name="Subscribe").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_role("group", name="Open Range")).to_contain_text("Open Range Heath, from 2026-10-05")


def _billed(tab: Tab) -> None:
    page = tab.page
    page.get_by_role("button", name="for Petrel Charts").click()
    page.get_by_role("combobox", name="Organisation").fill("tarn")
    page.get_by_role("option", name="Tarnwick Cloud").click()
    to(page, "Billing")
    page.get_by_role("navigation", name="Billing").get_by_role("link", name="Bill runs").click()
    page.get_by_role("button", name="Make drafts of October 2026").click()
    drafts = page.get_by_role("link", name=re.compile(r"\d to review"))
    # Beside other tests a run may take its time.
    expect(drafts).to_be_visible(timeout=60_000)
    drafts.click()
    page.get_by_label("Search").fill("petrel")
    expect(page.get_by_role("grid", name="Invoices").get_by_role("row")).to_have_count(2)
    tab.settle()
    page.get_by_role("row", name="Petrel Charts").click()
    expect(page.get_by_role("heading", name="Petrel Charts")).to_be_visible()
    page.get_by_role("button", name="Issue").click()
    page.get_by_role("dialog").get_by_role("button", name="Issue").click()
    expect(page.get_by_role("heading", name="TARNWICK-2026-")).to_be_visible()
    address = page.get_by_role("link", name="PDF").get_attribute("href")
    assert page.request.get(f"{tab.url}{address}").body().startswith(b"%PDF")
