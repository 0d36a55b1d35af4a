"""Sign-in, sessions, CSRF, slowing down, idempotency keys, the served console."""

import threading
from datetime import UTC, datetime, timedelta

import httpx
import pytest
from sqlalchemy import text

from gradumen.client import Client
from gradumen.core.errors import Conflict, Forbidden, KeyUsedOtherwise, NotSignedIn, SlowDown
from gradumen.core.permissions import Role
from gradumen.store.unit_of_work import UnitOfWork, make_engine
from gradumen.usecases import idempotency
from gradumen.wire.access.sessions import SetUp
from gradumen.wire.organisations.organisations import OrganisationCreate
from tests.conftest import CODE, Service
from tests.world import EMAILS, PASSWORD, World, make_world, moment


def test_a_session_says_who_and_with_which_rights(world: World) -> None:
    session = world.user("piers").session()
    assert [(each.organisation, each.role) for each in session.memberships] == [("oxbow", Role.FINANCE)]
    assert "bill" in session.memberships[0].rights
    assert session.now == moment("2026-10-05")


def test_a_wrong_password_twenty_times_is_slowed_down(world: World, service: Service) -> None:
    answers = []
    with Client(world.url) as client:
        for _ in range(20):
            try:
                client.sign_in(EMAILS["ines"], "not the password")
            except (NotSignedIn, SlowDown) as refused:
                answers.append(type(refused))
        assert answers[:5] == [NotSignedIn] * 5
        assert answers.count(SlowDown) >= 12
        # However long the calls before took, and those to come.
        with service.uow.engine.begin() as connection:
            connection.execute(text("UPDATE attempts SET last_at = last_at + INTERVAL 1 HOUR"))
        with pytest.raises(SlowDown, match="try again in"):
            client.sign_in(EMAILS["ines"], PASSWORD)
        assert client.sign_in(EMAILS["vera"], PASSWORD).email == EMAILS["vera"], "others sign in meanwhile"
        with service.uow.engine.begin() as connection:
            connection.execute(text("UPDATE attempts SET last_at = last_at - INTERVAL 2 HOUR"))
        assert client.sign_in(EMAILS["ines"], PASSWORD).email == EMAILS["ines"]


def test_an_unknown_address_and_a_wrong_password_look_alike(world: World) -> None:
    messages = set()
    with Client(world.url) as client:
        for email in (EMAILS["ines"], "nobody@nowhere.example"):
            with pytest.raises(NotSignedIn) as refused:
                client.sign_in(email, "wrong")
            messages.add(str(refused.value))
    assert len(messages) == 1


def test_the_cookie_is_out_of_reach_and_useless_without_the_csrf_value(world: World) -> None:
    with httpx.Client(base_url=world.url) as browser:
        answer = browser.post("/api/v1/session", json={"email": EMAILS["mara"], "password": PASSWORD})
        cookie = answer.headers["set-cookie"].lower()
        assert "httponly" in cookie and "samesite=strict" in cookie
        body = {"slug": "x", "name": "X"}
        refused = browser.post("/api/v1/organisations/oxbow/projects", json=body)
        assert (refused.status_code, refused.json()["code"]) == (403, "session_changed")
        assert refused.json()["detail"] == "your session changed: reload the page"
        headers = {"X-CSRF-Token": answer.json()["csrf"]}
        assert browser.post("/api/v1/organisations/oxbow/projects", json=body, headers=headers).status_code == 201
        assert browser.delete("/api/v1/session").status_code == 204
        assert browser.get("/api/v1/session").status_code == 401


def test_secrets_of_other_letters_are_wrong_and_nothing_else(world: World, service: Service) -> None:
    service.app.state.set_up_file.write_text(CODE)
    http = world.user("ines").connection.http
    answer = http.post("tokens", json={}, headers={"X-CSRF-Token": "é".encode("latin-1")})
    assert answer.status_code == 403
    body = {"code": "é", "slug": "b", "name": "B", "country": "IE", "currency": "EUR", "billing_zone": "UTC"}
    body |= {"email": "b@b.example", "user_name": "B", "password": PASSWORD}
    assert http.post("set-up", json=body).status_code == 401


def test_a_session_ends_by_itself(world: World, service: Service) -> None:
    client = world.user("ines")
    with service.uow.engine.begin() as connection:
        connection.execute(text("UPDATE sessions SET expires_at = '2020-01-01'"))
    with pytest.raises(NotSignedIn, match="over"):
        client.session()


def test_a_provider_is_set_up_once_and_with_the_code(world: World, service: Service) -> None:
    body = SetUp(
        code="guess",
        slug="b",
        name="B",
        country="IE",
        currency="EUR",
        billing_zone="UTC",
        email="b@b.example",
        user_name="B",
        password=PASSWORD,
    )
    with Client(world.url) as client:
        with pytest.raises(NotSignedIn):
            client.set_up(body)
        service.app.state.set_up_file.write_text(CODE)
        with pytest.raises(Conflict, match="set up already"):
            client.set_up(body.model_copy(update={"code": CODE}))


def test_a_call_with_a_key_is_carried_out_once(world: World) -> None:
    body = OrganisationCreate(parent="tarnwick", type="tenant", slug="new", name="New", country="IE", currency="EUR")
    first = world.mara.organisations.create(body, key="k-1")
    assert world.mara.organisations.create(body, key="k-1") == first
    with pytest.raises(KeyUsedOtherwise):
        world.mara.organisations.create(body.model_copy(update={"slug": "other"}), key="k-1")
    with pytest.raises(Conflict, match="taken"):
        world.mara.organisations.create(body, key="k-2")
    other = body.model_copy(update={"parent": "oxbow", "slug": "elsewhere", "currency": "GBP"})
    assert world.user("edda").organisations.create(other, key="k-1").slug == "elsewhere", "keys belong to their caller"


def test_a_key_is_kept_for_seven_days_and_then_forgotten_whatever_there_are(
    world: World, service: Service, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(idempotency, "FORGOTTEN", 2)
    body = OrganisationCreate(parent="tarnwick", type="tenant", slug="new", name="New", country="IE", currency="EUR")
    for number in range(5):
        world.mara.organisations.create(body.model_copy(update={"slug": f"new-{number}"}), key=f"k-{number}")
    today = datetime.now(UTC)
    idempotency.forget_keys(service.uow, at=today + timedelta(days=6))
    with pytest.raises(KeyUsedOtherwise):
        world.mara.organisations.create(body, key="k-0")
    idempotency.forget_keys(service.uow, at=today + timedelta(days=8))
    assert world.mara.organisations.create(body, key="k-0").slug == "new"
    with service.uow.engine.connect() as connection:
        assert connection.scalar(text("SELECT COUNT(*) FROM idempotency_keys WHERE `key` LIKE 'k-%'")) == 1


def test_the_same_key_at_once_makes_one(world: World) -> None:
    clients = [Client(world.url) for _ in range(5)]
    for client in clients:
        client.sign_in(EMAILS["mara"], PASSWORD)
    gate = threading.Barrier(len(clients))
    made = []

    def create(client: Client) -> None:
        gate.wait()
        made.append(client.projects.create("oxbow", slug="once", name="Once", key="same").id)

    threads = [threading.Thread(target=create, args=(client,)) for client in clients]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    for client in clients:
        client.close()
    assert len(made) == 5
    assert len(set(made)) == 1


def test_the_clock_is_moved_by_the_providers_administrator_only(world: World) -> None:
    for user in ("edda", "finn", "ines"):
        with pytest.raises(Forbidden):
            world.user(user).clock.set(None)
    world.mara.clock.set(moment("2026-11-02"), held=False)
    assert abs(world.mara.clock.read().now - moment("2026-11-02")) < timedelta(seconds=30)


def test_the_console_is_served_with_a_strict_policy(service: Service) -> None:
    with httpx.Client(base_url=service.url) as browser:
        for path in ("/", "/invoices", "/organisations?search=x"):
            page = browser.get(path)
            assert '<div id="root">' in page.text
            assert page.headers["cache-control"] == "no-cache"
            assert "default-src 'self'" in page.headers["content-security-policy"]
        script = page.text.split('src="')[1].split('"')[0]
        assert "immutable" in browser.get(script).headers["cache-control"]
        assert browser.get("/api/v2/nothing").status_code == 404
        assert browser.get("/assets/nothing.js").status_code == 404
        assert browser.get("/../pyproject.toml").status_code == 404
        assert browser.get("/%2e%2e/%2e%2e/pyproject.toml").status_code == 404
        assert browser.get("/healthz").json() == {"status": "ok"}
        assert browser.get("/readyz").json()["provider"] == "none"


def test_what_the_console_ships_is_named_with_its_licences(service: Service) -> None:
    notices = httpx.get(f"{service.url}/licences.txt")
    assert notices.headers["content-type"].startswith("text/plain")
    for package in ("react", "@mui/material", "@fontsource-variable/inter", "@tanstack/react-query", "openapi-fetch"):
        assert f"## {package} - " in notices.text
    assert "Permission is hereby granted" in notices.text


def test_readiness_looks_at_disk_database_and_clock(world: World, service: Service) -> None:
    ready = httpx.get(f"{world.url}/readyz")
    assert (ready.status_code, set(ready.json().values())) == (200, {"ok", "set up"})
    settings = service.app.state.settings
    service.app.state.settings = settings.model_copy(update={"least_free_mib": 10**9})
    full = httpx.get(f"{world.url}/readyz")
    service.app.state.settings = settings
    assert full.status_code == 503
    assert "1000000000 are needed" in full.json()["disk"]
    service.app.state.uow = UnitOfWork(make_engine("mysql://nobody:x@127.0.0.1:9/gradumen"))
    away = httpx.get(f"{world.url}/readyz")
    service.app.state.uow = service.uow
    assert (away.status_code, away.json()["database"]) == (503, "it does not answer")


def test_every_answer_has_safe_headers(world: World, service: Service) -> None:
    # The description is made when it is first asked for, which takes seconds beside other tests.
    with httpx.Client(base_url=service.url, timeout=30) as browser:
        for path in ("/", "/healthz", "/api/v1/organisations", "/api/v1/nothing", "/api/openapi.json"):
            assert browser.get(path).headers["x-content-type-options"] == "nosniff", path
        assert browser.get("/api/v1/organisations").headers["cache-control"] == "no-store"
        refused = browser.request("DELETE", "/api/v1/organisations")
        assert refused.status_code == 405
        assert refused.headers["allow"]


def test_the_set_up_code_goes_when_it_is_used(service: Service) -> None:
    assert service.app.state.set_up_file.exists()
    make_world(service.url, CODE).reconnect()
    assert not service.app.state.set_up_file.exists()
