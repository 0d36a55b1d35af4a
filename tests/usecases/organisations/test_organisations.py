"""Organisations: a tree that is asked for customers by customers, and searched."""

import pytest

from gradumen.core.errors import NotFound
from tests.world import World


def test_customers_are_listed_seller_by_seller(world: World) -> None:
    provider = world.mara.organisations
    assert [each.slug for each in provider.list(parent="oxbow")] == ["saltmarsh", "thistledown"]
    assert [each.slug for each in provider.list(parent="oxbow", search="THIS")] == ["thistledown"]
    assert provider.list(parent="saltmarsh") == []
    counts = {each.slug: each.children for each in provider.list()}
    assert counts == {each: len(provider.list(parent=each)) for each in counts}
    assert counts["oxbow"] == 2


def test_of_a_seller_outside_the_scope_there_are_no_customers_to_list(world: World) -> None:
    """Neither above nor beside: that it is there is not told."""
    for user in ("edda", "ines", "una"):
        with pytest.raises(NotFound):
            world.user(user).organisations.list(parent="tarnwick")
    with pytest.raises(NotFound):
        world.user("una").organisations.list(parent="oxbow")
    assert [each.slug for each in world.user("edda").organisations.list(parent="oxbow")] == ["saltmarsh", "thistledown"]
    assert [(each.parent, each.children) for each in world.user("edda").organisations.list(search="oxbow")] == [
        (None, 2)
    ]
