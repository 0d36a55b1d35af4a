"""The PDF of a document whose lines are of projects that others named."""

import io

from pypdf import PdfReader

from tests.world import World, egress


def printed(world: World) -> list[str]:
    """What is printed of the one document to Quillstone."""
    document = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")
    pdf = world.mara.invoices.pdf(document.id)
    return [line for page in PdfReader(io.BytesIO(pdf)).pages for line in page.extract_text().split("\n")]


def test_a_name_that_cannot_be_printed_keeps_nobody_from_the_document(world: World) -> None:
    world.mara.projects.create("quillstone", slug="sky", name="مرصد 🐦")
    world.send(egress("a", 10**13, owner="quillstone/sky"), egress("b", 10**13, owner="quillstone/archive"))
    lines = printed(world)
    assert "sky" in lines and "Archive" in lines


def test_projects_of_one_name_are_told_apart_with_a_sum_each(world: World) -> None:
    for slug in ("north", "south"):
        world.mara.projects.create("quillstone", slug=slug, name="Dish")
    world.send(egress("a", 10**13, owner="quillstone/north"), egress("b", 2 * 10**13, owner="quillstone/south"))
    lines = printed(world)
    assert "Dish (north)" in lines and "Dish (south)" in lines
