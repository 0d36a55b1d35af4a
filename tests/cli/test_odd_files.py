"""Files and arguments that no program should have made: the command line names what is wrong, and never fails inside."""

import io
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from gradumen.cli.main import main
from tests.world import EMAILS, PASSWORD, World, rate_card, reading

FEED = ("--feed", "tarnwick/north-fell")


@pytest.fixture(autouse=True)
def signed_in(
    world: World, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """A profile of the provider's administrator."""
    monkeypatch.setenv("GRADUMEN_PROFILES", str(tmp_path / "profiles.json"))
    monkeypatch.setenv("GRADUMEN_URL", world.url)
    monkeypatch.delenv("GRADUMEN_TOKEN", raising=False)
    monkeypatch.setattr(sys, "stdin", io.StringIO(PASSWORD + "\n"))
    assert main(["sign-in", EMAILS["mara"], "--password-stdin"]) == 0
    capsys.readouterr()


def refused(capsys: pytest.CaptureFixture[str], *words: str) -> str:
    """What a refused command says."""
    code = main(list(words))
    out, err = capsys.readouterr()
    assert code == 1, (out, err)
    assert "Traceback" not in err
    return err


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"plan: \xff\xfe", "cannot read a catalogue file"),
        (b"plan: " + b"[" * 40 + b"]" * 40, "nested more than 24 deep"),
        (b"plan: &a x\nname: *a", "refers to another place"),
        (b"plan: x\nname: A\nname: B", "stands twice"),
        (b"", "no mistakes"),
        (b"plan: x" + b"\n# " + b"x" * 1_000_100, "at most 1000000"),
    ],
)
def test_an_odd_catalogue_file(
    world: World, tmp_path: Path, capsys: pytest.CaptureFixture[str], content: bytes, words: str
) -> None:
    path = tmp_path / "odd.yaml"
    path.write_bytes(content)
    if words == "no mistakes":
        assert main(["catalogue", "check", str(path)]) == 0
        assert "0 documents" in capsys.readouterr().out
    else:
        assert words in refused(capsys, "catalogue", "check", str(path))


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("a.csv", b"id,owner\n\xff\xfe,x\n", "a.csv"),
        ("a.csv", b'id,owner\n"unclosed', "a.csv"),
        ("a.csv", b"id,colour\n1,green\n", "unknown columns colour"),
        ("a.csv", b"", "a column 'id' is missing"),
        ("a.jsonl", b"\xff\xfe", "a.jsonl"),
        ("a.jsonl", b"[" * 5000, "a.jsonl:1: not JSON"),
        ("a.jsonl", b'{"id": ', "a.jsonl:1: not JSON"),
        ("a.jsonl", b"5", "a line is a JSON object"),
        ("a.txt", b"x", "ends in .csv, .jsonl or .ndjson"),
    ],
)
def test_an_odd_file_of_readings(
    world: World, tmp_path: Path, capsys: pytest.CaptureFixture[str], name: str, content: bytes, words: str
) -> None:
    path = tmp_path / name
    path.write_bytes(content)
    assert words in refused(capsys, "readings", "send", str(path), *FEED)
    assert world.mara.feeds.deliveries(FEED[1]) == []


def test_what_stands_before_a_broken_line_is_named_with_it(
    world: World, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "a.jsonl"
    path.write_bytes(json.dumps(reading("first")).encode() + b"\n{broken\n")
    assert "a.jsonl:2: not JSON" in refused(capsys, "readings", "send", str(path), *FEED)


def test_a_file_that_is_not_there_is_named(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert "nothing.yaml" in refused(capsys, "catalogue", "check", str(tmp_path / "nothing.yaml"))
    assert "nothing.csv" in refused(capsys, "readings", "send", str(tmp_path / "nothing.csv"), *FEED)
    assert "nothing.tar" in refused(capsys, "restore", str(tmp_path / "nothing.tar"), "--data", str(tmp_path / "new"))
    assert not (tmp_path / "new").exists()


@pytest.mark.parametrize("content", [b"\xff\xfe", b"[1, 2]", b"{", b'{"default": 5}'])
def test_a_broken_file_of_profiles_is_named(tmp_path: Path, capsys: pytest.CaptureFixture[str], content: bytes) -> None:
    (tmp_path / "profiles.json").write_bytes(content)
    assert "is no file of profiles" in refused(capsys, "catalogue", "plans")


def test_an_argument_that_is_not_utf_8_is_refused(tmp_path: Path) -> None:
    ended = subprocess.run(
        [sys.executable.encode(), b"-m", b"gradumen.cli.main", b"organisations", b"list", b"--search", b"\xff\xfe"],
        capture_output=True,
        check=False,
        env={**os.environ, "PYTHONUTF8": "1"},
    )
    assert ended.returncode == 2
    assert b"not UTF-8" in ended.stderr
    assert b"Traceback" not in ended.stderr


def test_words_of_before_are_refused_with_the_new_ones(
    world: World, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "card.yaml"
    card = rate_card("spring", "EUR", "any", "1")
    for before, after, words in (
        ("{to:", "{up-to:", "write 'to'"),
        ("blocks:", "whole-quantity:", "at-reached-step: true"),
        ("blocks:", "package:", "write 'lots'"),
    ):
        assert before in card
        path.write_text(card.replace(before, after))
        assert words in refused(capsys, "catalogue", "check", str(path))
