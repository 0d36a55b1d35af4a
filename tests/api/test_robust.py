"""What strangers, slow senders and odd bytes may do to the service: nothing but wait, and be refused in plain words."""

import asyncio
import json
import socket
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from uuid import uuid4

import httpx
import pytest
import uvicorn

from gradumen.api.app import make_app
from gradumen.api.expensive import Gate
from gradumen.client import Client
from gradumen.client.metering.readings import BATCH
from gradumen.core.errors import Busy, CatalogueInvalid, Invalid, NotSignedIn, SlowDown, TooLarge
from gradumen.run.http import TimedHttp
from gradumen.settings import Settings
from gradumen.usecases.access.users import check_password
from tests.conftest import CONSOLE, Service
from tests.world import EMAILS, PASSWORD, World, files, reading

FEED = {"feed": "tarnwick/north-fell"}
HEAD = b"POST /api/v1/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 50\r\n"


def test_yaml_that_refers_to_itself_is_refused_before_it_grows(world: World) -> None:
    laughs = "a: &a [x,x,x,x,x,x,x,x]\n" + "".join(
        f"{name}: &{name} [{','.join(['*' + before] * 8)}]\n"
        for before, name in zip("abcdefgh", "bcdefghi", strict=True)
    )
    with pytest.raises(CatalogueInvalid, match=r"file-0\.yaml:3: .*refers to another place"):
        world.mara.catalogue.compare("tarnwick", files(f"plan: x\n{laughs}"))


def test_catalogue_files_have_bounds(world: World) -> None:
    with pytest.raises(CatalogueInvalid, match="nested more than 24 deep"):
        world.mara.catalogue.compare("tarnwick", files("plan: " + "[" * 30 + "]" * 30))
    with pytest.raises(CatalogueInvalid, match="more than 200000 values"):
        world.mara.catalogue.compare("tarnwick", files("plan: [" + "x," * 210_000 + "x]"))
    with pytest.raises(TooLarge, match="1000000"):
        world.mara.catalogue.compare("tarnwick", files("plan: x\n", "# " + "x" * 1_000_000))


@pytest.mark.parametrize(
    ("path", "more"),
    [
        ("catalogue/compare", {"organisation": "tarnwick"}),
        ("catalogue/publish", {"organisation": "tarnwick"}),
        ("estimates/coverage", {"organisation": "tarnwick", "plan": "open-range"}),
        ("organisations/tarnwick/what-ifs", {"period": "2026-09"}),
    ],
)
def test_rights_come_before_what_was_sent_is_read(world: World, path: str, more: dict[str, str]) -> None:
    body = {**more, "files": [{"name": "a.yaml", "content": "{" * 3000}]}
    assert world.user("vera").connection.http.post(path, json=body).status_code in (403, 404)
    refused = world.mara.connection.http.post(path, json=body)
    assert (refused.status_code, refused.json()["code"]) == (422, "catalogue_invalid")


def test_a_few_expensive_calls_run_at_once_and_the_rest_is_told_when_to_come_back() -> None:
    async def run() -> tuple[int, float]:
        gate = Gate(per_caller=2, per_organisation=3, in_all=4, patience_seconds=0.05)
        ann, ben, cas, one, two = (uuid4() for _ in range(5))
        await gate.enter(ann, [one])
        await gate.enter(ann, [one])
        with pytest.raises(Busy):
            await gate.enter(ann, [two])
        await gate.enter(ben, [one])
        with pytest.raises(Busy):
            await gate.enter(cas, [one, two])
        await gate.enter(cas, [two])
        with pytest.raises(Busy) as refused:
            await gate.enter(uuid4(), [uuid4()])
        began = time.monotonic()
        patient = Gate(per_caller=1, patience_seconds=30)
        await patient.enter(ann, [])
        waiting = asyncio.create_task(patient.enter(ann, []))
        await asyncio.sleep(0.01)
        await patient.leave(ann, [])
        await waiting
        return refused.value.facts["retry_after_seconds"], time.monotonic() - began

    after, waited = asyncio.run(run())
    assert after > 0
    assert waited < 20, "a place that becomes free is taken"


def test_what_is_too_much_at_once_is_429_and_sign_in_goes_on(world: World, service: Service) -> None:
    gate = service.app.state.gate
    service.app.state.gate = Gate(per_caller=0, patience_seconds=0.01)
    try:
        refused = world.mara.connection.http.get("organisations/saltmarsh/usage", params={"period": "2026-09"})
        assert refused.status_code == 429
        assert int(refused.headers["retry-after"]) > 0
        assert world.user("piers").session().email == EMAILS["piers"]
        assert httpx.get(f"{world.url}/healthz").json() == {"status": "ok"}
    finally:
        service.app.state.gate = gate


@pytest.mark.parametrize(
    "event",
    [
        '{"specversion": "1.0", "type": "gradumen.reading.v1", "id": "\\ud800", "source": "/s", "data": {}}',
        json.dumps(reading("odd")).replace('"resource"', '"\\ud800x": 1, "resource"'),
        json.dumps(reading("odd")).replace('"resource"', '"resource": "r", "resource"'),
        json.dumps(reading("odd", start="0001-01-01T00:00:00+14:00")),
        json.dumps(reading("odd", end="9999-12-31T23:59:59-14:00")),
        json.dumps(reading("odd")).replace('"odd"', '"od\\ud800d"'),
        json.dumps(reading("odd", quantity="1e999")),
        json.dumps(reading("odd")).replace('"quantity": "', '"quantity": 1e999, "q": "'),
    ],
)
def test_an_odd_event_is_refused_alone(world: World, event: str) -> None:
    body = f"[{json.dumps(reading('a'))}, {event}, {json.dumps(reading('b'))}]".encode()
    answer = world.mara.connection.http.post("readings", params=FEED, content=body, headers={"Content-Type": BATCH})
    assert answer.status_code == 200, answer.text
    assert [each["status"] for each in answer.json()["outcomes"]] == ["accepted", "refused", "accepted"]
    assert world.mara.feeds.deliveries(FEED["feed"])[0].refused == 1


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b'{"form": {"plan": "x", "a": NaN}}', "NaN"),
        (b'{"form": {"plan": "x", "a": "\\ud800"}}', "half of a character"),
        (b'{"form": {"plan": "x", "a": %s1%s}}' % (b"[" * 60, b"]" * 60), "deep"),
        (b'{"form": {"plan": "x", "a": %s1%s}}' % (b"[" * 9000, b"]" * 9000), "not JSON"),
        (b'{"form": {"plan": "x", "plan": "x"}}', "stands twice"),
        (b'{"form": {"plan": "x", "a": %s}}' % (b"9" * 5000), "not JSON"),
    ],
)
def test_a_draft_of_odd_json_is_refused(world: World, content: bytes, words: str) -> None:
    path = "organisations/tarnwick/unpublished-changes/plan/x"
    answer = world.mara.connection.http.put(path, content=content, headers={"Content-Type": "application/json"})
    assert answer.status_code == 422
    assert words in answer.json()["detail"]


def test_numbers_of_a_draft_stay_exact(world: World) -> None:
    path = "organisations/tarnwick/unpublished-changes/plan/x"
    content = b'{"organisation": "tarnwick", "form": {"plan": "x", "a": 0.1000000000000000055, "b": 1e999}}'
    answer = world.mara.connection.http.put(path, content=content, headers={"Content-Type": "application/json"})
    assert answer.status_code == 200, answer.text
    assert answer.json()["form"] == {"plan": "x", "a": "0.1000000000000000055", "b": "1e999"}


@pytest.mark.parametrize("quantity", ["true", '"2"', "2.0"])
def test_a_whole_number_is_nothing_that_looks_like_one(world: World, quantity: str) -> None:
    content = (
        '{"organisation": "quillstone", "plan": "open-range", "tier": "moor", "name": "s", "starts_on": "2026-09-01", '
        f'"quantity": {quantity}}}'
    ).encode()
    answer = world.mara.connection.http.post(
        "subscriptions", content=content, headers={"Content-Type": "application/json"}
    )
    assert answer.status_code == 422
    assert answer.json()["facts"]["field"] == "quantity"


@pytest.mark.parametrize("path", ["/%00", "/" + "x" * 300, "/" + "x/" * 2000, "/a%00.js", "/%ff%fe"])
def test_an_odd_address_is_a_page_or_nothing(service: Service, path: str) -> None:
    assert httpx.get(f"{service.url}{path}").status_code in (200, 404)


def test_head_is_get_without_its_content(world: World) -> None:
    http = world.mara.connection.http
    got, head = http.get("organisations"), http.head("organisations")
    assert (head.status_code, head.content) == (200, b"")
    assert head.headers["content-type"] == got.headers["content-type"]
    assert httpx.head(f"{world.url}/").status_code == 200
    assert set(http.delete("organisations").headers["allow"].split(", ")) >= {"GET", "HEAD"}


def test_another_host_is_not_answered(world: World) -> None:
    refused = httpx.get(f"{world.url}/api/v1/session", headers={"Host": "elsewhere.example"})
    assert (refused.status_code, refused.json()["code"]) == (421, "unknown_host")
    assert httpx.get(f"{world.url}/healthz", headers={"Host": "10.0.0.7"}).status_code == 200
    with pytest.raises(Invalid, match="GRADUMEN_HOSTS"):
        _ = Settings(host="0.0.0.0").known_hosts
    assert "clouds.example" in Settings(host="0.0.0.0", hosts="clouds.example, x.example").known_hosts


def test_cookies_behind_tls_are_of_this_host_alone(world: World, service: Service) -> None:
    app = make_app(Settings(console=CONSOLE, secure_cookies=True), service.uow)

    async def sign_in() -> httpx.Response:
        transport = httpx.ASGITransport(app)
        async with httpx.AsyncClient(transport=transport, base_url="https://localhost") as browser:
            answer = await browser.post("/api/v1/session", json={"email": EMAILS["mara"], "password": PASSWORD})
            assert (await browser.get("/api/v1/session")).status_code == 200
            return answer

    answer = asyncio.run(sign_in())
    cookies = answer.headers.get_list("set-cookie")
    assert {each.partition("=")[0] for each in cookies} == {"__Host-gradumen_session", "__Host-gradumen_device"}
    assert all("Secure" in each and "Path=/" in each and "Domain" not in each for each in cookies)
    assert "max-age" in answer.headers["strict-transport-security"]


def test_many_wrong_passwords_at_once_are_as_many_as_one_after_another(world: World) -> None:
    def guess(number: int) -> type[Exception]:
        with Client(world.url) as client, pytest.raises((NotSignedIn, SlowDown)) as refused:
            client.sign_in(EMAILS["vera"], f"guess {number}")
        return refused.type

    with ThreadPoolExecutor(12) as pool:
        found = list(pool.map(guess, range(24)))
    assert found.count(NotSignedIn) <= 7, "five are free, and one or two may fit into the first seconds"


def test_a_stranger_cannot_keep_the_owner_out(world: World) -> None:
    with Client(world.url) as own, Client(world.url) as stranger:
        own.sign_in(EMAILS["ines"], PASSWORD)
        assert waits_after_guesses(stranger)
        assert own.sign_in(EMAILS["ines"], PASSWORD).email == EMAILS["ines"]
        assert waits_after_guesses(own)


def waits_after_guesses(client: Client) -> bool:
    """Whether the right password has to wait after wrong ones; again where all of it took longer than that second."""
    for _ in range(5):
        began = time.monotonic()
        for number in range(9):
            with pytest.raises((NotSignedIn, SlowDown)):
                client.sign_in(EMAILS["ines"], f"guess {number}")
        try:
            client.sign_in(EMAILS["ines"], PASSWORD)
        except SlowDown:
            return True
        if time.monotonic() - began < 1:
            break
    return False


def test_guesses_of_the_current_password_wait_too(world: World) -> None:
    client = world.user("ines")
    http = client.connection.http
    body = {"current": "not this one at all", "new": "four quiet herons at dusk"}
    found = [http.post("session/password", json=body).status_code for _ in range(8)]
    assert found[:5] == [401] * 5
    assert 429 in found[5:]


@pytest.mark.parametrize(
    "password",
    ["password1234", "123456789012", "aaaaaaaaaaaaaa", "qwertyuiopas", "mara@tarnwick.example", "passwordpassword"],
)
def test_a_password_that_is_guessed_soon_is_refused(password: str) -> None:
    with pytest.raises(Invalid, match="guessed soon"):
        check_password(password, "mara@tarnwick.example", "Mara Tarn")


@pytest.fixture
def hasty(service: Service) -> Iterator[tuple[uvicorn.Server, threading.Thread, int]]:
    """A service whose patience with slow senders is short."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    app = make_app(Settings(console=CONSOLE, body_seconds=1, largest_body_bytes=10_000), service.uow)
    config = uvicorn.Config(
        app,
        host="127.0.0.1",
        port=port,
        log_level="error",
        http=type("Http", (TimedHttp,), {"header_seconds": 1}),
        timeout_graceful_shutdown=2,
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield server, thread, port
    server.should_exit = True
    thread.join(10)


def _answer(port: int, sent: bytes) -> bytes:
    with socket.create_connection(("127.0.0.1", port), timeout=15) as connection:
        connection.sendall(sent)
        found = b""
        while piece := connection.recv(65536):
            found += piece
        return found


def test_half_sent_headers_and_bodies_are_not_waited_for(hasty: tuple[uvicorn.Server, threading.Thread, int]) -> None:
    port = hasty[2]
    assert _answer(port, b"") == b""
    assert _answer(port, b"GET /healthz HTTP/1.1\r\nHost: 127") == b""
    late = _answer(port, HEAD + b"\r\n" + b'{"email":')
    assert late.startswith(b"HTTP/1.1 408")
    assert b"did not come within 1 seconds" in late


def test_a_body_in_pieces_above_the_limit_is_413(hasty: tuple[uvicorn.Server, threading.Thread, int]) -> None:
    pieces = b"".join(b"400\r\n" + b"x" * 0x400 + b"\r\n" for _ in range(11))
    head = HEAD.replace(b"Content-Length: 50", b"Transfer-Encoding: chunked")
    with socket.create_connection(("127.0.0.1", hasty[2]), timeout=15) as connection:
        connection.sendall(head + b"\r\n" + pieces)
        assert connection.recv(4096).startswith(b"HTTP/1.1 413")


def test_the_service_ends_although_a_body_is_half_sent(hasty: tuple[uvicorn.Server, threading.Thread, int]) -> None:
    server, thread, port = hasty
    with socket.create_connection(("127.0.0.1", port), timeout=15) as connection:
        connection.sendall(HEAD + b"\r\n" + b'{"email":')
        time.sleep(0.2)
        server.should_exit = True
        thread.join(8)
        assert not thread.is_alive()
