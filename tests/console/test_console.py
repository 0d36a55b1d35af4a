"""The console in a real browser: what each role sees and does, in light and dark, without a single error."""

import json
import re
import time
from datetime import date
from decimal import Decimal

import httpx
from playwright.sync_api import Browser, expect

from gradumen.client import Client
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.console.conftest import Tab
from tests.world import EMAILS, PASSWORD, World, egress

PAGES = {
    "/": "so far",
    "/organisations": "Who buys from whom",
    "/onboardings": "New customers",
    "/clouds": "Clouds",
    "/sites": "Sites",
    "/organisations/oxbow": "Oxbow Managed IT",
    **{
        f"/organisations/oxbow/{tab}": "Oxbow Managed IT"
        for tab in ("details", "quotas", "subscriptions", "projects", "people", "usage", "spend", "invoices")
    },
    "/organisations/quillstone/quotas": "Quillstone Observatory",
    "/limits": "Limits of customers",
    "/plans": "What can be subscribed to",
    "/rate-cards": "Card",
    "/unpublished-changes": "Unpublished changes",
    "/estimate": "Which",
    "/what-if": "What would it have been?",
    "/usage?period=2026-09": "What was used",
    "/usage?period=2026-09&meter=every&by=feed": "What was used",
    "/usage/resource": "A resource",
    "/kinds": "Kinds of usage, October 2026",
    "/owners": "Whose usage is, October 2026",
    "/feeds": "What arrived",
    "/feed-balances?period=2026-09": "What became of what came in",
    "/bill-runs": "Closing a month",
    "/invoices": "Invoices",
    "/earned?period=2026-09": "Month’s margin",
    "/spend?from=2026-09&to=2026-10": "What",
    "/members": "Members",
    "/record": "Record",
    "/record/messages": "Messages",
    "/record/messages/texts": "Texts of messages",
    "/record/work": "Work in progress",
    "/record/kept": "What is kept",
    "/account": "Your account",
    "/nowhere": "There is nothing here",
}


NAMING = (
    *("/", "/organisations", "/onboardings", "/clouds", "/sites", "/plans", "/rate-cards", "/estimate", "/feeds"),
    *("/usage?period=2026-09", "/bill-runs", "/invoices", "/spend?from=2026-09&to=2026-10", "/members", "/record"),
)
"""Those that name organisations, or could."""

OF_ADMINISTRATORS = ("/record", "/record/messages", "/record/messages/texts")
"""Who else comes there is led to the work in progress."""


def test_every_page_is_accessible_in_both_themes(tab: Tab, month: World) -> None:
    tab.page.goto(tab.url + "/")
    expect(tab.page.get_by_role("button", name="Sign in")).to_be_visible()
    tab.accessible(dark=True)
    month.close("tarnwick", "finn", "2026-09", issue=False)
    tab.sign_in("mara")
    for path, heading in PAGES.items():
        tab.go(path, heading)
        tab.accessible(dark=True)


def test_a_month_is_closed_and_explained(tab: Tab, month: World) -> None:
    page = tab.page
    tab.sign_in("finn")
    tab.go("/bill-runs", "Closing a month")
    page.get_by_role("button", name="Make drafts of September 2026").click()
    expect(page.get_by_role("link", name="2 to review")).to_be_visible(timeout=20_000)
    page.get_by_role("link", name="2 to review").click()
    page.get_by_role("button", name="Issue 2 drafts").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("To 2 customers")
    expect(dialog).to_contain_text("Cannot be undone")
    dialog.get_by_role("button", name="Issue").click()
    expect(dialog).to_be_hidden(timeout=20_000)
    tab.go("/invoices", "Invoices")
    page.get_by_role("row", name="Quillstone").click()
    expect(page.get_by_role("heading", name="TARNWICK-2026-00002: Quillstone Observatory")).to_be_visible()
    page.get_by_role("row", name="Compute: Processors").click()
    expect(page.get_by_text("Rate vcpu of tenants-eur version 1")).to_be_visible()
    expect(page.get_by_role("table", name="Arithmetic")).to_contain_text("1\u2009920")
    tab.accessible()
    page.get_by_role("button", name="Show the readings").click()
    expect(page.get_by_role("table", name="Readings")).to_contain_text("q-1-1")
    address = page.get_by_role("link", name="PDF").get_attribute("href")
    answer = page.request.get(f"{tab.url}{address}")
    assert answer.headers["content-type"] == "application/pdf"
    assert answer.body().startswith(b"%PDF")


def test_each_sees_its_own_and_only_its_own(browser: Browser, month: World) -> None:
    month.close("tarnwick", "finn", "2026-09")
    month.close("oxbow", "edda", "2026-09")
    for user, own, foreign in (
        ("finn", ["Oxbow Managed IT", "Quillstone Observatory"], ["OXBOW-2026"]),
        ("edda", ["Saltmarsh Ferries"], ["Quillstone", "quillstone"]),
        (
            "ines",
            ["Saltmarsh Ferries"],
            ["Tarnwick", "tarnwick", "Quillstone", "quillstone", "thistledown", "Thistledown"],
        ),
    ):
        context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        tab = Tab(context.new_page(), month.url)
        tab.sign_in(user)
        seen = ""
        for path in NAMING:
            if user == "ines" and path in ("/feeds", "/bill-runs"):
                continue
            # Only administrators read who did what; the others come to the work in progress.
            tab.go(path, "Work in progress" if path.startswith("/record") and user == "finn" else PAGES[path])
            seen += tab.page.inner_text("body")
        assert all(word in seen for word in own), user
        assert [word for word in foreign if word in seen] == [], user
        context.close()
        assert tab.errors == []


def test_a_refused_grant_names_the_figures_and_a_fitting_one_is_made(tab: Tab, month: World) -> None:
    tab.expected.append("409")
    month.mara.quotas.grant("tarnwick", "storage", Decimal(1000))
    tab.sign_in("mara")
    tab.go("/organisations", "Who buys from whom")
    tab.page.get_by_role("row", name="Oxbow Managed IT").click()
    tab.page.get_by_role("tab", name="Quotas").click()
    tab.page.get_by_role("button", name="Change storage").click()
    dialog = tab.page.get_by_role("dialog")
    expect(dialog).to_contain_text("Tarnwick Cloud has 1\u2009000 GiB left to give")
    dialog.get_by_role("textbox", name="Limit, GiB", exact=True).fill("1001")
    dialog.get_by_role("button", name="Set the limit").click()
    expect(dialog.get_by_role("alert")).to_contain_text("can have at most 1\u202f000 GiB: its")
    tab.accessible()
    dialog.get_by_role("textbox", name="Limit, GiB", exact=True).fill("400")
    dialog.get_by_role("button", name="Set the limit").click()
    expect(dialog).to_be_hidden()
    expect(tab.page.get_by_role("row", name="Storage")).to_contain_text("400")


def test_a_viewer_is_offered_nothing_it_may_not_do(tab: Tab, month: World) -> None:
    month.close("tarnwick", "finn", "2026-09", issue=False)
    tab.sign_in("oda")
    for path, heading in PAGES.items():
        tab.go(path, "Work in progress" if path in OF_ADMINISTRATORS else heading)
        for name in ("Issue", "Make drafts", "Change"):
            expect(tab.page.get_by_role("button", name=name)).to_have_count(0)


def test_what_a_month_earned_by_buyer_and_by_service(tab: Tab, month: World) -> None:
    tab.sign_in("mara")
    tab.go("/earned?period=2026-09", "Month’s margin")
    table = tab.page.get_by_role("table", name="Month’s margin, EUR")
    found = month.mara.spend.margins("tarnwick", "2026-09", wait=60)
    charged = sum(row.charged for row in found.rows if row.currency == "EUR")
    total = table.get_by_role("row").last
    expect(total).to_contain_text(f"{charged:.2f}")
    expect(tab.page.get_by_role("table", name="Month’s margin, GBP")).to_contain_text("EUR")
    tab.page.get_by_label("By", exact=True).click()
    tab.page.get_by_role("option", name="Service", exact=True).click()
    expect(tab.page).to_have_url(re.compile("by=service"))
    expect(table.get_by_role("row", name="Compute")).to_be_visible()
    expect(total).to_contain_text(f"{charged:.2f}")
    tab.go("/earned?period=2025-12", "Month’s margin")
    expect(tab.page.get_by_text("Nothing was sold or used in that month")).to_be_visible()


def test_spend_is_gone_down_into_to_the_arithmetic_of_a_charge(tab: Tab, month: World) -> None:
    tab.sign_in("mara")
    tab.go("/spend?from=2026-09&to=2026-09&by=buyer", "What Tarnwick Cloud sold")
    found = month.mara.spend.show("tarnwick", by=["buyer"], first=date(2026, 9, 1), end=date(2026, 10, 1), wait=60)
    (euros,) = [each for each in found.currencies if each.currency == "EUR"]
    table = tab.page.get_by_role("table", name="Spend by customer")
    expect(table.get_by_role("row").last).to_contain_text(f"{euros.total.amount:.2f}")
    expect(tab.page.get_by_label("Spend by customer and day, EUR")).to_be_visible()
    table.get_by_role("row", name="Quillstone Observatory").press("Enter")
    expect(tab.page).to_have_url(re.compile("only=buyer%3Aquillstone"))
    expect(tab.page.get_by_role("table", name="Spend by service")).to_be_visible()
    charges = tab.page.get_by_role("table", name="Charges behind it")
    charges.get_by_role("row", name="Compute").first.click()
    expect(tab.page.get_by_role("table", name="Arithmetic")).to_be_visible()
    tab.page.get_by_role("button", name="Take away Customer: quillstone").click()
    expect(tab.page).not_to_have_url(re.compile("only="))
    tab.go("/spend?from=2025-12&to=2025-12", "What Tarnwick Cloud sold")
    expect(tab.page.get_by_text("Nothing was charged in these months")).to_be_visible()


def test_empty_pages_say_why_and_what_to_do(tab: Tab, world: World) -> None:
    tab.sign_in("wynn")
    tab.go("/", "so far")
    expect(tab.page.get_by_text("Nothing is charged yet")).to_be_visible()
    for path, heading, words in (
        ("/usage", "What was used", "Nothing was used in"),
        ("/invoices", "Invoices", "Invoices appear when a month is closed"),
        ("/rate-cards", "Prices", "No rate cards yet"),
        ("/organisations?search=zzz", "Who buys", "No organisation has that in its name"),
    ):
        tab.go(path, heading)
        expect(tab.page.get_by_text(words)).to_be_visible()
    tab.accessible()


def test_rows_are_moved_through_and_opened_by_keyboard(tab: Tab, month: World) -> None:
    month.close("tarnwick", "finn", "2026-09")
    tab.sign_in("finn")
    tab.go("/invoices", "Invoices")
    cells = tab.page.get_by_role("row", name="TARNWICK-2026-").get_by_role("gridcell")
    cells.first.focus()
    tab.page.keyboard.press("ArrowDown")
    expect(tab.page.get_by_role("gridcell", name="TARNWICK-2026-00002")).to_be_focused()
    tab.page.keyboard.press("Enter")
    expect(tab.page.get_by_role("heading", name="TARNWICK-2026-")).to_be_visible()


def test_a_wrong_password_and_a_lost_session_lead_on(tab: Tab, world: World) -> None:
    tab.expected += ["401"]
    page = tab.page
    page.goto(tab.url + "/invoices")
    page.get_by_label("E-mail address").fill(EMAILS["ines"])
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("the e-mail address or the password is wrong")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Invoices")).to_be_visible()
    tab.sign_out()
    assert page.evaluate("() => document.cookie") == ""


def test_who_leaves_the_page_while_signing_out_is_signed_out(tab: Tab, world: World) -> None:
    """While something is still being asked, signing out waits for it; the page may be gone before."""
    tab.sign_in_by_form("ines")
    cookies = {each["name"]: each["value"] for each in tab.page.context.cookies()}
    address = f"{tab.url}/api/v1/session"
    assert httpx.get(address, cookies=cookies).status_code == 200
    stalled: list[str] = []
    tab.page.route("**/api/v1/organisations/*/usage?*", lambda route: stalled.append(route.request.url))
    tab.show("/usage?period=2026-09")
    while not stalled:
        tab.page.wait_for_timeout(20)
    tab.page.get_by_role("button", name="Sign out").click()
    tab.page.goto(f"{tab.url}/invoices")
    expect(tab.page.get_by_role("button", name="Sign in")).to_be_visible()
    deadline = time.monotonic() + 5
    while httpx.get(address, cookies=cookies).status_code != 401:
        assert time.monotonic() < deadline


def test_a_narrow_window_shows_everything(browser: Browser, month: World) -> None:
    context = browser.new_context(viewport={"width": 390, "height": 844}, reduced_motion="reduce")
    tab = Tab(context.new_page(), month.url)
    tab.sign_in("ines")
    tab.go("/", "so far")
    tab.page.get_by_role("button", name="Pages").click()
    tab.page.get_by_role("navigation", name="Pages").get_by_role("link", name="Usage").click()
    expect(tab.page.get_by_role("heading", name="What was used")).to_be_visible()
    for path in ("/", "/usage?period=2026-09", "/invoices", "/plans", "/record/work"):
        tab.page.goto(month.url + path)
        tab.settle()
        assert tab.page.evaluate("() => document.documentElement.scrollWidth") <= 390, path
    tab.accessible()
    context.close()
    assert tab.errors == []


def test_text_of_others_is_shown_as_text(tab: Tab, world: World) -> None:
    nasty = "<img src=x onerror=alert(1)>"
    world.mara.projects.create("quillstone", slug="nasty", name=nasty)
    world.send(egress("a", 10**12, owner="quillstone/nasty", resource="<script>alert(1)</script>"))
    tab.sign_in("mara")
    tab.go("/organisations/quillstone/projects", "Quillstone")
    expect(tab.page.get_by_text(nasty)).to_be_visible()
    tab.go("/usage?period=2026-09&by=resource", "What was used")
    expect(tab.page.get_by_text("<script>alert(1)</script>")).to_be_visible()
    assert json.dumps(tab.errors) == "[]"


def test_a_member_is_invited_joins_and_is_changed_and_the_record_says_so(tab: Tab, world: World) -> None:
    page = tab.page
    tab.sign_in_by_form("mara")
    tab.go("/members", "Members")
    page.get_by_role("button", name="Invite").click()
    page.get_by_label("E-mail address").fill("new@tarnwick.example")
    page.get_by_role("button", name="Send the invitation").click()
    link = page.get_by_test_id("secret").inner_text()
    tab.accessible()
    page.get_by_role("button", name="Done").click()
    expect(page.get_by_role("row", name="new@tarnwick.example")).to_be_visible()
    tab.sign_out()

    page.goto(link)
    page.get_by_label("Your name").fill("Nell Fell")
    page.get_by_label("Password").fill(PASSWORD)
    tab.accessible()
    page.get_by_role("button", name="Accept the invitation").click()
    expect(page.get_by_text("You are viewer of Tarnwick Cloud now.")).to_be_visible()
    page.get_by_role("button", name="Sign in").click()

    tab.sign_in("mara")
    tab.go("/members", "Members")
    page.get_by_role("row", name="Nell Fell").click()
    page.get_by_role("checkbox", name="Disabled").check()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("row", name="Nell Fell")).to_contain_text("disabled")
    page.get_by_role("row", name="Nell Fell").click()
    page.get_by_role("button", name="Make a link for a new password").click()
    expect(page.get_by_test_id("secret")).to_contain_text("/reset#")
    page.get_by_role("button", name="Remove from members").click()
    expect(page.get_by_role("row", name="Nell Fell")).to_have_count(0)
    tab.go("/record", "Record")
    for said in ("member removed", "member changed", "member joined", "member invited"):
        expect(page.get_by_role("gridcell", name=said).first).to_be_visible()
    expect(page.get_by_text("disabled no → yes")).to_be_visible()


def test_a_token_is_made_for_a_program_and_shown_once(tab: Tab, world: World) -> None:
    page = tab.page
    tab.sign_in("edda")
    tab.go("/account", "Your account")
    page.get_by_role("button", name="Make a token").click()
    page.get_by_label("Name").fill("nightly readings")
    tab.accessible()
    page.get_by_role("button", name="Make it").click()
    secret = page.get_by_test_id("secret").inner_text()
    page.get_by_role("button", name="Done").click()
    with Client(world.url, secret) as program:
        assert program.session().memberships[0].role == "sender"
    page.get_by_role("button", name="Withdraw nightly readings").click()
    expect(page.get_by_role("cell", name="withdrawn")).to_be_visible()
    assert secret not in page.content()
    tab.go("/organisations/saltmarsh/people", "Saltmarsh Ferries")
    expect(page.get_by_text("Its people are its own")).to_be_visible()


def test_work_in_progress_shows_steps_and_what_needs_a_hand_is_tried_again(tab: Tab, month: World) -> None:
    """A month that cannot be closed says why; mended, it is closed from the same page."""
    tenant = OrganisationCreate(
        parent="tarnwick", type="tenant", slug="faraway", name="Far Away", country="JP", currency="EUR"
    )
    month.mara.organisations.create(tenant)
    month.mara.subscriptions.create(
        SubscriptionCreate(
            organisation="faraway", plan="open-range", tier="heath", name="Range", starts_on=date(2026, 9, 1)
        )
    )
    page = tab.page
    tab.sign_in("finn")
    tab.go("/bill-runs", "Closing a month")
    page.get_by_role("button", name="Make drafts of September 2026").click()
    page.get_by_role("link", name="needs a hand").click()
    expect(page.get_by_role("heading", name="Steps of bill run 2026-09")).to_be_visible()
    expect(page.get_by_role("table", name="Steps")).to_contain_text("no tax rate for buyers in JP")
    tab.accessible()
    month.mara.tax_rates.set("tarnwick", country="JP", percent=Decimal(0), starts_on=date(2020, 1, 1), category="O")
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("table", name="Steps")).to_contain_text("drafts 3")
    expect(page.get_by_role("row", name="bill run 2026-09").first).to_contain_text("done")
    tab.go("/invoices?state=draft", "Drafts to review")
    page.get_by_role("button", name="Issue 3 drafts").click()
    page.get_by_role("dialog").get_by_role("button", name="Issue", exact=False).last.click()
    expect(page.get_by_role("dialog")).to_be_hidden(timeout=20_000)
    tab.go("/record/work", "Work in progress")
    expect(page.get_by_role("row", name="issue 3 drafts of tarnwick")).to_contain_text("3 of 3 drafts")
