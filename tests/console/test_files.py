"""Files in another shape are mapped, sent and taken back; those of costs come together, and are confirmed."""

import os
from pathlib import Path

from playwright.sync_api import expect

from tests.console.conftest import Tab
from tests.usecases.metering.test_imported_costs import FEED, costs, imported, row, written
from tests.world import World

__all__ = ["costs"]

ROWS = "Line;Customer no;Day;Sent\nIOM-1;4410;25/09/2026;12,5\nIOM-1;4410;26/09/2026;9,25\nIOM-2;4402;25/09/2026;n/a\n"


def test_a_file_in_another_shape_is_mapped_sent_and_taken_back(tab: Tab, world: World, tmp_path: Path) -> None:
    file = tmp_path / "lines.csv"
    file.write_text(ROWS)
    page = tab.page
    tab.sign_in("mara")
    page.goto(f"{world.url}/feeds?feed=tarnwick/north-fell")
    page.get_by_label("File of readings").set_input_files(file)
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("heading", name="lines.csv, 3 rows")).to_be_visible()
    expect(dialog).to_contain_text("Say what the quantity, its unit, meter, resource and start are")
    for box, option in (("Quantity", "Sent, as 12,5"), ("Resource", "Line, as IOM-1")):
        dialog.get_by_role("combobox", name=box).click()
        page.get_by_role("option", name=option).click()
    dialog.get_by_label("Its unit").fill("GB")
    dialog.get_by_label("Whose it is").fill("saltmarsh/booking")
    dialog.get_by_role("combobox", name="Meter").click()
    page.get_by_role("option", name="Network: Data sent out").click()
    shown = dialog.get_by_role("alert")
    expect(shown).to_contain_text("3 rows give 2 readings; 1 line cannot be read: line 4: quantity 'n/a'")
    expect(dialog.get_by_role("table", name="First readings")).to_contain_text("12.5 GB")
    tab.accessible("[role=dialog]", dark=True)
    dialog.get_by_role("button", name="Keep this mapping and send").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_text("lines.csv: 2 accepted, 0 known already, 1 refused")).to_be_visible()
    world.settle()
    [used] = world.mara.usage.sum("saltmarsh", "2026-09", wait=60).items
    assert used.quantity == 21_750_000_000

    # The next one is read by what was kept.
    file.write_text(ROWS.replace("n/a", "1"))
    page.get_by_label("File of readings").set_input_files(file)
    expect(shown).to_contain_text("3 rows give 3 readings")
    dialog.get_by_role("button", name="Cancel").click()
    page.get_by_role("button", name="Take back").click()
    expect(dialog).to_contain_text("Its 2 readings do not count any more")
    dialog.get_by_role("button", name="Take it back").click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_role("grid", name="Deliveries")).to_contain_text("Taken back")
    world.settle()
    assert not [each for each in world.mara.usage.sum("saltmarsh", "2026-09", wait=60).items if each.quantity]


def test_files_of_one_export_are_sent_together_and_what_loses_half_is_confirmed(
    tab: Tab, costs: World, tmp_path: Path
) -> None:
    page, mara = tab.page, costs.mara
    one, two, half = (tmp_path / f"{name}.csv" for name in ("one", "two", "half"))
    one.write_bytes(written(*[row("1")] * 4))
    two.write_bytes(written(row("4", 4)))
    os.utime(one, (1_790_226_000, 1_790_226_000))
    os.utime(two, (1_790_226_000, 1_790_226_000))
    tab.sign_in("mara")
    page.goto(f"{costs.url}/feeds?feed={FEED}")
    page.get_by_label("Cost file for").set_input_files([one, two])
    deliveries = page.get_by_role("grid", name="Deliveries")
    expect(deliveries).to_contain_text("one.csv and 1 more")
    assert imported(costs) == {("acc-7", "quillstone/archive"): 8}
    half.write_bytes(written(row("1")))
    [waiting] = [mara.uploads.send(FEED, half)]
    assert mara.uploads.follow(waiting.id, seconds=60).confirmable
    page.reload()
    alert = page.get_by_role("alert").filter(has_text="half.csv")
    expect(alert).to_contain_text("B-1 on 2026-09-03 had 4 rows")
    tab.accessible()
    alert.get_by_role("button", name="Take it as it is").click()
    expect(alert).to_be_hidden()
    expect(deliveries).to_contain_text("half.csv")
    assert imported(costs) == {("acc-7", "quillstone/archive"): 5}
