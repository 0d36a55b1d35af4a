"""Cost files and exchange rates on the command line."""

from pathlib import Path

import pytest

from tests.cli.test_cli import Terminal, profiles, terminal
from tests.usecases.metering.test_imported_costs import CUMULANT, FEED, row, written
from tests.world import World, files, moment

__all__ = ["profiles", "terminal"]


def test_costs_are_sent_listed_and_worth_something(terminal: Terminal, world: World, tmp_path: Path) -> None:
    world.mara.clock.set(moment("2026-09-25 09:00"), held=True)
    world.mara.catalogue.publish("tarnwick", files(CUMULANT))
    world.mara.feeds.create("tarnwick", slug="cumulant", name="Cumulant")
    assert "takes no cost files" in terminal("costs", "meter", FEED)
    assert "are of cumulant/cost, sold in EUR" in terminal("costs", "meter", FEED, "--set", "cumulant/cost")
    assert "what they say was used does not count" in terminal("costs", "meter", FEED)
    told = terminal("costs", "meter", FEED, "--quantities")
    assert "are of cumulant/cost" in told and "counts as usage, as rules of kind read it" in told
    assert "counts as usage" in terminal("costs", "meter", FEED, "--set", "cumulant/cost"), "it stays so"
    assert "what they say was used does not count" in terminal("costs", "meter", FEED, "--no-quantities")
    file, sent = tmp_path / "costs.csv", ("costs", "send", str(tmp_path / "costs.csv"), "--feed", FEED)
    assert "no cost file states anything of 2026-09" in terminal("costs", "list", "2026-09")
    file.write_bytes(written(row("10"), row("2", 4, BillingCurrency="SEK"), row("1", 4)))
    at = "2026-09-24T05:00:00+00:00"
    told = terminal(*sent, "--exported-at", at)
    assert "costs.csv: 3 rows, 11.00 EUR and 2.00 SEK billed, of 2 days, 0 replaced" in told
    assert "came before; nothing changed" in terminal(*sent, "--exported-at", at)
    file.write_bytes(written(row("1")))
    later = ("--exported-at", "2026-09-25T05:00:00+00:00", "--from", "2026-09-03", "--to", "2026-09-04")
    assert "confirm that, if it is right" in terminal(*sent, *later, exit=1)
    assert "1 rows, 1.00 EUR billed, of 2 days, 2 replaced" in terminal(*sent, *later, "--confirm")
    file.write_bytes(written(row("1"), row("2", 4, BillingCurrency="SEK")))
    terminal(*sent, "--exported-at", "2026-09-25T06:00:00+00:00")
    world.settle()
    listed = terminal("costs", "list", "2026-09")
    assert "nobody" in listed and "SEK, no rate" in listed and "04 Sep" in listed
    assert "no exchange rates" in terminal("exchange-rates", "list")
    one = ("exchange-rates", "set", "SEK", "EUR", "0.0871", "--starts-on", "2026-09-01", "--source", "ours")
    assert "0.0871" in terminal(*one)
    rates = tmp_path / "rates.csv"
    rates.write_text("currency,into,starts_on,rate,source\nSEK,EUR,2026-09-10,0.0875,ours\n")
    assert "0.0875" in terminal("exchange-rates", "load", str(rates))
    world.settle()
    assert "no rate" not in terminal("costs", "list", "2026-09")
    rates.write_text("currency,into,starts_on,rate,source\nSEK,EUR,2026-09-10,much,ours\n")
    assert "line 2" in terminal("exchange-rates", "load", str(rates), exit=1)


def test_large_files_and_several_of_one_export_come_in_pieces(
    terminal: Terminal, world: World, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gradumen.cli.metering.imported_costs.AT_ONCE", 100)
    world.mara.clock.set(moment("2026-09-25 09:00"), held=True)
    world.mara.catalogue.publish("tarnwick", files(CUMULANT))
    world.mara.feeds.create("tarnwick", slug="cumulant", name="Cumulant")
    terminal("costs", "meter", FEED, "--set", "cumulant/cost")
    first, second = tmp_path / "a.csv", tmp_path / "b.csv"
    first.write_bytes(written(*[row("1")] * 4))
    second.write_bytes(written(row("4", 4)))
    send = ("costs", "send", "--feed", FEED, "--exported-at")
    assert "a.csv: is taken" in terminal(*send, "2026-09-24T05:00", str(first))
    assert "nothing is on its way" in terminal("uploads", "list", FEED)
    both = terminal(*send, "2026-09-24T06:00", str(first), str(second))
    assert "a.csv: is taken" in both and "b.csv: is taken" in both
    first.write_bytes(written(row("1")))
    refused = terminal(*send, "2026-09-24T07:00", str(first), exit=1)
    assert "a.csv: is not taken: B-1 on 2026-09-03 had 4 rows" in refused
    [found] = world.mara.uploads.list(FEED)
    assert f"gradumen uploads confirm {found.id}" in refused
    listed = terminal("uploads", "list", FEED)
    assert "1 of 1" in listed and "2026-09-24 07:00" in listed
    assert "a.csv: is taken" in terminal("uploads", "confirm", str(found.id))
    first.write_bytes(written(row("x")))
    assert "is no number" in terminal(*send, "2026-09-24T08:00", str(first), exit=1)
    [found] = world.mara.uploads.list(FEED)
    assert "was given up" in terminal("uploads", "give-up", str(found.id))
    assert "cannot read" in terminal(*send, "2026-09-24T08:00", str(tmp_path / "none.csv"), exit=1)
