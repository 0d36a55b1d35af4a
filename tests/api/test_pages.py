"""Lists in pages: together they are the whole list, each row once, however small the page."""

from datetime import date
from typing import Any

import pytest

from gradumen.client import Client
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.world import GIB, World, egress


@pytest.fixture
def full(world: World) -> World:
    """Enough of everything for several pages: six more tenants with documents of two months, nine deliveries."""
    for number in range(6):
        slug = f"tenant-{number}"
        world.mara.organisations.create(
            OrganisationCreate(
                parent="tarnwick", type="tenant", slug=slug, name=slug, country="IE", currency="EUR", billing_zone="UTC"
            )
        )
        world.mara.subscriptions.create(
            SubscriptionCreate(
                organisation=slug, plan="open-range", tier="moor", name="Range", starts_on=date(2026, 8, 1)
            )
        )
    for number in range(9):
        world.send(*[egress(f"e{number}-{each}", GIB + each, resource=f"vm-{each}") for each in range(7)])
    world.close("tarnwick", "finn", "2026-08")
    return world


def test_pages_together_are_the_list(full: World) -> None:
    finn = full.user("finn")
    billed = [each for each in full.close("tarnwick", "finn", "2026-09") if each.buyer == "oxbow"]
    sent = next(line for line in billed[0].lines if line.rate == "egress")
    for path, query, least in (
        ("organisations", {}, 11),
        ("invoices", {"state": "issued"}, 16),
        ("deliveries", {"feed": "tarnwick/north-fell"}, 9),
        (f"charges/{sent.charge_id}/readings", {}, 60),
    ):
        whole = get(finn, path, query, limit=500)
        assert whole["next"] is None
        assert len(whole["items"]) >= least, path
        for size in (1, 3, 4):
            found, after = [], None
            while True:
                page = get(finn, path, query, limit=size, **({} if after is None else {"after": after}))
                found += page["items"]
                after = page["next"]
                assert len(page["items"]) == size or after is None
                if after is None:
                    break
            assert found == whole["items"], (path, size)


def get(client: Client, path: str, query: dict[str, str], **more: Any) -> Any:
    answer = client.connection.http.get(path, params={**query, **more})
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_pages_of_many_organisations_are_those_of_few(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of many, those wanted are picked from pages of all."""
    asked = [{}, {"search": "t"}, {"type": "tenant"}, {"parent": "oxbow"}, {"state": "active"}]

    def listed() -> list[list[str]]:
        found = []
        for wanted in asked:
            slugs, after = [], ""
            while after is not None:
                params = {**wanted, "limit": 2} | ({"after": after} if after else {})
                page = world.mara.connection.send("GET", "organisations", params=params).json()
                slugs += [each["slug"] for each in page["items"]]
                after = page["next"]
            found.append(slugs)
        return found

    few = listed()
    monkeypatch.setattr("gradumen.store.organisations.organisations.FEW", 0)
    many = listed()

    assert many == few
    assert all(few) and few[0] == sorted(few[0])
