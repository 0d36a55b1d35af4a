"""Drafts keep mistakes, two editors do not lose each other's text, publishing ends them."""

from typing import Any

import pytest
import yaml

from gradumen.core.errors import CatalogueInvalid, EditedMeanwhile, Invalid, NotFound
from tests.world import World, rate_card


def form(**changes: Any) -> dict[str, Any]:
    found: dict[str, Any] = yaml.safe_load(rate_card("spring", "EUR", "named", "1"))
    found["starts-on"] = "2026-01-01"
    found["rates"] = [{**rate, **({"price": "0.5"} if "price" in rate else {})} for rate in found["rates"]]
    for rate in found["rates"]:
        for block in rate.get("blocks", []):
            block.update({name: str(value) for name, value in block.items()})
    return {**found, **changes}


def test_a_draft_with_mistakes_is_kept_and_not_published(world: World) -> None:
    changes = world.mara.unpublished_changes
    saved = changes.save("tarnwick", "rate-card", "spring", form(currency="EURO"))
    with pytest.raises(CatalogueInvalid, match="EURO"):
        changes.check("tarnwick", "rate-card", "spring")
    with pytest.raises(CatalogueInvalid):
        changes.publish("tarnwick", "rate-card", "spring", version=saved.version)

    assert changes.get("tarnwick", "rate-card", "spring") == saved
    assert [change.slug for change in changes.list("tarnwick")] == ["spring"]


def test_publishing_makes_a_version_and_ends_the_draft(world: World) -> None:
    changes = world.mara.unpublished_changes
    saved = changes.save("tarnwick", "rate-card", "spring", form())
    assert [change.change for change in changes.check("tarnwick", "rate-card", "spring")] == ["new"]
    changes.publish("tarnwick", "rate-card", "spring", version=saved.version)

    assert changes.list("tarnwick") == []
    assert world.mara.catalogue.rate_card("tarnwick", "spring").versions[0].form.plain()["rates"][0]["price"] == "0.5"
    with pytest.raises(NotFound):
        changes.publish("tarnwick", "rate-card", "spring", version=saved.version)


def test_two_who_edit_one_draft_do_not_overwrite_each_other(world: World) -> None:
    mine, theirs = world.mara.unpublished_changes, world.user("finn").unpublished_changes
    first = mine.save("tarnwick", "rate-card", "spring", form())
    theirs.save("tarnwick", "rate-card", "spring", form(name="Finn's"), version=first.version)
    with pytest.raises(EditedMeanwhile, match="Finn saved this meanwhile, it is at version 2"):
        mine.save("tarnwick", "rate-card", "spring", form(name="Mara's"), version=first.version)
    with pytest.raises(EditedMeanwhile):
        mine.save("tarnwick", "rate-card", "spring", form(name="Mara's"))
    with pytest.raises(EditedMeanwhile):
        mine.publish("tarnwick", "rate-card", "spring", version=first.version)

    assert mine.get("tarnwick", "rate-card", "spring").form["name"] == "Finn's"
    mine.discard("tarnwick", "rate-card", "spring")
    mine.discard("tarnwick", "rate-card", "spring")
    with pytest.raises(EditedMeanwhile, match="gone"):
        theirs.save("tarnwick", "rate-card", "spring", form(), version=2)


def test_a_draft_is_its_sellers_own(world: World) -> None:
    world.mara.unpublished_changes.save("tarnwick", "rate-card", "spring", form())
    assert world.user("edda").unpublished_changes.list("oxbow") == []
    with pytest.raises(NotFound):
        world.user("edda").unpublished_changes.get("tarnwick", "rate-card", "spring")


@pytest.mark.parametrize(
    ("kind", "slug", "words"), [("invoice", "spring", "kind is one of"), ("rate-card", "autumn", "must be 'autumn'")]
)
def test_a_draft_is_of_what_it_says(world: World, kind: str, slug: str, words: str) -> None:
    with pytest.raises(Invalid, match=words):
        world.mara.unpublished_changes.save("tarnwick", kind, slug, form())
