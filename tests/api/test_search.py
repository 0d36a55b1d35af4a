"""What is searched for by any letters is found by them, or by nothing, and never refused for them."""

import pytest

from gradumen.wire.organisations.organisations import OrganisationCreate
from tests.world import World, egress

NAMES = {"rtl": "مرصد الحجر", "accents": "Ærø Ćwierć Søn", "glyphs": "🐦 Wren", "percent": "100 % _sure_"}


@pytest.mark.parametrize(
    ("search", "found"),
    [("الحجر", "rtl"), ("Ćwierć", "accents"), ("🐦", "glyphs"), ("0 % _s", "percent"), ("山", None), ("%%", None)],
)
def test_organisations_and_documents_are_found_by_the_letters_of_a_name(
    world: World, search: str, found: str | None
) -> None:
    for slug, name in NAMES.items():
        body = OrganisationCreate(
            parent="tarnwick", type="tenant", slug=slug, name=name, country="IE", currency="EUR", billing_zone="UTC"
        )
        world.mara.organisations.create(body)
    world.mara.projects.create("quillstone", slug="odd", name="Odd")
    world.send(egress("some", 10**13, owner="quillstone/archive"))
    world.close("tarnwick", "finn", "2026-09", issue=False)
    expected = [found] if found else []
    http = world.mara.connection.http
    listed = http.get("organisations", params={"search": search})
    assert [each["slug"] for each in listed.json()["items"]] == expected
    documents = http.get("invoices", params={"search": search})
    assert (documents.status_code, documents.json()["items"]) == (200, [])
    record = http.get("organisations/tarnwick/audit-entries", params={"search": search})
    assert record.status_code == 200
