"""The catalogue in a real browser: Stone Barn built from nothing, two who edit one draft, estimate and what-if."""

from playwright.sync_api import Locator, Page, expect

from tests.console.conftest import Tab
from tests.world import GIB, World, egress, files, rate_card


def begin(page: Page, kind: str, name: str) -> None:
    page.get_by_role("navigation", name="Pages").get_by_role("link", name="Catalogue").click()
    page.get_by_role("link", name="Unpublished changes").click()
    page.get_by_role("button", name="Write something new").click()
    page.get_by_label("What", exact=True).click()
    page.get_by_role("option", name=kind, exact=True).click()
    page.get_by_role("dialog").get_by_label("Name").fill(name)
    page.get_by_role("button", name="Begin", exact=True).click()
    expect(page.get_by_role("heading", name=name, level=1)).to_be_visible()


def choose(where: Page | Locator, page: Page, label: str, option: str) -> None:
    where.get_by_label(label, exact=True).click()
    page.get_by_role("option", name=option, exact=True).click()


def publish(page: Page) -> None:
    page.get_by_role("button", name="Check").click()
    expect(page.get_by_text("No mistakes.")).to_be_visible()
    page.get_by_role("button", name="Publish", exact=True).click()
    page.get_by_role("button", name="Publish it").click()


def test_stone_barn_is_built_from_nothing(tab: Tab, world: World) -> None:
    """A service, a plan with three tiers and a rate card with blocks, without touching a file; then it is sold."""
    page = tab.page
    tab.expected.append("422")
    tab.sign_in("mara")
    tab.go("/", "so far")
    begin(page, "service", "Backup")
    page.get_by_label("Category", exact=True).fill("Storage")
    page.get_by_label("Subcategory", exact=True).fill("Backup Storage")
    page.get_by_role("button", name="Add meter").click()
    page.get_by_label("Meter", exact=True).fill("protected")
    page.get_by_label("Meter's name").fill("Protected data")
    page.get_by_role("button", name="Add attribute").click()
    page.get_by_label("Attribute", exact=True).fill("site")
    page.get_by_label("Allowed values, none is any").fill("north-fell, south-quay")
    tab.accessible()
    publish(page)
    expect(page.get_by_role("heading", name="What can be subscribed to")).to_be_visible()

    begin(page, "plan", "Stone Barn")
    page.get_by_label("Services", exact=True).fill("backup")
    for number, (tier, point, copies) in enumerate((("Heath", "24", "1"), ("Moor", "6", "2"), ("Summit", "1", "3")), 1):
        if number > 1:
            page.get_by_role("button", name="Add tier").click()
        group = page.get_by_role("group", name=f"Tier {number}", exact=True)
        group.get_by_label("Tier", exact=True).fill(tier.lower())
        group.get_by_label("Tier's name").fill(tier)
        for index, (level, value) in enumerate((("recovery-point", f"{point} hour"), ("copies", copies))):
            group.get_by_role("button", name="Add level").click()
            group.get_by_label("Level", exact=True).nth(index).fill(level)
            group.get_by_label("like 24 hour", exact=True).nth(index).fill(value)
    tab.accessible()
    publish(page)
    table = page.get_by_role("table", name="Stone Barn")
    expect(table.get_by_role("row", name="Service levels")).to_contain_text("24 hours recovery point")
    expect(table.get_by_role("row", name="Service levels")).to_contain_text("3 copies")

    begin(page, "rate card", "Barn prices")
    tab.day("Starts on", "2026-01-01")
    choose(page, page, "For", "only where named")
    page.get_by_role("button", name="Add rate").click()
    rate = page.get_by_role("group", name="Rate without name")
    rate.get_by_label("Rate", exact=True).fill("protected")
    rate = page.get_by_role("group", name="Rate protected")
    choose(rate, page, "Priced", "stepped blocks")
    rate.get_by_label("Meter", exact=True).fill("backup/protected")
    rate.get_by_label("Per", exact=True).fill("GiB-month730")
    rate.get_by_label("Up to").fill("1000")
    rate.get_by_label("Price, EUR").nth(0).fill("0.05")
    rate.get_by_label("Price, EUR").nth(1).fill("0.08x")
    page.get_by_role("button", name="Check").click()
    way = page.get_by_role("button", name="Rate protected, block 2")
    expect(way).to_be_visible()
    expect(page.locator('[data-place="rates[0]"]').get_by_role("alert")).to_contain_text("0.08x")
    way.click()
    expect(rate.get_by_label("Rate", exact=True)).to_be_focused()
    rate.get_by_label("Price, EUR").nth(1).fill("0.04")
    expect(rate.get_by_role("img")).to_be_visible()
    for tier, fee in (("heath", "9"), ("moor", "29"), ("summit", "99")):
        page.get_by_role("button", name="Add rate").click()
        page.get_by_role("group", name="Rate without name").get_by_label("Rate", exact=True).fill(f"barn-{tier}")
        rate = page.get_by_role("group", name=f"Rate barn-{tier}")
        choose(rate, page, "Priced", "fee of a tier")
        rate.get_by_label("Plan/tier").fill(f"stone-barn/{tier}")
        rate.get_by_label("Price, EUR").fill(fee)
    tab.accessible()
    publish(page)
    expect(page.get_by_role("heading", name="Barn prices", level=1)).to_be_visible()
    expect(page.get_by_role("row", name="protected Backup")).to_contain_text("above 1")

    card = world.mara.catalogue.rate_card("tarnwick", "barn-prices").versions[0].form.plain()
    assert [rate["price"] for rate in card["rates"][1:]] == ["9", "29", "99"]
    assert (
        world.mara.estimates.coverage(
            "tarnwick", "stone-barn", files(world.mara.catalogue.rate_card_file("tarnwick", "barn-prices"))
        )[0].tiers_without_fee
        == []
    )

    tab.go("/plans", "What can be subscribed to")
    page.get_by_role("button", name="Offer Stone Barn").click()
    choose(page, page, "Offered to", "all tenants")
    page.get_by_label("summit", exact=True).uncheck()
    page.get_by_label("Name of moor here").fill("Middle")
    choose(page, page, "Recommended", "Middle")
    tab.accessible()
    publish(page)
    expect(page.get_by_text("You offer it to all tenants as Stone Barn: Heath, Middle.")).to_be_visible()
    (seen,) = [each for each in world.user("una").catalogue.plans() if each.slug == "stone-barn"]
    assert ([tier["name"] for tier in seen.form.plain()["tiers"]], seen.recommended) == (["Heath", "Middle"], "moor")


def test_a_customer_is_subscribed_changed_and_charged_by_hand(tab: Tab, world: World) -> None:
    """With terms to accept, special terms, a rule of what belongs to it, an amount by hand; all listed as special terms."""
    terms = "plan: kit\nname: Kit\nservices: [network]\nterms: {version: t1, text: Be kind.}\n"
    renewal = "minimum-months: 3\nrenewal: {months: 3, notice-days: 30}\ntiers: [{tier: heath, name: Heath}]\n"
    world.mara.catalogue.publish("tarnwick", files(f"{terms}{renewal}---\noffer: kit\nrecommended: heath\n"))
    page = tab.page
    tab.expected.append("422")
    tab.sign_in("mara")
    tab.go("/organisations/quillstone/subscriptions", "Quillstone Observatory")
    page.get_by_role("link", name="Compare tiers and subscribe").click()
    choose(page, page, "Plan", "Kit")
    expect(page.get_by_text("The cheapest for these quantities.")).to_be_visible()
    tab.accessible()
    page.get_by_role("button", name="Take Heath").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("Be kind.")).to_be_visible()
    tab.day("From", "2026-10-05", dialog)
    dialog.get_by_role("button", name="Subscribe").click()
    expect(dialog.get_by_text("The customer has to accept them")).to_be_visible()
    dialog.get_by_label("The customer accepts terms t1").check()
    tab.accessible()
    dialog.get_by_role("button", name="Subscribe").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_role("heading", name="Quillstone Observatory", level=1)).to_be_visible()
    kit = page.get_by_role("group", name="Kit")
    expect(kit).to_contain_text("terms t1 accepted by Mara Fell")
    expect(kit).to_contain_text("renews on 2027-01-05 unless ended by 2026-12-06")

    page.get_by_role("button", name="End Kit").click()
    tab.day("Last day", "2026-10-31", dialog)
    dialog.get_by_role("button", name="End it").click()
    expect(dialog).to_contain_text("the earliest end from 2026-10-05 is 2027-01-05")
    dialog.get_by_role("button", name="Cancel").click()

    page.get_by_role("button", name="Special terms of Open Range").click()
    dialog.get_by_role("button", name="Add own allowance").click()
    dialog.get_by_label("Meter").fill("network/egress")
    dialog.get_by_label("like 10 GiB").fill("70 GiB")
    tab.accessible()
    dialog.get_by_role("button", name="Save").click()
    expect(page.get_by_role("group", name="Open Range")).to_contain_text(
        "special terms: Network: Data sent out, 70 GiB included"
    )

    page.get_by_role("button", name="Choose which usage belongs where").click()
    dialog.get_by_label("Rule").fill("dishes")
    choose(dialog, page, "Belongs to", "Kit")
    choose(dialog, page, "The resource is", "begins with")
    dialog.get_by_label("Resource", exact=True).fill("dish")
    tab.accessible()
    dialog.get_by_role("button", name="Save").click()
    expect(page.get_by_text("resource beginning with dish belongs to Kit from 2026-10-05")).to_be_visible()

    page.get_by_role("button", name="Charge by hand").click()
    dialog.get_by_label("For what").fill("Moving the dishes")
    dialog.get_by_label("Amount, net").fill("120.505")
    dialog.get_by_role("button", name="Charge 120.505 EUR").click()
    expect(dialog).to_contain_text("decimal places")
    dialog.get_by_label("Amount, net").fill("120.50")
    dialog.get_by_role("button", name="Charge 120.50 EUR").click()
    expect(dialog).to_be_hidden()

    tab.go("/special-terms", "Special terms")
    expect(page.get_by_role("row", name="Quillstone Observatory Open Range allowance")).to_contain_text("70 GiB")
    expect(page.get_by_role("row", name="single resource")).to_contain_text("resources beginning with dish")
    expect(page.get_by_role("row", name="Moving the dishes")).to_contain_text("120.50 EUR")
    tab.accessible()
    page.get_by_role("button", name="Withdraw Moving the dishes").click()
    expect(page.get_by_role("row", name="Moving the dishes")).to_contain_text("withdrawn")


def test_a_reseller_sees_margins_versions_and_what_is_about_to_change(tab: Tab, world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(rate_card("resellers-gbp", "GBP", "resellers", "0.8", "2026-12-01")))
    page = tab.page
    tab.sign_in("edda")
    tab.go("/", "so far")
    expect(page.get_by_text("Prices of Card resellers-gbp change on 1 December")).to_be_visible()
    page.get_by_role("link", name="See: Prices of Card resellers-gbp").click()
    expect(page.get_by_text("which you pay for 1 subscription, change in 7 places")).to_be_visible()
    tab.go("/margins", "Price margins")
    expect(page.get_by_role("row", name="vcpu Compute").first).to_contain_text("26.3 %")
    tab.accessible()
    tab.go("/differences?of=tarnwick/resellers-gbp", "What changed between versions")
    expect(page.get_by_role("list", name="Differences")).to_contain_text(
        "Compute: Processors (vcpu): 0.014 → 0.016 GBP per vCPU-hour (+14.3 %)"
    )
    choose(page, page, "Of", "Plan Open Range")
    expect(page.get_by_text("There is one version only")).to_be_visible()
    tab.accessible()
    tab.go("/plans", "What can be subscribed to")
    expect(page.get_by_text("You offer it to everybody as Open Range: Heath, Moor.")).to_be_visible()
    tab.accessible()


def test_two_who_edit_one_draft_are_told_and_lose_nothing(tab: Tab, world: World) -> None:
    page = tab.page
    tab.expected.append("412")
    tab.sign_in("mara")
    tab.go("/rate-cards?card=tarnwick/tenants-eur", "Card tenants-eur")
    page.get_by_role("button", name="Write the next version").click()
    expect(page.get_by_role("group", name="Starts on")).to_contain_text("2026-11-01")
    theirs = world.user("finn").unpublished_changes
    draft = theirs.get("tarnwick", "rate-card", "tenants-eur")
    theirs.save("tarnwick", "rate-card", "tenants-eur", {**draft.form, "name": "Finn's"}, version=draft.version)
    page.get_by_label("Name", exact=True).fill("Mara's")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("saved this meanwhile")).to_be_visible()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Mara's")
    tab.accessible()
    page.get_by_role("button", name="Save mine over it").click()
    expect(page.get_by_text("saved this meanwhile")).to_have_count(0)
    tab.settle()
    assert theirs.get("tarnwick", "rate-card", "tenants-eur").form["name"] == "Mara's"
    page.get_by_role("button", name="Discard").click()
    expect(page.get_by_text("No unpublished changes")).to_be_visible()


def test_a_price_adds_up_as_one_chooses(tab: Tab, world: World) -> None:
    page = tab.page
    tab.sign_in("una")
    tab.go("/estimate?from=2026-11-01&months=1", "Which Open Range suits Quillstone Observatory?")
    tiers = page.get_by_role("list", name="Tiers of Open Range").get_by_role("listitem")
    heath, moor = tiers.nth(0), tiers.nth(1)
    expect(heath).to_contain_text("19.90 EUR a month")
    expect(moor).to_contain_text("79.00 EUR a month")
    expect(moor).to_contain_text("59.10 EUR a month more than Heath")
    page.get_by_label("Quantity of Network: Data sent out").fill("100")
    expect(moor).to_contain_text("85.00 EUR a month")
    page.get_by_label("Quantity of Network: Data sent out").fill("lots")
    expect(page.get_by_text("A number, as in 12.5")).to_be_visible()
    expect(moor).to_contain_text("Priced when each marked field is a figure.")
    expect(moor).not_to_contain_text("79.00")
    page.get_by_label("Quantity of Network: Data sent out").fill("")
    expect(moor).to_contain_text("79.00 EUR a month")
    expect(page.get_by_role("button", name="Take Moor")).to_be_enabled()
    tab.accessible()


def test_a_month_is_priced_again_with_a_draft(tab: Tab, world: World) -> None:
    world.send(egress("a", 100 * GIB, owner="quillstone/archive"))
    world.close("tarnwick", "finn", "2026-09")
    card = world.mara.catalogue.rate_card("tarnwick", "tenants-eur").versions[0].form.plain()
    dearer = {
        **card,
        "rates": [{**rate, "price": "100"} if rate.get("price") == "79" else rate for rate in card["rates"]],
    }
    world.mara.unpublished_changes.save("tarnwick", "rate-card", "tenants-eur", dearer)
    page = tab.page
    tab.sign_in("mara")
    tab.go("/what-if?period=2026-09", "What would it have been?")
    page.get_by_role("button", name="Price September 2026 again").click()
    sums = page.get_by_role("table", name="What would have been, EUR")
    expect(sums.get_by_role("row", name="Open Range: fees")).to_contain_text("+21.00")
    expect(sums.get_by_role("row", name="Network")).to_contain_text("0 of 1")
    amounts = page.get_by_role("grid", name="What would have been, by customer")
    expect(amounts.get_by_role("row", name="Open Range: fees")).to_contain_text("+21.00")
    expect(amounts.get_by_role("row", name="Network")).to_have_count(0)
    page.get_by_label("Also what would not differ").check()
    expect(amounts.get_by_role("row", name="Network")).to_contain_text("0.00")
    page.get_by_label("Customer has").fill("nobody")
    expect(page.get_by_text("No customer has this in its name")).to_be_visible()
    tab.accessible()
    asked = page.url
    tab.go("/what-if?period=2026-09", "What would it have been?")
    page.get_by_role("row", name="September 2026").click()
    expect(sums).to_be_visible()
    assert page.url == asked
