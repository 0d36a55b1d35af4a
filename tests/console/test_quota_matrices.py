"""Limits of customers in the console: typed over, refused at their place, saved together, taken back, as a file."""

from decimal import Decimal

from playwright.sync_api import expect

from gradumen.core.quotas.measures import Measure
from tests.console.conftest import Tab
from tests.world import World


def test_limits_are_typed_over_refused_at_their_place_and_saved_together(tab: Tab, world: World) -> None:
    tab.expected.append("409")
    world.mara.quotas.grant("oxbow", Measure.PROCESSORS, Decimal(100))
    for customer, limit in (("saltmarsh", 60), ("thistledown", 30)):
        world.user("edda").quotas.grant(customer, Measure.PROCESSORS, Decimal(limit))
    tab.sign_in("edda")
    tab.go("/", "so far")
    page = tab.page
    page.get_by_role("navigation", name="Pages").get_by_role("link", name="Organisations").click()
    page.get_by_role("link", name="Limits of customers").click()
    saltmarsh = page.get_by_label("Processors of Saltmarsh Ferries")
    thistledown = page.get_by_label("Processors of Thistledown Clinic")
    free = page.get_by_role("row", name="Free to pass on").get_by_role("cell").first
    expect(free).to_have_text("10")
    thistledown.fill("many")
    expect(page.get_by_role("button", name="Save 1 limit")).to_be_disabled()
    thistledown.fill("70")
    expect(free).to_have_text("−30 too few")
    tab.accessible("main")
    page.get_by_role("button", name="Save 1 limit").click()
    expect(page.get_by_text("Thistledown Clinic can have at most 40 vCPU")).to_be_visible()
    saltmarsh.fill("25")
    expect(free).to_have_text("5")
    page.get_by_role("button", name="Save 2 limits").click()
    expect(page.get_by_text("2 limits are set.")).to_be_visible()
    expect(page.get_by_role("button", name="Nothing is changed")).to_be_disabled()
    assert {row.organisation: row.cells[0].limit for row in world.user("edda").quota_matrices.rows("oxbow")} == {
        "saltmarsh": 25,
        "thistledown": 70,
    }
    page.get_by_role("button", name="Undo").click()
    expect(saltmarsh).to_have_value("60")

    sheet = {"name": "limits.csv", "mimeType": "text/csv", "buffer": b"organisation,processors\nsaltmarsh,=2\n"}
    page.get_by_label("A CSV of limits").set_input_files(sheet)
    expect(page.get_by_text("Line 2, processors: =2 is no limit")).to_be_visible()
    page.get_by_label("A CSV of limits").set_input_files(
        sheet | {"buffer": b"organisation,processors\nsaltmarsh,20\nthistledown,\n"}
    )
    expect(saltmarsh).to_have_value("20")
    expect(thistledown).to_have_value("30")
    page.get_by_role("button", name="Leave them as they are").click()
    expect(saltmarsh).to_have_value("60")
    with page.expect_download() as saved:
        page.get_by_role("button", name="Save as CSV").click()
    content = saved.value.path().read_text()
    assert content.startswith("organisation,name,processors [vCPU]") and "saltmarsh,Saltmarsh Ferries,60" in content
