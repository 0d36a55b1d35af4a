"""The command line on a running service: what people type, what they read, and exit codes."""

import argparse
import io
import json
import re
import stat
import sys
from decimal import Decimal
from pathlib import Path

import pytest

from gradumen.cli.main import NOUNS, main, make_parser
from tests.world import EMAILS, PASSWORD, SERVICES, World, rate_card, reading


class Terminal:
    """Runs commands as one user."""

    def __init__(self, capsys: pytest.CaptureFixture[str], url: str) -> None:
        self.capsys, self.url = capsys, url

    def __call__(self, *words: str, exit: int = 0) -> str:
        code = main(["--url", self.url, *words])
        out, err = self.capsys.readouterr()
        assert code == exit, (words, out, err)
        return out if exit == 0 else out + err


@pytest.fixture
def profiles(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    path = tmp_path / "profiles.json"
    monkeypatch.setenv("GRADUMEN_PROFILES", str(path))
    monkeypatch.delenv("GRADUMEN_TOKEN", raising=False)
    return path


@pytest.fixture
def terminal(
    world: World, capsys: pytest.CaptureFixture[str], profiles: Path, monkeypatch: pytest.MonkeyPatch
) -> Terminal:
    monkeypatch.setenv("COLUMNS", "100")
    made = Terminal(capsys, world.url)
    monkeypatch.setattr(sys, "stdin", io.StringIO(PASSWORD + "\n"))
    assert "administrator of Tarnwick Cloud" in made("sign-in", EMAILS["mara"], "--password-stdin")
    return made


def test_a_month_from_a_file_to_a_pdf(terminal: Terminal, world: World, tmp_path: Path) -> None:
    lines = [
        json.dumps(reading(f"r{n}", start=f"2026-09-{n + 1:02d}T00:00:00Z", end=f"2026-09-{n + 1:02d}T12:00:00Z"))
        for n in range(28)
    ]
    path = tmp_path / "usage.jsonl"
    path.write_text("\n".join(lines))
    assert "28 readings: 28 accepted, 0 already known, 0 refused" in terminal(
        "readings", "send", str(path), "--feed", "tarnwick/north-fell"
    )
    assert "0 accepted, 28 already known" in terminal("readings", "send", str(path), "--feed", "tarnwick/north-fell")
    usage = terminal("usage", "show", "--period", "2026-09", "--by", "project", "--wait", "60")
    assert "saltmarsh/booking" in usage and "1 344  vCPU-hours" in usage
    spend = terminal("spend", "period-so-far", "--period", "2026-09", "--totals")
    assert "oxbow" in spend
    runs = terminal("bill-runs", "start", "--period", "2026-09", "--issue")
    assert "done" in runs and "review with" not in runs
    listed = terminal("invoices", "list")
    assert "TARNWICK-2026-00001" in listed and "TARNWICK-2026-00002" in listed
    shown = terminal("invoices", "show", "TARNWICK-2026-00001")
    assert "Compute: Processors" in shown and "net " in shown
    charge = json.loads(terminal("invoices", "show", "TARNWICK-2026-00001", "--json"))["lines"]
    compute = next(line for line in charge if line["rate"] == "vcpu")
    explained = terminal("charges", "explain", compute["charge_id"])
    assert "rate 'vcpu' of resellers-gbp version 1" in explained and "1 344" in explained
    assert "r27" in terminal("charges", "readings", compute["charge_id"])
    pdf = tmp_path / "invoice.pdf"
    terminal("invoices", "pdf", "TARNWICK-2026-00001", "--to", str(pdf))
    assert pdf.read_bytes().startswith(b"%PDF")
    assert "nothing to bill" in terminal("bill-runs", "start", "--period", "2026-09")


def test_the_catalogue_from_files(terminal: Terminal, tmp_path: Path) -> None:
    path = tmp_path / "card.yaml"
    path.write_text(rate_card("tenants-eur", "EUR", "tenants", "2", "2026-11-01"))
    (tmp_path / "services.yaml").write_text(SERVICES)
    assert "4 documents, no mistakes" in terminal("catalogue", "check", str(tmp_path))
    compared = terminal("catalogue", "compare", str(path))
    assert "Heath: 19.9 → 39.8 EUR per month (+100.0 %)" in compared
    assert "new version" in terminal("catalogue", "publish", str(path))
    assert "unchanged" in terminal("catalogue", "publish", str(path))
    assert terminal("catalogue", "rate-cards", "--file", "tarnwick/tenants-eur").startswith("rate-card: tenants-eur")
    path.write_text(path.read_text().replace("to: 200", "to: 20"))
    refused = terminal("catalogue", "check", str(path), exit=1)
    assert (
        f"{path}:13: rates[2].blocks" in refused or f"{path}:12: rates[2].blocks" in refused or f"{path}:11" in refused
    )
    assert "Heath" in terminal("catalogue", "plans")


def test_refusals_are_on_standard_error_with_exit_code_1(terminal: Terminal) -> None:
    terminal("quotas", "grant", "tarnwick", "storage", "100")
    assert "can have at most 100 GiB: its 0 and the 100 that" in terminal(
        "quotas", "grant", "oxbow", "storage", "101", exit=1
    )
    assert (
        json.loads(terminal("quotas", "grant", "oxbow", "storage", "101", "--json", exit=1))["code"] == "quota_exceeded"
    )
    assert "no organisation 'nothing'" in terminal("quotas", "list", "-o", "nothing", exit=1)
    with pytest.raises(SystemExit) as wrong:
        main(["quotas", "grant"])
    assert wrong.value.code == 2


def test_the_other_nouns(terminal: Terminal, world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    assert "mara@tarnwick.example" in terminal("who-am-i")
    tree = terminal("organisations", "list")
    assert tree.index("  oxbow") < tree.index("    saltmarsh") < tree.index("  quillstone")
    terminal(
        "organisations",
        "create",
        "new",
        "--parent",
        "tarnwick",
        "--type",
        "tenant",
        "--name",
        "New",
        "--country",
        "IE",
        "--currency",
        "EUR",
    )
    assert "no projects yet" in terminal("projects", "list", "-o", "new")
    terminal("projects", "create", "p", "--name", "P", "-o", "new")
    assert "open-range" in terminal("subscriptions", "create", "new", "open-range/moor", "--from", "2026-09-01")
    assert "2026-11-30" in terminal("subscriptions", "end", "new", "open-range", "2026-11-30")
    assert "open-range" in terminal("subscriptions", "list")
    assert "what flows in a day" in terminal("measures", "define", "lookups", "lookup", "daily")
    assert re.search(r"lookups +lookup +what flows in a day +the provider", terminal("measures", "list"))
    assert "7" in terminal("quotas", "grant", "oxbow", "lookups", "7")
    assert "take them back first" in terminal("measures", "retire", "lookups", exit=1)
    terminal("quotas", "grant", "oxbow", "lookups", "none")
    assert "no limits of lookups" in terminal("measures", "retire", "lookups")
    terminal("feeds", "create", "south", "--name", "South")
    assert "oda@" in terminal("feeds", "allow", "tarnwick/south", EMAILS["oda"])
    assert "nothing delivered yet" in terminal("deliveries", "list", "tarnwick/south")
    assert "tarnwick/south" in terminal("feeds", "list")
    assert "21 %" in terminal("tax-rates", "set", "NL", "21", "--from", "2026-01-01")
    assert "NL" in terminal("tax-rates", "list")

    def asked(*words: str, answers: str = PASSWORD) -> str:
        monkeypatch.setattr(sys, "stdin", io.StringIO(answers + "\n"))
        return terminal(*words, "--password-stdin")

    link = asked("invitations", "create", "new@tarnwick.example", "--role", "viewer").splitlines()[0]
    assert "new@tarnwick.example" in terminal("invitations", "list")
    assert "viewer of Tarnwick" in asked("invitations", "accept", link, "--name", "N")
    assert "nobody is invited" in terminal("invitations", "list")
    assert "new@tarnwick.example" in terminal("members", "list")
    assert "is finance" in asked("members", "change", "new@tarnwick.example", "--role", "finance")
    assert "disabled" in asked("members", "change", "new@tarnwick.example", "--disable")
    link = asked("members", "reset-password", "new@tarnwick.example").splitlines()[0]
    assert "sign in" in asked("reset-password", link, answers="another long one")
    assert "changed" in asked("change-password", "new@tarnwick.example", answers="another long one\nand a third one")
    assert "no member any more" in asked("members", "remove", "new@tarnwick.example")
    record = terminal("audit-entries", "list")
    for said in ("member invited", "member joined", "member changed", "password reset", "member removed"):
        assert said in record, said
    assert "tax rate set" in terminal("audit-entries", "list", "--action", "tax rate set")
    assert "nothing is on record" in terminal("audit-entries", "list", "--search", "no such thing")
    token = asked("tokens", "create", "--name", "program", "--role", "viewer").strip()
    monkeypatch.setenv("GRADUMEN_TOKEN", token)
    assert "viewer" in terminal("who-am-i")
    assert "right 'manage quotas'" in terminal("quotas", "grant", "oxbow", "storage", "1", exit=1)
    monkeypatch.delenv("GRADUMEN_TOKEN")
    token_id = next(
        each["id"] for each in json.loads(terminal("tokens", "list", "--json")) if each["name"] == "program"
    )
    terminal("tokens", "revoke", token_id)
    assert "withdrawn" in terminal("tokens", "list")
    assert "2026-10-06" in terminal("clock", "set", "2026-10-06T00:00:00+00:00", "--held")
    assert "held" in terminal("clock", "show")
    assert "no bill runs yet" in terminal("bill-runs", "list")
    assert "nothing is charged" not in terminal("spend", "period-so-far")
    assert "no usage in 2026-01" in terminal("usage", "show", "--period", "2026-01")


def test_a_profile_is_its_owners_and_signing_out_withdraws_it(terminal: Terminal, profiles: Path, world: World) -> None:
    assert stat.S_IMODE(profiles.stat().st_mode) == 0o600
    token = json.loads(profiles.read_text())["default"]["token"]
    terminal("sign-out")
    assert json.loads(profiles.read_text()) == {}
    assert world.mara.connection.http.get("session", headers={"Authorization": f"Bearer {token}"}).status_code == 401
    assert "run: gradumen sign-in" in terminal("who-am-i", exit=1)


def test_a_table_fits_a_hundred_columns(terminal: Terminal, world: World) -> None:
    world.send(reading("a", resource="x" * 150), reading("b", quantity=str(10**15)))
    for words in (
        ["usage", "show", "--period", "2026-09", "--by", "resource"],
        ["organisations", "list"],
        ["deliveries", "list", "tarnwick/north-fell"],
    ):
        assert max(map(len, terminal(*words).splitlines())) <= 100


def test_every_command_says_what_it_does() -> None:
    parser = make_parser()
    nouns = next(action for action in parser._actions if action.dest == "noun")
    assert isinstance(nouns.choices, dict)
    for noun, under in nouns.choices.items():
        assert under.description or under.format_help(), noun


def test_the_parser_of_one_noun_is_that_of_all(capsys: pytest.CaptureFixture[str]) -> None:
    def choices(parser: argparse.ArgumentParser) -> dict[str, argparse.ArgumentParser]:
        return next(dict(action.choices) for action in parser._actions if action.dest == "noun" and action.choices)

    everything = choices(make_parser())
    assert list(everything) == list(NOUNS)
    for noun in NOUNS:
        alone = choices(make_parser([noun]))
        assert alone[noun].format_help() == everything[noun].format_help()
        assert {NOUNS[each] for each in alone} == {NOUNS[noun]}
    for words in (["--pro", "usage", "tasks", "--help"], ["--url=http://x", "--profile", "usage", "tasks", "--help"]):
        with pytest.raises(SystemExit, match="0"):
            main(words)
        assert "gradumen tasks" in capsys.readouterr().out
    with pytest.raises(SystemExit, match="2"):
        main(["task", "list", "usage"])
    assert "'sign-in', 'sign-out'" in capsys.readouterr().err, "all are told to who mistypes one"


def test_what_needs_one_and_what_is_in_use(terminal: Terminal, world: World) -> None:
    assert "* September 2026 is not billed for 2 customers" in terminal("to-dos", "list")
    assert "no usage in the last week of a meter that counts processors" in terminal("uses", "list")
    world.mara.quotas.grant("tarnwick", "storage", Decimal(100))
    world.mara.quotas.grant("oxbow", "storage", Decimal(95))
    assert "* 5 of 100 GiB of storage are left" in terminal("to-dos", "list")
