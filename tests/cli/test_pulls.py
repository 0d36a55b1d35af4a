"""The command line of feeds that the service fetches: files of a vendor's store."""

import io
import sys
from datetime import UTC, datetime
from pathlib import Path

import pytest
import yaml

from gradumen.demo.stores import BUCKET, SimulatedStore
from tests.cli.test_cli import Terminal, profiles, terminal
from tests.usecases.metering.test_deliveries import FEED, MAPPING, ROWS, content
from tests.usecases.metering.test_pulled_files import after, run
from tests.world import World

__all__ = ["profiles", "terminal"]


def test_files_of_a_store_are_fetched_and_told_as_files(
    terminal: Terminal, world: World, store: SimulatedStore, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    world.mara.deliveries.set_mapping(FEED, MAPPING, 0)
    store.put("counts/a.csv", content(*ROWS), datetime(2026, 9, 4, tzinfo=UTC))
    store.put("counts/b.csv", b"nothing of that", datetime(2026, 9, 4, tzinfo=UTC))
    form = tmp_path / "pull.yaml"
    asked = {
        "kind": "object store",
        "endpoint": f"{store.url}/{BUCKET}/counts",
        "user": store.user,
        "names": "*.csv",
        "every_minutes": 60,
        "settles_minutes": 1,
        "starts_at": "2026-09-01T00:00:00Z",
    }
    form.write_text(yaml.safe_dump(asked))
    monkeypatch.setattr(sys, "stdin", io.StringIO(f"{store.secret}\n" * 2))
    tried = terminal("pulls", "try", str(form), "--feed", FEED, "--secret-stdin")
    assert tried.strip() == "reached: 2 files, of which 2 would be fetched: a.csv, b.csv"
    assert terminal("pulls", "set", str(form), "--feed", FEED, "--secret-stdin").strip() == f"{FEED} is fetched"
    after(world, FEED)
    run(world, FEED)
    shown = terminal("pulls", "show", "--feed", FEED)
    assert yaml.safe_load(shown) == asked, "and nothing that a feed of files does not have"
    listed = terminal("pulls", "list", "-o", "tarnwick")
    assert listed.splitlines()[1].endswith("2 files, 1 refused  as it should be")
    assert "b.csv" in terminal("pulls", "files", "--feed", FEED, "--refused")
    for _, path in store.objects("counts/"):
        path.unlink()
