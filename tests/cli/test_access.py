"""Mail, second factors, keys and limits of many on the command line."""

from pathlib import Path

import pytest
from pyotp import TOTP

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.usecases.access.test_second_factors import set_up
from tests.world import PASSWORD, World

__all__ = ["profiles", "terminal"]


def typed(monkeypatch: pytest.MonkeyPatch, *lines: str) -> None:
    """What somebody types when asked, line by line."""
    left = iter(lines)
    monkeypatch.setattr("getpass.getpass", lambda _: next(left))


def test_limits_go_out_as_a_spreadsheet_and_come_back(terminal: Terminal, world: World, tmp_path: Path) -> None:
    terminal("quotas", "grant", "tarnwick", "processors", "100")
    terminal("quotas", "grant", "oxbow", "processors", "40")
    file = tmp_path / "limits.csv"
    assert "2 customers" in terminal("quota-matrices", "show", "--file", str(file))
    file.write_text(file.read_text().replace("oxbow,Oxbow Managed IT,40", "oxbow,Oxbow Managed IT,90"))
    assert "1 limits would change; all fit" in terminal("quota-matrices", "set", str(file), "--check")
    assert "1 limits were changed" in terminal("quota-matrices", "set", str(file))
    shown = terminal("quota-matrices", "show")
    assert "PROCESSORS" in shown and "MEMORY" not in shown and "90" in shown
    file.write_text("organisation,processors\nquillstone,0\noxbow,900\n")
    assert "oxbow, processors: Oxbow Managed IT can have at most 100" in terminal(
        "quota-matrices", "set", str(file), exit=1
    )


def test_texts_are_written_looked_at_and_dropped(terminal: Terminal, world: World, tmp_path: Path) -> None:
    file = tmp_path / "text"
    file.write_text("Come to {organisation}\n\nPlease do.\n\n{link}\n")
    assert "Come to Saltmarsh Ferries" in terminal("messages", "write-text", "invitation", str(file), "--try")
    assert "its own text: Come to {organisation}" in terminal("messages", "write-text", "invitation", str(file))
    assert "invitation (own)" in terminal("messages", "texts")
    assert "begins with: You are invited" in terminal("messages", "drop-text", "invitation")
    listed = terminal("messages", "list", "--search", "edda@")
    assert "You are invited to Oxbow" in listed
    identity = next(line.split()[0] for line in listed.splitlines() if "edda@" in line)
    assert "to edda@oxbow.example is waiting" in terminal("messages", "retry", identity)


def test_a_second_factor_is_set_up_asked_for_and_demanded(
    terminal: Terminal, world: World, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    assert "you have no second factor" in terminal("second-factors", "show")
    app, recovery = set_up(world, "mara")
    assert "10 recovery codes" in terminal("second-factors", "show")
    typed(monkeypatch, PASSWORD, app.code())
    assert "demands a second factor of members" in terminal("sign-in-policies", "set", "members")
    assert "2 of its members have none" in terminal("sign-in-policies", "show")
    typed(monkeypatch, PASSWORD, recovery[0], recovery[1])
    renewed = terminal("second-factors", "renew-codes")
    assert recovery[2] not in renewed
    code = renewed.split()[-1]
    typed(monkeypatch, PASSWORD, code, renewed.split()[-2])
    assert "given up" in terminal("second-factors", "drop")
    typed(monkeypatch, PASSWORD)
    refused = terminal("sign-in", "mara@tarnwick.example", exit=1)
    assert "gradumen second-factors set-up mara@tarnwick.example" in refused

    secrets: list[str] = []

    def asked(prompt: str) -> str:
        if "Password" in prompt:
            return PASSWORD
        secrets.append(capsys.readouterr().out.split("codes: ")[1].split()[0])
        return TOTP(secrets[0]).now()

    monkeypatch.setattr("getpass.getpass", asked)
    assert "Keep these recovery codes" in terminal("second-factors", "set-up", "mara@tarnwick.example")
