"""What is sent in words of its sender's own is said to be a meter, with exactly what was shown before; and tried."""

from playwright.sync_api import expect

from tests.console.conftest import Tab
from tests.world import World, reading


def test_what_is_of_unknown_kind_is_said_to_be_a_meter_with_exactly_what_was_shown(tab: Tab, world: World) -> None:
    events = [
        reading(
            f"d-{day}", owner="quillstone/archive", meter="data-out", quantity="10", unit="Gigs", resource="dish-1",
            start=f"2026-10-0{day}T05:00:00Z", end=f"2026-10-0{day}T06:00:00Z", attributes={"class": "fast"},
        )
        for day in (1, 2, 3)
    ]  # fmt: skip
    assert world.mara.readings.send("tarnwick/north-fell", events).accepted == 3
    page = tab.page
    tab.sign_in("mara")
    tab.go("/", "so far")
    page.get_by_role("listitem").filter(has_text="unknown kind").get_by_role("link", name="Say what it is").click()
    expect(page.get_by_role("heading", name="Kinds of usage, October 2026")).to_be_visible()
    unknown = page.get_by_role("table", name="Of unknown kind")
    expect(unknown).to_contain_text("30 Gigs")
    expect(unknown).to_contain_text("no rule says what meter 'data-out' is")
    tab.accessible()
    page.get_by_role("button", name="Say what it is").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("With", exact=True).fill("class = fast, faster")
    dialog.get_by_role("combobox", name="Is").click()
    page.get_by_role("option", name="Network: Data sent out").click()
    shown = dialog.get_by_role("alert")
    expect(shown).to_contain_text("unit 'Gigs' is not known")
    dialog.get_by_label("Read as").fill("GiB")
    expect(shown).to_contain_text("3 readings of 1 resource")
    expect(shown).to_contain_text("from unknown to network/egress. 30 GiB.")
    tab.accessible("[role=dialog]", dark=True)
    dialog.get_by_role("button", name="Set the rule").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_role("table", name="Rules, the more specific first")).to_contain_text("class fast or faster")
    expect(page.get_by_text("Everything that came in for October 2026 is of a known kind")).to_be_visible()
    world.settle()
    [used] = world.mara.usage.sum("quillstone", "2026-10", wait=60).items
    assert used.quantity == 30 * 1024**3

    page.get_by_role("button", name="Try a reading").click()
    for label, value in (("Sent as", "data-out"), ("Unit", "Gigs"), ("By feed", "north-fell"), ("Resource", "dish-9")):
        dialog.get_by_label(label).fill(value)
    dialog.get_by_label("With", exact=True).fill("class = slow")
    dialog.get_by_role("button", name="Look").click()
    expect(shown).to_contain_text("It is of unknown kind: no rule says what meter 'data-out' is.")
    dialog.get_by_label("With", exact=True).fill("class = fast")
    dialog.get_by_role("button", name="Look").click()
    expect(shown).to_contain_text("Rule data-out counts, with 4 conditions.")
    tab.accessible("[role=dialog]")
    dialog.get_by_role("button", name="Cancel").click()

    page.get_by_role("button", name="Take data-out away").click()
    expect(dialog).to_contain_text("from network/egress to unknown")
    dialog.get_by_role("button", name="Take it away").click()
    expect(dialog).to_be_hidden()
    expect(unknown).to_contain_text("data-out")


def test_what_it_looks_like_is_confirmed_in_one_step(tab: Tab, world: World) -> None:
    sent = reading("a", meter="guest.cores", unit="cores", attributes={"flavour": "large"}, owner="quillstone/archive",
                   start="2026-10-02T05:00:00Z", end="2026-10-02T06:00:00Z")  # fmt: skip
    assert world.mara.readings.send("tarnwick/north-fell", [sent]).accepted == 1
    page = tab.page
    tab.sign_in("mara")
    tab.go("/kinds?period=2026-10", "Kinds of usage, October 2026")
    expect(page.get_by_role("table", name="Of unknown kind")).to_contain_text("It looks like compute/vcpu")
    tab.accessible(dark=True)
    page.get_by_role("button", name="Say what it is").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_label("Read as")).to_have_value("vCPU")
    expect(dialog.get_by_label("With the attributes")).to_have_value("size from flavour")
    expect(dialog.get_by_role("alert")).to_contain_text("from unknown to compute/vcpu with size large. 4 vCPU-hours.")
    dialog.get_by_role("button", name="Set the rule").click()
    expect(page.get_by_text("Everything that came in for October 2026 is of a known kind")).to_be_visible()
