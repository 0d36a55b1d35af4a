"""What is long, foreign, large, gone or failing: the console shows it whole, says so, and leads on."""

import re
from collections.abc import Iterator
from datetime import date
from decimal import Decimal
from uuid import uuid4

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from gradumen.core.permissions import Role
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.console.conftest import Tab
from tests.world import EMAILS, World, egress

LONG = "Gesellschaft " + "fuer-sehr-lange-Namen-" * 4 + "und noch laengere Zusaetze"
FOREIGN = {"rtl": "مرصد الحجر", "glyphs": "🐦 Wren & <b>Söhne</b>"}
LARGE = Decimal("123456789012.34")
"""A sum of 15 digits with its tax."""


@pytest.fixture
def odd(world: World) -> Iterator[World]:
    """The world with customers of odd names, one of whom is charged an odd sum."""
    for slug, name in {"long": LONG[:120], **FOREIGN}.items():
        world.mara.organisations.create(
            OrganisationCreate(slug=slug, name=name, type="tenant", parent="tarnwick", country="IE", currency="EUR")
        )
        world.mara.projects.create(slug, slug="work", name=f"{name[:100]} work")
        world.mara.subscriptions.create(
            SubscriptionCreate(
                organisation=slug, plan="open-range", tier="heath", name="Open Range", starts_on=date(2026, 9, 1)
            )
        )
        world.send(egress(slug, 10**13, owner=f"{slug}/work", resource=name[:100]))
    world.mara.one_off_charges.enter(
        OneOffChargeCreate(
            seller="tarnwick", organisation="long", subscription="Open Range", day=date(2026, 9, 3),
            description="A very large thing", amount=str(LARGE), currency="EUR",
        )
    )  # fmt: skip
    yield world


PATHS = {
    "/": "so far",
    "/organisations": "Who buys from whom",
    "/organisations/long": "Gesellschaft",
    "/organisations/long/subscriptions": "Gesellschaft",
    "/organisations/long/projects": "Gesellschaft",
    "/organisations/rtl/quotas": FOREIGN["rtl"],
    "/organisations/glyphs": "Wren",
    "/usage?period=2026-09&by=resource": "What was used",
    "/spend?from=2026-09&to=2026-10": "What",
    "/invoices?state=draft": "Drafts to review",
    "/earned?period=2026-09": "margin",
}


def test_odd_names_and_large_sums_are_whole_and_break_no_page(browser: Browser, odd: World) -> None:
    odd.close("tarnwick", "mara", "2026-09", issue=False)
    context = browser.new_context(viewport={"width": 390, "height": 844}, reduced_motion="reduce")
    tab = Tab(context.new_page(), odd.url)
    tab.sign_in("mara")
    for path, heading in PATHS.items():
        tab.page.goto(odd.url + path)
        expect(tab.page.get_by_role("heading", name=heading, level=1)).to_be_visible()
        tab.settle()
        assert tab.page.evaluate("() => document.documentElement.scrollWidth") <= 390, path
    tab.page.set_viewport_size({"width": 1280, "height": 844})
    tab.go("/invoices?state=draft", "Drafts to review")
    row = tab.page.get_by_role("row", name="Gesellschaft")
    expect(row).to_contain_text(re.compile(r"123.456.789.\d\d\d\.\d\d"))
    row.click()
    expect(tab.page.get_by_role("row", name="A very large thing")).to_contain_text("123\u2009456\u2009789\u2009012.34")
    tab.page.keyboard.press("Control+k")
    expect(tab.page.get_by_role("combobox", name="Organisation, plan")).to_be_focused()
    tab.page.keyboard.type(FOREIGN["rtl"][:4])
    expect(tab.page.get_by_role("option").first).to_contain_text(FOREIGN["rtl"])
    context.close()
    assert tab.errors == []


def test_what_is_gone_is_said_and_leads_on(tab: Tab, world: World) -> None:
    tab.expected.append("404")
    tab.sign_in("mara")
    tab.go("/", "so far")
    page = tab.page
    for path in (
        f"/invoices/{uuid4()}",
        "/organisations/nobody",
        "/?organisation=nobody",
        "/spend?organisation=nobody",
    ):
        page.goto(tab.url + path)
        expect(
            page.get_by_text(re.compile("no (organisation|invoice)|not found|nobody", re.IGNORECASE)).first
        ).to_be_visible()
        expect(page.get_by_role("navigation", name="Pages").get_by_role("link", name="Overview")).to_be_visible()


PAGES = {
    "/": "so far",
    "/organisations": "Who buys from whom",
    "/organisations/oxbow/quotas": "Oxbow Managed IT",
    "/margins": "",
    "/usage?period=2026-09": "",
    "/invoices": "",
    "/spend": "",
    "/members": "",
}
"""Pages that ask the service for something of their own, with what stands in their headings."""


class Service:
    """What stands between the console and the service: lets calls pass, fail or wait; the session always passes."""

    def __init__(self, page: Page) -> None:
        self.how, self.waiting = "pass", list[Route]()
        page.route("**/api/v1/**", self._answer)

    def _answer(self, route: Route) -> None:
        if self.how == "pass" or route.request.url.endswith("/api/v1/session"):
            route.fallback()
        elif self.how == "fail":
            route.fulfill(
                status=500, content_type="application/problem+json", body='{"detail": "It broke.", "code": "odd"}'
            )
        else:
            self.waiting.append(route)

    def answer(self) -> None:
        """What waits is answered, and what comes is."""
        self.how = "pass"
        for route in self.waiting:
            route.fallback()
        self.waiting.clear()


def test_each_page_whose_calls_fail_says_so_and_can_be_tried_again(tab: Tab, world: World) -> None:
    tab.expected.append("Failed to load resource")
    tab.sign_in("mara")
    page, service = tab.page, Service(tab.page)
    again = page.get_by_role("button", name="Try again")
    for path in PAGES:
        service.how = "fail"
        page.goto(tab.url + path)
        expect(again.first, path).to_be_visible()
        broken = page.get_by_text("It broke.")
        expect(broken.first, path).to_be_visible()
        service.how = "pass"
        for _ in range(5):  # What a page asks for next may have failed as well.
            if broken.count():
                again.first.click()
                tab.settle()
        expect(broken, path).to_have_count(0)
        expect(page.get_by_role("heading", level=1), path).to_contain_text(PAGES[path])


def test_a_page_whose_calls_are_slow_shows_that_and_can_be_left(tab: Tab, world: World) -> None:
    tab.sign_in("mara")
    page, service = tab.page, Service(tab.page)
    for path in ("/organisations/oxbow/quotas", "/spend"):
        service.how = "wait"
        page.goto(tab.url + path)
        expect(page.get_by_role("status", name="loading").or_(page.get_by_role("progressbar")).first).to_be_visible()
        page.get_by_role("navigation", name="Pages").get_by_role("link", name="Metering").click()
        expect(page).to_have_url(re.compile("/usage"))
        service.answer()
        expect(page.get_by_role("heading", name="What was used", level=1)).to_be_visible()
        tab.settle()
        expect(page.get_by_role("status", name="loading")).to_have_count(0)


@pytest.mark.parametrize(("user", "home"), [("edda", "Oxbow Managed IT"), ("vera", "Saltmarsh Ferries")])
def test_an_organisation_that_one_lost_the_right_to_is_said_and_ones_own_is_a_press_away(
    tab: Tab, world: World, user: str, home: str
) -> None:
    """Who no longer works for Brasswick looks at it in the bar: no figures of it, and the way home stands there."""
    tab.expected.append("404")
    world.mara.organisations.create(
        OrganisationCreate(
            slug="brasswick", name="Brasswick Opera", type="tenant", parent="tarnwick", country="IE", currency="EUR"
        )
    )
    secret = world.mara.invitations.create("brasswick", email=EMAILS[user], role=Role.VIEWER).secret
    assert secret is not None
    client = world.user(user)
    client.invitations.accept(secret)
    tab.sign_in(user)
    page = tab.page
    page.goto(tab.url + "/?organisation=brasswick")
    expect(page.get_by_text("Brasswick Opera").first).to_be_visible()
    [member] = client.members.list("brasswick")
    client.members.remove("brasswick", member.user_id)
    page.reload()
    bar = page.get_by_role("region", name="Whose figures and which month")
    expect(bar).to_contain_text("You have no access to brasswick.")
    tab.settle()
    expect(page.get_by_text("Brasswick Opera")).to_have_count(0)
    bar.get_by_role("button", name=f"Back to {home}").click()
    expect(page.get_by_role("heading", name="so far", level=1)).to_be_visible()
    expect(bar).to_contain_text(home)
    expect(page.get_by_text("brasswick")).to_have_count(0)


def test_the_back_button_leaves_a_dialog_and_then_the_page(tab: Tab, world: World) -> None:
    page = tab.page
    tab.sign_in("mara")
    tab.go("/", "so far")
    page.get_by_role("navigation", name="Pages").get_by_role("link", name="Members").click()
    page.get_by_role("button", name="Invite").first.click()
    expect(page.get_by_role("dialog")).to_be_visible()
    page.go_back()
    expect(page.get_by_role("heading", name="so far", level=1)).to_be_visible()
    expect(page.get_by_role("dialog")).to_be_hidden()


def test_a_second_tab_shows_what_the_first_did_and_ends_with_its_session(tab: Tab, world: World) -> None:
    """What is made in one tab is there in the other once it is looked at; another sign-in is said, nothing is done."""
    tab.expected += ["401", "403"]
    tab.sign_in_by_form("mara")
    first, second = tab.page, tab.page.context.new_page()
    for page in (first, second):
        page.goto(tab.url + "/organisations/quillstone/projects")
        expect(page.get_by_role("heading", name="Quillstone Observatory", level=1)).to_be_visible()
    add_project(first, "Lenses", "lenses")
    expect(first.get_by_text("Lenses").first).to_be_visible()
    second.reload()
    expect(second.get_by_text("Lenses").first).to_be_visible()

    # Signed out and in as somebody else there, this page asks for nothing in that one's name.
    tab.sign_out()
    tab.sign_in_by_form("finn")
    add_project(second, "Mirrors", "mirrors")
    expect(second.get_by_role("dialog").get_by_role("alert")).to_contain_text("our session changed: reload the page")
    assert "mirrors" not in {each.slug for each in world.mara.projects.list("quillstone")}
    second.reload()
    expect(second.get_by_text("Finn", exact=False).first).to_be_visible()


def add_project(page: Page, name: str, slug: str) -> None:
    page.get_by_role("button", name="Add a project").first.click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill(name)
    dialog.get_by_label("Slug").fill(slug)
    dialog.get_by_role("button", name="Add").click()
