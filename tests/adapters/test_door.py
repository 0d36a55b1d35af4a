"""One door to what people enter: only what the operator listed, at the address that was looked at, within bounds."""

import socket
import threading
import time
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from gradumen.adapters.door import LARGEST, Door, Entry, call, fit
from gradumen.core.errors import Invalid, Unavailable


class Odd(BaseHTTPRequestHandler):
    """Answers that a door has to deal with."""

    def log_message(self, format: str, *args: object) -> None:
        """Nothing."""

    def do_GET(self) -> None:
        if self.path == "/elsewhere":
            self.send_response(302)
            self.send_header("Location", "http://169.254.169.254/latest/meta-data")
            self.end_headers()
        elif self.path == "/large":
            self.send_response(200)
            self.end_headers()
            for _ in range(LARGEST // 65_536 + 2):
                self.wfile.write(b"x" * 65_536)
        elif self.path == "/hangs":
            time.sleep(2)
        elif self.path.startswith("/drips"):
            self.send_response(200)
            if self.path == "/drips":
                self.end_headers()
            try:
                for _ in range(60):
                    self.wfile.write(b"x")
                    self.wfile.flush()
                    time.sleep(0.05)
            except OSError:
                pass
        else:
            self.send_response(int(self.path.strip("/") or 200))
            self.end_headers()
            self.wfile.write(b"fine")


@pytest.fixture(scope="module")
def odd() -> Iterator[str]:
    server = ThreadingHTTPServer(("127.0.0.1", 0), Odd)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_address[1]}"
    server.shutdown()
    server.server_close()


def test_what_is_listed_is_called_and_nothing_else(odd: str) -> None:
    door = Door([odd, " https://*.clouds.example "])
    with door.client(odd) as client:
        assert call(client, "GET", "/200").text == "fine"
        assert call(client, "GET", "/404").status_code == 404
    door.check("https://id.clouds.example/v3", "endpoint")
    for address in (
        "http://127.0.0.1:1/",
        odd.replace("http", "https"),
        "https://clouds.example/",
        "https://id.clouds.example:5000/",
        "https://user@id.clouds.example/",
        "https://id.clouds.example.evil.example/",
        "ftp://id.clouds.example/",
        "http://[::1",
    ):
        with pytest.raises(Invalid) as refused:
            door.check(address, "endpoint")
        assert refused.value.facts["field"] == "endpoint", address
    with pytest.raises(Invalid, match="GRADUMEN_OUTBOUND"):
        Door([]).client(odd)


@pytest.mark.parametrize(
    ("path", "refusal", "said"),
    [
        ("/elsewhere", Invalid, "leads elsewhere"),
        ("/large", Invalid, "larger than"),
        ("/hangs", Unavailable, "does not answer"),
        ("/drips", Unavailable, "does not answer"),
        ("/drips-before-its-answer", Unavailable, "does not answer"),
        ("/503", Unavailable, "answered 503"),
        ("/429", Unavailable, "answered 429"),
    ],
)
def test_what_leads_elsewhere_hangs_or_pours_is_refused(
    odd: str, path: str, refusal: type[Exception], said: str
) -> None:
    with Door([odd], seconds=1).client(odd) as client, pytest.raises(refusal, match=said):
        call(client, "GET", path)


@pytest.mark.parametrize(
    ("address", "host", "fits"),
    [
        ("8.8.8.8", "*.example", True),
        ("10.1.2.3", "*.example", False),
        ("10.1.2.3", "id.example", True),
        ("::ffff:10.1.2.3", "*.example", False),
        ("::ffff:169.254.169.254", "id.example", False),
        ("fe80::1%eth0", "id.example", False),
        ("127.0.0.1", "id.example", False),
        ("::1", "localhost", True),
        ("0.0.0.0", "id.example", False),
        ("224.0.0.1", "id.example", False),
    ],
)
def test_a_name_leads_to_no_address_that_is_not_meant(address: str, host: str, fits: bool) -> None:
    assert fit(address, Entry("https", host, 443)) is fits


def test_a_name_that_turns_to_this_machine_is_not_followed(odd: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """The address is looked at when the connection is made, whatever it was before."""
    port = odd.rpartition(":")[2]
    asked: list[str] = []

    def turned(host: str, *_: object, **__: object) -> list[tuple[object, ...]]:
        asked.append(host)
        return [(socket.AF_INET, socket.SOCK_STREAM, 6, "", ("127.0.0.1", int(port)))]

    monkeypatch.setattr(socket, "getaddrinfo", turned)
    address = f"http://id.clouds.example:{port}"
    with Door([address]).client(address) as client, pytest.raises(Unavailable):
        call(client, "GET", "/")
    assert asked == ["id.clouds.example"]


@pytest.mark.parametrize(
    "entry", ["nonsense", "https://", "https://a.example/path", "https://u@a.example", "http://[::1"]
)
def test_an_entry_that_is_none_is_named(entry: str) -> None:
    with pytest.raises(Invalid) as refused:
        Door([entry])
    assert refused.value.facts["field"] == "GRADUMEN_OUTBOUND"
