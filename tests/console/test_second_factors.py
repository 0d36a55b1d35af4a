"""A second factor in the console: set up where it is demanded, asked for at sign-in, lost and taken away."""

from playwright.sync_api import expect

from tests.console.conftest import Tab
from tests.usecases.access.test_second_factors import App, set_up
from tests.world import EMAILS, PASSWORD, World


def test_who_is_held_back_sets_it_up_and_signs_in_with_a_code(tab: Tab, world: World) -> None:
    tab.expected += ["401", "422"]
    set_up(world, "edda")
    world.user("edda").sign_in_policies.set("oxbow", "members")
    page = tab.page
    page.goto(tab.url + "/")
    page.get_by_label("E-mail address").fill(EMAILS["piers"])
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_text("Oxbow Managed IT demands a second factor")).to_be_visible()
    tab.accessible()
    page.get_by_role("button", name="Set it up").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Your password").fill(PASSWORD)
    dialog.get_by_role("button", name="Go on").click()
    secret = dialog.get_by_test_id("secret").inner_text()
    expect(dialog.get_by_role("img", name="The secret")).to_be_visible()
    tab.accessible("[role=dialog]")
    dialog.get_by_label("The code that it shows").fill("000000")
    dialog.get_by_role("button", name="Set it up").click()
    expect(dialog.get_by_text("the code is wrong")).to_be_visible()
    app = App(secret)
    dialog.get_by_label("The code that it shows").fill(app.code())
    dialog.get_by_role("button", name="Set it up").click()
    expect(dialog.get_by_text("Each stands in for the app once.")).to_be_visible()
    recovery = dialog.get_by_test_id("secret").inner_text().split()
    dialog.get_by_role("button", name="Done").click()
    expect(page.get_by_role("heading", name="so far", level=1)).to_be_visible()

    tab.sign_out()
    page.get_by_label("E-mail address").fill(EMAILS["piers"])
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_label("Code")).to_be_focused()
    tab.accessible()
    page.keyboard.type("111111")
    page.keyboard.press("Enter")
    expect(page.get_by_text("the code is wrong or was used")).to_be_visible()
    page.get_by_label("Code").fill(recovery[0])
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="so far", level=1)).to_be_visible()
    tab.go("/account", "Your account")
    expect(page.get_by_text("9 recovery codes are left")).to_be_visible()
    page.get_by_role("button", name="Give it up").click()
    dialog.get_by_label("A code of the app").fill(recovery[1])
    dialog.get_by_role("button", name="Give it up").click()
    expect(page.get_by_text("Oxbow Managed IT demands a second factor")).to_be_visible()


def test_an_administrator_demands_it_and_helps_who_lost_it(tab: Tab, world: World) -> None:
    tab.expected += ["409"]
    set_up(world, "vera")
    tab.sign_in("ines")
    page = tab.page
    tab.go("/members", "Members")
    page.get_by_label("A second factor is demanded of").click()
    page.get_by_role("option", name="its members").click()
    expect(page.get_by_text("set up your own second factor first")).to_be_visible()
    expect(page.get_by_role("row", name="vera@saltmarsh.example")).to_contain_text("yes")
    page.get_by_role("row", name="vera@saltmarsh.example").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name="Take the second factor away").click()
    dialog.get_by_role("button", name="Yes, the second factor is lost").click()
    expect(dialog.get_by_text("signs in by password alone")).to_be_visible()
    dialog.get_by_role("button", name="Cancel").click()
    expect(page.get_by_role("row", name="vera@saltmarsh.example")).to_contain_text("none")
    assert not world.user("vera").second_factors.get().on
