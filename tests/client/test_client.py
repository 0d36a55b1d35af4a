"""The client library: refusals come back as the same classes, files become events, imports stay light."""

import csv
import json
import subprocess
import sys
from pathlib import Path

import httpx
import pytest

from gradumen.client import Client, ServiceUnreachable
from gradumen.client.metering.reading_files import read_file
from gradumen.core import errors
from gradumen.core.errors import GradumenError, Invalid, QuotaExceeded, error_class


def answering(status: int, body: object) -> Client:
    content = json.dumps(body).encode()
    headers = {"content-type": "application/problem+json"}
    return Client(
        "http://x", transport=httpx.MockTransport(lambda _: httpx.Response(status, content=content, headers=headers))
    )


def test_a_refusal_is_raised_as_the_class_that_was_refused_with() -> None:
    body = {
        "type": "",
        "title": "",
        "status": 409,
        "detail": "31 asked",
        "code": "quota_exceeded",
        "facts": {"left": "30"},
    }
    with answering(409, body) as client, pytest.raises(QuotaExceeded, match="31 asked") as refused:
        client.organisations.get("x")
    assert refused.value.facts == {"left": "30"}


def test_a_code_of_a_later_version_is_still_an_error_of_ours() -> None:
    body = {"type": "", "title": "", "status": 418, "detail": "new", "code": "of_tomorrow", "facts": {}}
    with answering(418, body) as client, pytest.raises(GradumenError, match="new"):
        client.organisations.get("x")


def test_every_class_has_a_code_of_its_own() -> None:
    classes = [each for each in vars(errors).values() if isinstance(each, type) and issubclass(each, GradumenError)]
    assert len({each.code for each in classes}) == len(classes)
    assert all(error_class(each.code) is each for each in classes)


def test_no_service_at_the_address_is_said_so() -> None:
    with (
        Client("http://127.0.0.1:9", timeout=2) as client,
        pytest.raises(ServiceUnreachable, match="is the service running"),
    ):
        client.session()


def test_the_client_and_the_command_line_need_no_server_package() -> None:
    banned = ["fastapi", "sqlalchemy", "polars", "numpy", "alembic", "uvicorn", "reportlab", "argon2"]
    code = (
        "import sys, builtins; real = builtins.__import__\n"
        f"banned = {banned!r}\n"
        "def guard(name, *a, **k):\n"
        "    assert name.split('.')[0] not in banned, name\n"
        "    return real(name, *a, **k)\n"
        "builtins.__import__ = guard\n"
        "import gradumen.client, gradumen.cli.main\n"
    )
    subprocess.run([sys.executable, "-c", code], check=True)


def test_a_csv_file_becomes_events(tmp_path: Path) -> None:
    path = tmp_path / "usage.csv"
    with path.open("w", newline="") as file:
        rows = csv.writer(file)
        rows.writerow(
            ["id", "owner", "resource", "meter", "quantity", "unit", "start", "end", "attribute.size", "sequence"]
        )
        rows.writerow(["1", "a/b", "vm, one", "c/d", "0.10", "GiB", "s", "e", "large", "2"])
        rows.writerow(["2", "a/b", "vm", "c/d", "1", "GiB", "s", "e", "", ""])
    first, second = read_file(path)
    assert first["source"] == "/files/usage.csv"
    assert first["data"] == {
        "owner": "a/b",
        "resource": "vm, one",
        "meter": "c/d",
        "quantity": "0.10",
        "unit": "GiB",
        "start": "s",
        "end": "e",
        "attributes": {"size": "large"},
        "sequence": 2,
    }
    assert "attributes" not in second["data"] and "sequence" not in second["data"]


def test_json_lines_keep_their_numbers_as_they_are_written(tmp_path: Path) -> None:
    path = tmp_path / "usage.jsonl"
    path.write_text(
        '{"id": "1", "quantity": 0.1000000000000000055}\n\n{"specversion": "1.0", "type": "gradumen.reading.v1", "id": "2"}\n'
        '{"specversion": "1.0", "type": "gradumen.resource.gone.v1", "id": "3"}\n'
    )
    plain, event, gone = read_file(path, source="/s")
    assert (gone["type"], gone["id"]) == ("gradumen.resource.gone.v1", "3"), "as it is"
    assert plain["data"] == {"quantity": "0.1000000000000000055"}
    assert plain["source"] == "/s"
    assert event["id"] == "2"


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("a.csv", "id,colour\n1,green\n", "unknown columns colour"),
        ("a.csv", "owner\nx\n", "column 'id' is missing"),
        ("a.csv", "id,sequence\n1,many\n", ":2:"),
        ("a.jsonl", '{"id": 1}\n{', ":2: not JSON"),
        ("a.jsonl", "[1]\n", ":1: a line is a JSON object"),
        ("a.txt", "", "ends in .csv"),
    ],
)
def test_a_wrong_file_names_its_line(tmp_path: Path, name: str, content: str, words: str) -> None:
    path = tmp_path / name
    path.write_text(content)
    with pytest.raises(Invalid, match=words):
        list(read_file(path))
