"""Usage that nobody owns is given an owner by one rule, with exactly what was shown before."""

from playwright.sync_api import expect

from tests.console.conftest import Tab
from tests.world import World, egress


def test_what_nobody_owns_is_given_an_owner_with_exactly_what_was_shown(tab: Tab, world: World) -> None:
    world.send(
        *(
            egress(
                f"a-{day}",
                10 * 1024**3,
                owner=None,
                account="acc-7",
                resource=f"box-{day % 2}",
                start=f"2026-10-0{day}T05:00:00Z",
                end=f"2026-10-0{day}T06:00:00Z",
            )
            for day in (1, 2, 3)
        )
    )
    page = tab.page
    tab.sign_in("mara")
    tab.go("/", "so far")
    page.get_by_role("listitem").filter(has_text="nobody's").get_by_role("link", name="Give it an owner").click()
    expect(page.get_by_role("heading", name="Whose usage is, October 2026")).to_be_visible()
    nobodys = page.get_by_role("table", name="Nobody’s")
    expect(nobodys).to_contain_text("acc-7")
    tab.accessible()
    page.get_by_role("button", name="Give it an owner").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("It is of").fill("Quill")
    page.get_by_role("option", name="Quillstone Observatory").click()
    dialog.get_by_role("combobox", name="Project").click()
    page.get_by_role("option", name="Archive").click()
    shown = dialog.get_by_role("alert")
    expect(shown).to_contain_text("3 readings of 2 resources")
    expect(shown).to_contain_text("from nobody to quillstone/archive")
    expect(shown).to_contain_text("30 GiB")
    dialog.get_by_role("button", name="What would each customer’s months come to?").click()
    months = dialog.get_by_role("table", name="What each customer’s months would come to")
    expect(months).to_contain_text("October 2026")
    expect(months).to_contain_text("Quillstone Observatory")
    expect(months).to_contain_text("not yet")
    tab.accessible("[role=dialog]", dark=True)
    dialog.get_by_role("button", name="Set the rule").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_role("table", name="Rules, in their order")).to_contain_text("account acc-7")
    expect(page.get_by_text("Everything that came in for October 2026 has an owner")).to_be_visible()
    world.settle()
    [used] = world.mara.usage.sum("quillstone", "2026-10", wait=60).items
    assert used.quantity == 30 * 1024**3

    page.get_by_role("button", name="Take Account acc-7 away").click()
    expect(dialog).to_contain_text("from quillstone/archive to nobody")
    dialog.get_by_role("button", name="Take it away").click()
    expect(dialog).to_be_hidden()
    expect(nobodys).to_contain_text("acc-7")

    page.get_by_role("button", name="Give it an owner").click()
    dialog.get_by_label("It is of").fill("Saltm")
    page.get_by_role("option", name="Saltmarsh").click()  # a customer's customer
    dialog.get_by_role("combobox", name="It is", exact=True).click()
    page.get_by_role("option", name="of whom a value names").click()
    dialog.get_by_label("Which value is whose").fill("acc-7 quillstone/archive")
    expect(shown).to_contain_text("from nobody to quillstone/archive")
    tab.accessible("[role=dialog]")
    dialog.get_by_role("button", name="Set the rule").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_role("table", name="Rules, in their order")).to_contain_text("of 1 in a table")
