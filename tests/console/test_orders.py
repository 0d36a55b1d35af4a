"""A customer orders in the console: compared, taken, waiting for its seller, approved, changed and ended."""

from decimal import Decimal

from playwright.sync_api import expect

from tests.console.conftest import Tab
from tests.world import World


def test_from_sign_in_to_an_ordered_tier_and_its_approval(tab: Tab, world: World) -> None:
    page = tab.page
    world.user("edda").orders.set_policy("oxbow", "GBP", Decimal(30))
    tab.sign_in("ines")
    tab.go("/organisations/saltmarsh/subscriptions", "Saltmarsh Ferries")
    page.get_by_role("link", name="Compare tiers and order").click()
    page.get_by_role("button", name="Take Moor").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_label("Last day")).to_be_hidden()
    dialog.get_by_label("Its own name").fill("Winter")
    dialog.get_by_label("Your order number").fill("PO 12")
    tab.accessible()
    dialog.get_by_role("button", name="Order it").click()
    expect(page.get_by_text("It waits for Oxbow Managed IT to approve")).to_be_visible()
    waiting = page.get_by_role("listitem").filter(has_text="PO 12")
    expect(waiting).to_contain_text("waits for Oxbow Managed IT")
    tab.accessible()

    # Without more to pay nothing waits: the end of what it has.
    page.get_by_role("button", name="End Open Range").click()
    tab.day("Last day", "2026-10-31", page.get_by_role("dialog"))
    page.get_by_role("dialog").get_by_role("button", name="End it").click()
    expect(page.get_by_text("last day 2026-10-31")).to_be_visible()
    tab.sign_out()

    tab.sign_in("edda")
    tab.go("/", "so far")
    todo = page.get_by_text("Saltmarsh Ferries orders Open Range Moor")
    expect(todo).to_be_visible()
    tab.go("/organisations/saltmarsh/subscriptions", "Saltmarsh Ferries")
    page.get_by_role("button", name="Approve").click()
    tab.accessible()
    page.get_by_role("dialog").get_by_role("button", name="Approve").click()
    expect(page.get_by_role("group", name="Winter")).to_be_visible()
    assert {each.name for each in world.user("ines").subscriptions.list("saltmarsh")} == {"Open Range", "Winter"}

    tab.go("/organisations/oxbow/subscriptions", "Oxbow Managed IT")
    expect(page.get_by_text("Customers billed in GBP: up to 30.00 GBP more a month")).to_be_visible()
    page.get_by_role("button", name="Change what customers billed in GBP order").click()
    page.get_by_role("dialog").get_by_label("Any amount goes through at once").check()
    tab.accessible()
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(page.get_by_text("Customers billed in GBP: any amount").first).to_be_visible()
    assert world.user("edda").orders.policies("oxbow")[0].amount is None
