"""What happened to a resource, and lists of all that is there: what is read of them, and what is refused."""

from typing import Any

import pytest

from gradumen.core.errors import Invalid
from gradumen.core.metering.life_events import LISTED, MOST_LISTED, read_life_event, read_listing, read_told

AT = "2026-10-01T08:00:00Z"
EVENT = {"meter": "compute/running", "resource": "vm-1", "at": AT}
LIST = {"meter": "compute/running", "at": AT, "account": "north"}


def listed(*names: str, **more: Any) -> dict[str, Any]:
    return {**LIST, "resources": [{"resource": name, "phase": "awake"} for name in names], **more}


@pytest.mark.parametrize(
    ("kind", "facts", "field"),
    [
        ("gone", {"quantity": 1}, "quantity"),
        ("phase-changed", {}, "phase"),
        ("made", {"quantity": 0}, "quantity"),
        ("made", {"quantity": -1}, "quantity"),
        ("made", {"phase": "awake", "attributes": {"phase": "parked"}}, "attributes"),
        ("made", {"phase": "awake", "attributes": "small"}, "attributes"),
        ("made", {"phase": 3}, "phase"),
        ("made", {"at": None}, "at"),
        ("made", {"at": "2026-10-01"}, "at"),
        ("made", {"resource": None}, "resource"),
        ("made", {"start": AT}, "data"),
    ],
)
def test_what_cannot_have_happened_is_refused_by_its_field(kind: str, facts: dict[str, Any], field: str) -> None:
    with pytest.raises(Invalid) as refused:
        read_life_event(kind, "/cloud", "e-1", {**EVENT, **facts})
    assert refused.value.facts.get("field") == field


def test_a_list_says_of_each_what_an_event_would() -> None:
    found = read_listing("/cloud", "l-1", listed("vm-1", "vm-2"))
    of_events = [
        read_life_event(LISTED, "/cloud", f"l-1/{place}", {**EVENT, "account": "north", **item})
        for place, item in enumerate(listed("vm-1", "vm-2")["resources"])
    ]
    assert list(found.readings) == of_events


def test_the_content_of_a_list_is_what_stands_in_it() -> None:
    whole = read_listing("/cloud", "l-1", listed("vm-1", "vm-2")).content
    assert read_listing("/cloud", "l-1", listed("vm-1", "vm-2")).content == whole
    others = [listed("vm-1"), listed("vm-1", "vm-3"), listed(), listed("vm-1", "vm-2", account="south")]
    others.append(listed("vm-1", "vm-2", at="2026-10-01T09:00:00Z"))
    contents = {read_listing("/cloud", "l-1", each).content for each in others}
    assert len(contents) == len(others)
    assert whole not in contents


@pytest.mark.parametrize(
    ("data", "field", "words"),
    [
        (listed("vm-1", "vm-2", "vm-1"), "resources", "'vm-1' stands twice"),
        (listed(resources="vm-1"), "resources", f"at most {MOST_LISTED}"),
        (listed(*map(str, range(MOST_LISTED + 1))), "resources", f"at most {MOST_LISTED}"),
        (listed(resources=[{"resource": "vm-1"}, {"resource": "vm-2", "quantity": 0}]), "quantity", "resource 2 of"),
        (listed(resources=[{"resource": "vm-1", "at": AT}]), "data", "unknown fields at"),
        (listed(resources=["vm-1"]), "data", "resource 1 of the list"),
        (listed(at=None), "at", "at"),
        (listed(meter=None), "meter", "meter"),
        ("vm-1", "data", "must be an object"),
    ],
)
def test_a_list_that_cannot_be_is_refused_whole(data: object, field: str, words: str) -> None:
    with pytest.raises(Invalid, match=words) as refused:
        read_listing("/cloud", "l-1", data)
    assert refused.value.facts.get("field") == field


def test_an_empty_list_says_that_nothing_is_left() -> None:
    assert read_listing("/cloud", "l-1", listed()).readings == ()


@pytest.mark.parametrize("data", [{}, {"until": "soon"}, {"until": AT, "from": AT}, None])
def test_what_is_told_has_a_moment_and_nothing_else(data: object) -> None:
    with pytest.raises(Invalid):
        read_told("/cloud", "t-1", data)
    assert read_told("/cloud", "t-1", {"until": AT}).until.isoformat() == "2026-10-01T08:00:00+00:00"
