"""Every dialog and menu: nothing in them is against the rules of accessibility, and Escape leads back to where one was."""

import pytest
from playwright.sync_api import expect

from tests.console.conftest import Tab
from tests.world import World

OPENED = (
    ("/onboardings", "New customers", ["Set a bound"]),
    ("/clouds", "Clouds", ["Register a cloud"]),
    ("/sites", "Sites", ["Register a site"]),
    (
        "/organisations/quillstone/details",
        "Quillstone Observatory",
        ["Change the details", "Change the notes", "Change the state", "Move to another seller"],
    ),
    ("/organisations/oxbow/quotas", "Oxbow Managed IT", ["Change storage"]),
    ("/organisations/quillstone/projects", "Quillstone Observatory", ["Add a project"]),
    ("/organisations/oxbow/people", "Oxbow Managed IT", []),
    (
        "/organisations/quillstone/subscriptions",
        "Quillstone Observatory",
        [
            "Change Open Range",
            "End Open Range",
            "Special terms of Open Range",
            "Choose which usage belongs where",
            "Charge by hand",
        ],
    ),
    ("/unpublished-changes", "Unpublished changes", ["Write something new"]),
    ("/feeds", "What arrived", ["Make a feed", "Let somebody send"]),
    ("/feed-balances?period=2026-09", "What became of what came in", ["Sign off: North Fell"]),
    ("/tax-rates", "Tax rates", ["Set a rate"]),
    ("/members", "Members", ["Invite"]),
    ("/account", "Your account", ["Set a new password", "Make a token"]),
    ("/invoices?state=draft", "Drafts to review", ["Issue 2 drafts", "Columns", "Export"]),
    ("/usage?period=2026-09", "What was used", ["for Tarnwick Cloud", "September 2026", "Jump to anything"]),
)


OVER = "[role=dialog], [role=menu], .MuiDataGrid-columnsManagement"
"""What lies over a page."""


@pytest.mark.usefixtures("month")
def test_each_dialog_and_menu_is_accessible_and_leads_back(tab: Tab, world: World) -> None:
    world.close("tarnwick", "finn", "2026-09", issue=False)
    page = tab.page
    tab.sign_in("mara")
    tab.go("/", "so far")
    before = "so far"
    for path, heading, names in OPENED:
        tab.go(path, heading)
        for name in names:
            button = page.get_by_role("button", name=name).first
            button.click()
            opened = page.locator(OVER).first
            expect(opened, name).to_be_visible()
            tab.accessible(OVER, dark=name == names[0])
            page.keyboard.press("Escape")
            expect(opened, name).to_be_hidden()
            expect(button, name).to_be_focused()
        # A dialog that was left is no place to go back to: one step leads to the page before.
        page.go_back()
        expect(page.get_by_role("heading", name=before, level=1)).to_be_visible()
        page.go_forward()
        expect(page.get_by_role("heading", name=heading, level=1)).to_be_visible()
        before = heading


@pytest.mark.usefixtures("month")
def test_each_choice_of_a_list_is_accessible(tab: Tab) -> None:
    page = tab.page
    tab.sign_in("mara")
    for path, heading, labels in (
        ("/usage?period=2026-09", "What was used", ["Meter", "By"]),
        ("/spend?from=2026-09&to=2026-10", "What", ["By"]),
        ("/record", "Record", ["What"]),
        ("/record/work", "Work in progress", ["State"]),
    ):
        tab.go(path, heading)
        for label in labels:
            page.get_by_label(label, exact=True).first.click()
            expect(page.get_by_role("listbox")).to_be_visible()
            tab.accessible("[role=listbox]")
            page.keyboard.press("Escape")
            expect(page.get_by_role("listbox")).to_be_hidden()
