"""Bad input gets a clear refusal that names what to do, and nothing is half written."""

import json
from typing import Any

import httpx
import pytest

from gradumen.client.metering.readings import BATCH
from gradumen.core.errors import CatalogueInvalid, Conflict, Invalid, NotPriceable, VersionInForce
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.world import SERVICES, World, files, rate_card, reading

FEED = {"feed": "tarnwick/north-fell"}


@pytest.mark.parametrize(
    ("content", "media", "status", "words"),
    [
        (b"{", BATCH, 422, "not JSON"),
        (b'[{"data": NaN}]', BATCH, 422, "NaN"),
        (b"[" * 5000, BATCH, 422, "not JSON"),
        (b'{"a": 1}', BATCH, 422, "list of events"),
        (b"a,b", "text/csv", 415, "text/csv"),
        (b"{}", "application/json", 415, "ce- headers"),
        (b"", "", 415, "is not read here"),
        (b"\xff\xfe", BATCH, 422, "not JSON"),
    ],
)
def test_a_wrong_body_of_readings(world: World, content: bytes, media: str, status: int, words: str) -> None:
    http = world.mara.connection.http
    answer = http.post("readings", params=FEED, content=content, headers={"Content-Type": media})
    assert answer.status_code == status
    assert words in answer.json()["detail"]
    assert world.mara.feeds.deliveries(FEED["feed"]) == []


@pytest.mark.parametrize(
    "event",
    [
        5,
        "text",
        {},
        {"specversion": "0.3", "type": "gradumen.reading.v1", "id": "1", "source": "/s", "data": {}},
        {"specversion": "1.0", "type": "another.type", "id": "1", "source": "/s", "data": {}},
        {"specversion": "1.0", "type": "gradumen.reading.v1", "id": "", "source": "/s", "data": reading("x")["data"]},
        {"specversion": "1.0", "type": "gradumen.reading.v1", "id": "1", "data": reading("x")["data"]},
        {"specversion": "1.0", "type": "gradumen.reading.v1", "id": "1", "source": "/s", "data": "text"},
    ],
)
def test_an_event_that_is_none_takes_its_place_among_the_answers(world: World, event: Any) -> None:
    outcome = world.mara.readings.send_bytes(
        FEED["feed"], json.dumps([reading("a"), event, reading("b")]).encode(), BATCH
    )
    assert [each.status for each in outcome.outcomes] == ["accepted", "refused", "accepted"]
    assert outcome.outcomes[1].reason


def test_a_body_of_50_mb_is_refused_with_and_without_its_length(world: World) -> None:
    http = world.mara.connection.http
    chunk = b" " * 1_000_000
    for content in (chunk * 50, (chunk for _ in range(50))):
        try:
            answer = http.post("readings", params=FEED, content=content, headers={"Content-Type": BATCH})
        except httpx.WriteError:
            continue  # The service closed the connection before all of it was sent.
        assert answer.status_code == 413
        assert "16777216" in answer.json()["detail"]
    assert world.mara.session().email == "mara@tarnwick.example"


@pytest.mark.parametrize(
    ("line", "path", "words", "change"),
    [
        (14, "rates[2].blocks", "ascend", ("to: 200", "to: 50")),
        (12, "rates[2].blocks", "ascend", ("{to: 50,", "{to: 500,")),
        (
            8,
            "rates[0]",
            "'compute/magic' is not known",
            ("rate: vcpu, meter: compute/vcpu", "rate: vcpu, meter: compute/magic"),
        ),
        (8, "rates[0]", "unit 'furlong' is not known", ("per: vCPU-hour", "per: furlong")),
        (9, "rates[1].where.size", "'huge' is not one of small, large", ("size: large", "size: huge")),
        (9, "rates[1].where.colour", "'colour' is not one of the service's", ("size: large", "colour: green")),
        (17, "rates[3]", "has no tier 'cliff'", ("open-range/heath", "open-range/cliff")),
        (8, "rates[0]", "negative", ("price: 0.020", "price: -1")),
        (5, "rate-card", "currency 'EUX'", ("currency: EUR", "currency: EUX")),
        (2, "rate-card", "'vcpu' stands twice", ("rate: vcpu-large", "rate: vcpu")),
        (2, "rate-card", "add a condition", (", where: {size: large}", "")),
    ],
)
def test_a_wrong_rate_card_names_file_line_path_and_remedy(
    world: World, line: int, path: str, words: str, change: tuple[str, str]
) -> None:
    content = rate_card("wrong", "EUR", "tenants", "1").replace("price: 0.02}", "price: 0.020}")
    assert change[0] in content
    with pytest.raises(CatalogueInvalid) as refused:
        world.mara.catalogue.publish("tarnwick", files(content.replace(*change, 1)))
    problem = refused.value.facts["problems"][0]
    assert words in problem["message"]
    assert problem["path"].startswith(path.split(".")[0].split("[")[0])
    assert problem["file"] == "file-0.yaml"
    assert {card.slug for card in world.mara.catalogue.rate_cards()} == {"tenants-eur", "resellers-gbp", "own-cost"}


@pytest.mark.parametrize(
    "content",
    [
        "a: [",
        "- just\n- a list",
        "plan: x\nplan: y",
        "hello",
        "{" * 3000,
        "rate-card: &a [*a]",
        "!!python/object:os.system {}",
    ],
)
def test_what_is_no_catalogue_file_is_refused(world: World, content: str) -> None:
    with pytest.raises(CatalogueInvalid, match=r"file-0\.yaml:\d+"):
        world.mara.catalogue.compare("tarnwick", files(content))


def test_all_problems_are_named_at_once_and_nothing_is_published(world: World) -> None:
    wrong = (
        rate_card("one", "EUX", "any", "1"),
        rate_card("two", "EUR", "nobody", "1"),
        rate_card("good", "EUR", "any", "1"),
    )
    with pytest.raises(CatalogueInvalid) as refused:
        world.mara.catalogue.publish("tarnwick", files(*wrong))
    assert [each["file"] for each in refused.value.facts["problems"]] == ["file-0.yaml", "file-1.yaml"]
    assert "good" not in {card.slug for card in world.mara.catalogue.rate_cards()}


def test_what_is_in_force_is_not_published_over(world: World) -> None:
    same = files(rate_card("tenants-eur", "EUR", "tenants", "1"))
    assert [each.change for each in world.mara.catalogue.publish("tarnwick", same)] == ["unchanged"]
    for day in ("2026-01-01", "2025-01-01", "2026-10-05"):
        with pytest.raises(VersionInForce):
            world.mara.catalogue.publish("tarnwick", files(rate_card("tenants-eur", "EUR", "tenants", "2", day)))
    later = files(rate_card("tenants-eur", "EUR", "tenants", "2", "2026-10-06"))
    assert [(each.change, each.version) for each in world.mara.catalogue.publish("tarnwick", later)] == [
        ("new version", 2)
    ]
    assert [v.in_force for v in world.mara.catalogue.rate_card("tarnwick", "tenants-eur").versions] == [True, False]


def test_a_meter_never_changes_what_it_counts(world: World) -> None:
    with pytest.raises(CatalogueInvalid, match="that never changes"):
        world.mara.catalogue.publish(
            "tarnwick", files(SERVICES.replace("unit: byte, combine: sum", "unit: byte-second, combine: level"))
        )


def test_a_seller_cannot_take_anothers_service(world: World) -> None:
    with pytest.raises(CatalogueInvalid, match="not available"):
        world.user("edda").catalogue.publish("oxbow", files(SERVICES.split("---")[0]))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"country": "ireland"}, "two capital letters"),
        ({"currency": "EUX"}, "currency"),
        ({"billing_zone": "Mars/Olympus"}, "billing zone"),
        ({"billing_zone": "../../etc/passwd"}, "billing zone"),
        ({"slug": "Über"}, "slug"),
        ({"slug": "a" * 64}, "slug"),
        ({"name": "  "}, "name"),
        ({"name": "x" * 121}, "name"),
        ({"type": "provider"}, "type"),
        ({"parent": "quillstone"}, "sells to nobody"),
    ],
)
def test_a_wrong_organisation(world: World, change: dict[str, str], words: str) -> None:
    fields = {"parent": "tarnwick", "type": "tenant", "slug": "new", "name": "New", "country": "IE", "currency": "EUR"}
    with pytest.raises(Invalid, match=words):
        world.mara.organisations.create(OrganisationCreate(**{**fields, **change}))
    assert "new" not in {each.slug for each in world.mara.organisations.list()}


def test_a_slug_is_taken_once(world: World) -> None:
    body = OrganisationCreate(parent="tarnwick", type="tenant", slug="oxbow", name="x", country="IE", currency="EUR")
    with pytest.raises(Conflict, match="taken"):
        world.mara.organisations.create(body)


@pytest.mark.parametrize(
    ("kind", "change", "words"),
    [
        (Invalid, {"tier": "cliff"}, "choose one of heath, moor"),
        (Invalid, {"quantity": 0}, "quantity"),
        (Invalid, {"ends_on": "2026-09-01"}, "after"),
        (NotPriceable, {"rate_card": "resellers-gbp"}, "no rate card 'resellers-gbp' in EUR"),
        (Conflict, {"name": "Open Range"}, "another name"),
    ],
)
def test_a_wrong_subscription(world: World, kind: type[Exception], change: dict[str, Any], words: str) -> None:
    fields: dict[str, Any] = {
        "organisation": "quillstone",
        "plan": "open-range",
        "tier": "moor",
        "name": "second",
        "starts_on": "2026-09-01",
    }
    with pytest.raises(kind, match=words):
        world.mara.subscriptions.create(SubscriptionCreate(**{**fields, **change}))
    assert len(world.mara.subscriptions.list("quillstone")) == 1


@pytest.mark.parametrize(
    ("method", "path", "body", "status"),
    [
        ("POST", "organisations", {"slug": "x"}, 422),
        ("POST", "organisations", {"nothing": "known"}, 422),
        ("PUT", "organisations/oxbow/quotas/storage", {"limit": 5}, 422),
        ("PUT", "organisations/oxbow/quotas/storage", {"limit": "NaN"}, 422),
        ("PUT", "organisations/oxbow/quotas/magic", {"limit": "5"}, 422),
        ("GET", "organisations?limit=0", None, 422),
        ("GET", "organisations/saltmarsh/usage?period=2026-13", None, 422),
        ("GET", "organisations/saltmarsh/usage?period=2026-09&by=colour", None, 422),
        ("GET", "invoices/not-an-id", None, 422),
        ("GET", "nothing/here", None, 404),
        ("DELETE", "organisations/oxbow", None, 405),
    ],
)
def test_every_refusal_is_problem_details(world: World, method: str, path: str, body: Any, status: int) -> None:
    answer = world.mara.connection.http.request(method, path, json=body)
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"
    assert {"type", "title", "status", "detail", "code"} <= set(answer.json())


def test_json_that_is_none_is_refused(world: World) -> None:
    answer = world.mara.connection.http.post(
        "organisations", content=b"{", headers={"Content-Type": "application/json"}
    )
    assert answer.status_code == 422
    assert "not JSON" in answer.json()["detail"]
