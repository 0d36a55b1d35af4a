"""Folders of files: of this machine, and of a store that speaks the S3 protocol."""

import os
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories, LocalFolder, ObjectStore
from gradumen.core.errors import Conflict, Invalid, Unavailable
from tests.adapters.objects.service import object_store, put
from tests.conftest import free_port


@pytest.fixture(scope="module")
def url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    with object_store(tmp_path_factory.mktemp("objects"), free_port()) as found:
        yield found


def test_objects_under_a_prefix_are_listed_and_read_page_by_page(url: str) -> None:
    many = {f"usage/day {number:04}.csv": b"x" * number for number in range(1, 1004)}
    put(url, "deliveries", {**many, "usage/older/day.csv": b"no", "usagelike.csv": b"no", "usage/": b""})
    store = ObjectStore(Door([url]), f"{url}/deliveries/usage/", "key", "secret")
    found = store.files()
    assert [each.name for each in found] == [name.removeprefix("usage/") for name in sorted(many)]
    assert (found[7].size, store.read(found[7])) == (8, b"x" * 8)
    put(url, "deliveries", {"usage/day 0008.csv": b"another"})
    with pytest.raises(Unavailable, match="another one by now"):
        store.read(found[7])
    assert store.files()[7].mark != found[7].mark
    store.close()
    whole = ObjectStore(Door([url]), f"{url}/deliveries", "key", "secret")
    assert [each.name for each in whole.files()] == ["usagelike.csv"]
    whole.close()
    nothing = ObjectStore(Door([url]), f"{url}/no-such-bucket", "key", "secret")
    with pytest.raises(Conflict, match="NoSuchBucket"):
        nothing.files()
    nothing.close()
    with pytest.raises(Invalid, match="names a bucket"):
        ObjectStore(Door([url]), url, None, "")


class _Strict(BaseHTTPRequestHandler):
    """Refuses whoever does not sign as it should, answers nonsense to the others."""

    def log_message(self, format: str, *args: object) -> None:
        """Nothing is written down."""

    def do_GET(self) -> None:
        signed = self.headers.get("Authorization", "")
        known = signed.startswith("AWS4-HMAC-SHA256 Credential=key/") and "/us-east-1/s3/aws4_request" in signed
        known = known and "SignedHeaders=host;" in signed and len(self.headers.get("x-amz-content-sha256", "")) == 64
        bomb = b'<!DOCTYPE a [<!ENTITY b "bbbb">]><a><Contents><Key>&b;</Key></Contents></a>'
        refused = b"<Error><Code>AccessDenied</Code><Message>Not you</Message></Error>"
        content = bomb if known else refused
        self.send_response(200 if known else 403)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)


def test_calls_are_signed_and_what_is_refused_or_no_list_is_told() -> None:
    server = ThreadingHTTPServer(("127.0.0.1", 0), _Strict)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    url = f"http://127.0.0.1:{server.server_address[1]}"
    try:
        for user, said in (("key", "no list of objects"), ("other", "AccessDenied Not you"), (None, "AccessDenied")):
            store = ObjectStore(Door([url]), f"{url}/bucket", user, "secret")
            with pytest.raises(Conflict, match=said):
                store.files()
            store.close()
    finally:
        server.shutdown()
        server.server_close()


def test_a_directory_has_its_regular_files_and_nothing_leads_out_of_it(tmp_path: Path) -> None:
    root, outside = tmp_path / "drop", tmp_path / "secret.csv"
    (root / "sub").mkdir(parents=True)
    outside.write_text("secret")
    (root / "b.csv").write_text("b")
    (root / "a.csv").write_text("aa")
    (root / "link.csv").symlink_to(outside)
    (root / "out").symlink_to(tmp_path)
    os.mkfifo(root / "pipe.csv")
    folder = LocalFolder(root)
    found = folder.files()
    assert [(each.name, each.size) for each in found] == [("a.csv", 2), ("b.csv", 1)]
    assert folder.read(found[0]) == b"aa"
    (root / "a.csv").write_text("aaa")
    with pytest.raises(Unavailable, match="being written"):
        folder.read(found[0])
    (root / "a.csv").unlink()
    (root / "a.csv").symlink_to(outside)
    with pytest.raises(Unavailable, match="cannot be read"):
        folder.read(found[0])
    opened = Directories(f"tarnwick/drop={root}, oxbow/in=/srv/in")
    assert opened.at("tarnwick", "drop/sub") == root / "sub"
    for seller, address in (("oxbow", "drop"), ("tarnwick", "drop/.."), ("tarnwick", "drop/out"), ("tarnwick", "in")):
        with pytest.raises(Invalid):
            opened.at(seller, address)
    with pytest.raises(Unavailable):
        LocalFolder(root / "gone").files()


@pytest.mark.parametrize("listed", ["drop=/srv/drop", "tarnwick/drop", "tarnwick/drop=srv", "/drop=/srv"])
def test_what_the_operator_lists_is_checked(listed: str) -> None:
    with pytest.raises(Invalid, match="SELLER/NAME=/PATH"):
        Directories(listed)


def test_what_is_listed_for_one_seller_is_open_to_it_alone() -> None:
    door = Door(["tarnwick=https://metrics.example", "https://all.example"])
    door.of("tarnwick").check("https://metrics.example/x", "endpoint")
    door.of("oxbow").check("https://all.example/x", "endpoint")
    for closed in (door, door.of("oxbow")):
        with pytest.raises(Invalid, match="not among"):
            closed.check("https://metrics.example/x", "endpoint")
