"""A new customer in the console: written beside what will happen, resumed by another, approved as it was read."""

from playwright.sync_api import Page, expect

from gradumen.demo.clouds import TOKEN, SimulatedCloud
from tests.console.conftest import Tab
from tests.world import World


def filled(page: Page) -> int:
    """How many fields somebody typed into; what is picked or follows from the name is not typed."""
    typed = page.locator("main input[type=text], main input:not([type])").evaluate_all(
        "all => all.filter(each => each.value && !each.closest('[class*=Autocomplete]') && !each.closest('[class*=Picker]')"
        " && !each.matches('[aria-hidden=true]')).length"
    )
    return int(typed)


def test_a_tenant_comes_on_board_from_one_page_of_few_fields(tab: Tab, world: World) -> None:
    tab.expected.append("409")
    tab.sign_in("edda")
    tab.go("/", "so far")
    page = tab.page
    page.get_by_role("navigation", name="Pages").get_by_role("link", name="Organisations").click()
    page.get_by_role("link", name="Add a customer").click()
    standing = page.get_by_role("region", name="What will happen")
    page.get_by_label("Name").fill("Saltmarsh")
    expect(page.get_by_text("the slug 'saltmarsh' is taken; choose another").first).to_be_visible()
    page.get_by_label("Name").fill("Petrel Charts")
    expect(page.get_by_label("Slug")).to_have_value("petrel-charts")
    expect(standing).to_contain_text("Petrel Charts is a tenant of Oxbow Managed IT, billed in GBP.")
    page.get_by_label("Plan and tier").click()
    page.get_by_role("option", name="Open Range Moor").click()
    expect(standing).to_contain_text("75.05 GBP a month and what it uses")
    page.get_by_label("E-mail address").fill("ada@petrel.example")
    expect(standing).to_contain_text("ada@petrel.example is invited as administrator, by mail.")
    page.get_by_role("button", name="A project to begin with").click()
    page.get_by_role("textbox", name="Project").fill("Survey")
    expect(standing).to_contain_text("It has a project Survey.")
    assert filled(page) <= 12
    tab.accessible("main")
    page.get_by_role("button", name="Bring it on board").click()
    expect(page.get_by_text("On board", exact=True)).to_be_visible()
    expect(page.get_by_role("region", name="What happened")).to_contain_text("Open Range, tier Moor")
    page.get_by_role("link", name="Open Petrel Charts").click()
    expect(page.get_by_role("heading", name="Petrel Charts", level=1)).to_be_visible()
    assert [each.tier for each in world.user("edda").subscriptions.list("petrel-charts")] == ["moor"]


def test_a_draft_is_resumed_asked_back_about_and_approved_by_another(tab: Tab, world: World) -> None:
    tab.expected += ["409", "401"]
    tab.sign_in_by_form("piers")
    page = tab.page
    tab.go("/onboardings/new", "A new customer")
    page.get_by_label("Name").fill("Tern Ferries")
    page.get_by_role("button", name="Save the draft").click()
    expect(page.get_by_text("The draft is saved.")).to_be_visible()
    page.reload()
    expect(page.get_by_label("Name")).to_have_value("Tern Ferries")
    page.get_by_label("Plan and tier").click()
    page.get_by_role("option", name="Open Range Heath").click()
    expect(page.get_by_text("Another administrator approves it first: Piers may not do it alone.")).to_be_visible()
    page.get_by_role("button", name="Ask for approval").click()
    expect(page.get_by_text("Waits for approval")).to_be_visible()
    expect(page.get_by_role("button", name="Approve it")).to_have_count(0)

    edda = world.user("edda")
    [waiting] = edda.onboardings.list("oxbow", state="waiting")
    tab.sign_out()
    tab.sign_in("edda")
    tab.go("/", "so far")
    page.get_by_role("link", name="Decide").click()
    expect(page.get_by_role("heading", name="Tern Ferries", level=1)).to_be_visible()
    page.get_by_role("button", name="Ask back").click()
    page.get_by_role("dialog").get_by_label("Why").fill("Which cost centre?")
    page.get_by_role("dialog").get_by_role("button", name="Ask back").click()
    expect(page.get_by_text("Edda asks back: Which cost centre?")).to_be_visible()
    draft = world.user("piers").onboardings.get(waiting.id)
    world.user("piers").onboardings.submit(draft.id, draft.version)
    tab.go("/onboardings", "New customers")
    page.reload()
    page.get_by_role("row", name="Tern Ferries").click()
    expect(page.get_by_role("region", name="What will happen")).to_contain_text("18.91 GBP a month")
    tab.accessible("main")
    page.get_by_role("button", name="Approve it").click()
    expect(page.get_by_text("Tern Ferries is on board.")).to_be_visible()
    assert edda.onboardings.get(waiting.id).customer == "tern-ferries"


def test_a_bound_is_set_and_taken_away(tab: Tab, world: World) -> None:
    tab.sign_in("edda")
    page = tab.page
    tab.go("/onboardings", "New customers")
    expect(page.get_by_text("Nobody is being brought on board")).to_be_visible()
    page.get_by_role("button", name="Set a bound").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("More than").fill("250")
    dialog.get_by_role("button", name="Set the bound").click()
    expect(page.get_by_role("listitem").filter(has_text="More than 250.00 GBP of fees a month")).to_be_visible()
    page.get_by_role("button", name="Take the bound of GBP away").click()
    expect(page.get_by_text("Nothing: administrators bring customers on board alone.")).to_be_visible()


def test_a_step_that_needs_a_hand_is_tried_again_and_another_is_taken_back(
    tab: Tab, world: World, cloud_server: SimulatedCloud
) -> None:
    cloud_server.accounts.clear()
    cloud_server.make("petrel", None)
    tab.sign_in("mara")
    page = tab.page
    tab.go("/clouds", "Clouds")
    page.get_by_role("button", name="Register a cloud").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill("North Fell")
    dialog.get_by_label("Address").fill(world.cloud)
    dialog.get_by_label("Token").fill(TOKEN)
    dialog.get_by_role("button", name="Register it").click()
    page.get_by_role("button", name="Try North Fell").click()
    expect(page.get_by_text("North Fell is reached: North Fell accounts, 1 accounts.")).to_be_visible()
    for name in ("Petrel", "Skua"):
        tab.go("/onboardings/new", "A new customer")
        page.get_by_label("Name").fill(name)
        page.get_by_role("button", name="An account in a cloud").click()
        if name == "Skua":
            page.get_by_label("Called").fill("petrel")
        standing = page.get_by_role("region", name="What will happen")
        expect(standing).to_contain_text("It gets an account petrel in North Fell.")
        page.get_by_role("button", name="Bring it on board").click()
        expect(page.get_by_role("alert").filter(has_text="there is an account 'petrel' already")).to_be_visible()
    tab.accessible("main")
    page.get_by_role("button", name="Take it all back").click()
    page.get_by_role("dialog").get_by_role("button", name="Take it all back").click()
    expect(page.get_by_text("Taken back", exact=True)).to_be_visible()
    page.get_by_role("button", name="Write it anew").click()
    expect(page.get_by_label("Called")).to_have_value("petrel")
    cloud_server.accounts.clear()
    tab.go("/onboardings", "New customers")
    row = page.get_by_role("row", name="Petrel")
    expect(row).to_contain_text("Needs a hand")
    row.click()
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_text("On board", exact=True)).to_be_visible()
    page.get_by_role("link", name="Open Petrel").click()
    expect(page.get_by_role("heading", name="Accounts in clouds")).to_be_visible()
    cloud_server.accounts.clear()
