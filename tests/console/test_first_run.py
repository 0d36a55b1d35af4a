"""An empty installation: from the set-up code to a first draft, in the console alone."""

import re
from datetime import UTC, datetime
from pathlib import Path

from playwright.sync_api import Browser, Page, expect

from gradumen.client import Client
from tests.conftest import CODE, Service
from tests.console.conftest import Tab
from tests.console.test_newcomer import tab_of, to

EMAIL, PASSWORD = "nell@uplands.example", "a long enough password"


def pick(page: Page, label: str, text: str, option: str) -> None:
    page.get_by_role("combobox", name=label).fill(text)
    page.get_by_role("option", name=option).click()


def readings(month: str) -> str:
    head = "id,owner,resource,meter,quantity,unit,start,end\n"
    return head + "".join(
        f"m-{day},mill-lane-books/shop,till,machines/processors,4,vCPU,{month}-{day:02d}T00:00Z,{month}-{day:02d}T12:00Z\n"
        for day in range(1, 11)
    )


def test_from_the_set_up_code_to_a_first_draft(browser: Browser, service: Service, tmp_path: Path) -> None:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    tab = Tab(context.new_page(), service.url)
    page = tab.page
    page.goto(service.url)
    expect(page.get_by_role("heading", name="Set up")).to_be_visible()
    tab.accessible()
    tab.expected += ["401"]
    _set_up(page)
    with Client(service.url) as nell:
        nell.sign_in(EMAIL, PASSWORD)
        nell.clock.set(datetime(2026, 10, 20, tzinfo=UTC), held=True)
        page.reload()
        tab.accessible()
        _catalogue_and_tax(tab)
        _customer(tab)
        _first_readings(page, tmp_path)
        to(page, "Overview")
        expect(page.get_by_role("list", name="What it costs")).to_contain_text("EUR")
        nell.clock.set(datetime(2026, 11, 2, tzinfo=UTC), held=True)
    page.reload()
    page.get_by_role("link", name="Close it").click()
    page.get_by_role("button", name="Make drafts of October 2026").click()
    drafts = page.get_by_role("link", name=re.compile(r"\d to review"))
    # Beside other tests a run may take its time.
    expect(drafts).to_be_visible(timeout=60_000)
    drafts.click()
    expect(page.get_by_role("row", name="Mill Lane Books")).to_contain_text("EUR")
    context.close()
    assert [error for error in tab.errors if "401" not in error] == []


def _set_up(page: Page) -> None:
    page.get_by_label("Set-up code").fill("wrong")
    for label, text in (
        ("The provider's name", "Uplands Cloud"),
        ("Your name", "Nell Up"),
        ("Your e-mail address", EMAIL),
        ("Password", PASSWORD),
    ):
        page.get_by_label(label).fill(text)
    pick(page, "Country", "ireland", "Ireland (IE)")
    pick(page, "Billing zone", "dublin", "Europe/Dublin")
    page.get_by_role("button", name="Set it up").click()
    expect(page.get_by_role("alert")).to_contain_text("the set-up code is wrong or used")
    page.get_by_label("Set-up code").fill(CODE)
    page.get_by_role("button", name="Set it up").click()
    expect(page.get_by_role("heading", name="The first steps")).to_be_visible()


def _catalogue_and_tax(tab: Tab) -> None:
    page = tab.page
    page.get_by_role("button", name="Begin with a small one").click()
    tab.accessible()
    page.get_by_role("button", name="Publish it as it is").click()
    expect(page.get_by_role("dialog")).to_be_hidden()
    page.get_by_role("link", name="Set a rate").click()
    page.get_by_role("button", name="Set a rate").click()
    pick(page, "Country", "ireland", "Ireland (IE)")
    page.get_by_label("Percent").fill("23")
    page.get_by_role("button", name="Set it", exact=True).click()
    expect(page.get_by_role("row", name="Ireland")).to_contain_text("S, standard rate")


def _customer(tab: Tab) -> None:
    page = tab.page
    to(page, "Overview")
    page.get_by_role("link", name="Add a customer").click()
    page.get_by_label("Name").fill("Mill Lane Books")
    page.get_by_role("button", name="Bring it on board").click()
    page.get_by_role("link", name="Open Mill Lane Books").click()
    expect(page.get_by_role("heading", name="Mill Lane Books", level=1)).to_be_visible()
    tab_of(page, "Projects")
    page.get_by_role("button", name="Add a project").click()
    page.get_by_role("dialog").get_by_label("Name").fill("Shop")
    page.get_by_role("button", name="Add the project").click()
    expect(page.get_by_role("row", name="Shop")).to_be_visible()
    tab_of(page, "Subscriptions")
    page.get_by_role("link", name="Compare tiers and subscribe").click()
    page.get_by_role("button", name="Take Low").click()
    dialog = page.get_by_role("dialog")
    tab.day("From", "2026-10-01", dialog)
    dialog.get_by_role("button", name="Subscribe").click()
    expect(dialog).to_be_hidden()


def _first_readings(page: Page, folder: Path) -> None:
    page.get_by_role("button", name="for Mill Lane Books").click()
    page.get_by_role("combobox", name="Organisation").fill("up")
    page.get_by_role("option", name="Uplands Cloud").click()
    to(page, "Metering")
    page.get_by_role("navigation", name="Metering").get_by_role("link", name="Feeds").click()
    page.get_by_role("button", name="Make a feed").click()
    page.get_by_role("dialog").get_by_label("Name").fill("Mill")
    page.get_by_role("dialog").get_by_role("button", name="Make the feed").click()
    file = folder / "october.csv"
    file.write_text(readings("2026-10"))
    page.get_by_label("File of readings for Mill").set_input_files(file)
    expect(page.get_by_role("alert")).to_contain_text("10 accepted, 0 known already, 0 refused")
    page.get_by_label("File of readings for Mill").set_input_files(file)
    expect(page.get_by_role("alert")).to_contain_text("0 accepted, 10 known already")
