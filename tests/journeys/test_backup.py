"""A backup made while readings come in, restored into a new place: every document and every sum is there."""

import json
import os
import socket
import subprocess
import sys
import tarfile
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import text

from gradumen.client import Client
from gradumen.core.errors import Conflict, Invalid
from gradumen.run.backup import back_up, restore
from gradumen.run.database import PrivateDatabase, start_private_database
from gradumen.settings import Settings
from gradumen.store.unit_of_work import make_engine
from tests.places import quick_place
from tests.waiting import wait_until_answers
from tests.world import EMAILS, PASSWORD, World, egress

FEED = "tarnwick/north-fell"


@pytest.fixture
def folder() -> Iterator[Path]:
    """A directory that the database's account may enter."""
    with tempfile.TemporaryDirectory(prefix="gradumen-backup-", dir=quick_place(), ignore_cleanup_errors=True) as made:
        Path(made).chmod(0o711)
        yield Path(made)


def snapshot(client: Client) -> dict[str, Any]:
    """Every document with its lines, explanations and PDF, and the record."""
    documents = {}
    for each in client.invoices.list():
        whole = client.invoices.get(each.id)
        charges = {
            str(line.charge_id): client.charges.explain(line.charge_id).model_dump_json() for line in whole.lines
        }
        pdf = client.invoices.pdf(each.id) if whole.state == "issued" else b""
        documents[str(each.id)] = (whole.model_dump_json(), charges, pdf)
    return {"documents": documents}


@contextmanager
def served(data: Path) -> Iterator[str]:
    """The service as a process of its own on a data directory."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = [sys.executable, "-m", "gradumen.cli.main", "serve", "--data", str(data), "--port", str(port)]
    with (data / "log").open("wb") as log:
        process = subprocess.Popen(command, stdout=log, stderr=log, env={**os.environ, "GRADUMEN_CLOCK_CONTROL": "1"})
    try:
        wait_until_answers(f"http://127.0.0.1:{port}/readyz", [process], data / "log", seconds=90)
        yield f"http://127.0.0.1:{port}"
    finally:
        process.terminate()
        process.wait(60)


@contextmanager
def pouring(world: World) -> Iterator[None]:
    """Readings come in all the while."""
    ended = threading.Event()
    client = Client(world.url)
    client.sign_in(EMAILS["mara"], PASSWORD)

    def send() -> None:
        number = 0
        while not ended.is_set():
            client.readings.send(FEED, [egress(f"poured-{number}-{at}", 10**6) for at in range(20)])
            number += 1

    thread = threading.Thread(target=send)
    thread.start()
    try:
        yield
    finally:
        ended.set()
        thread.join(60)
        client.close()


def test_a_backup_restores_every_document_and_sum(world: World, database: PrivateDatabase, folder: Path) -> None:
    world.send(egress("a", 10**12))
    world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)
    world.mara.invoices.issue(world.mara.invoices.list(state="draft")[0].id)
    before = snapshot(world.mara)
    file = folder / "first.backup"
    with pouring(world):
        time.sleep(0.3)
        made = back_up(Settings(data=database.data.parent), file)
        with pytest.raises(Conflict, match="there already"):
            back_up(Settings(data=database.data.parent), file)
    assert file.stat().st_mode & 0o077 == 0
    assert snapshot(world.mara) == before

    place = folder / "new"
    assert restore(Settings(data=place), file) == made
    with pytest.raises(Conflict, match="has a database already"):
        restore(Settings(data=place), file)
    private = start_private_database(place / "database", fast=True, pool_mib=64)
    engine = make_engine(private.url)
    with engine.connect() as connection:
        counted = connection.execute(
            text("SELECT (SELECT SUM(accepted) FROM deliveries), (SELECT COUNT(*) FROM readings)")
        ).one()
    engine.dispose()
    private.stop()
    assert counted[0] == counted[1] > 1, "readings and what was said of them are of one moment"
    with served(place) as url, Client(url) as client:
        client.sign_in(EMAILS["mara"], PASSWORD)
        assert snapshot(client) == before
        assert client.session().memberships == world.mara.session().memberships


def test_what_is_no_backup_is_refused_and_leaves_nothing(world: World, database: PrivateDatabase, folder: Path) -> None:
    file, place = folder / "one.backup", folder / "new"
    back_up(Settings(data=database.data.parent), file)
    for name, change in (("damaged", {"sha256": "0" * 64}), ("later", {"schema": "9999"}), ("other", {"format": 2})):
        with tarfile.open(file) as archive:
            archive.extractall(folder / name, filter="data")
        manifest = folder / name / "manifest.json"
        manifest.write_text(json.dumps({**json.loads(manifest.read_text()), **change}))
        changed = folder / f"{name}.backup"
        with tarfile.open(changed, "w") as archive:
            for each in ("manifest.json", "database.sql.gz"):
                archive.add(folder / name / each, each)
        with pytest.raises(Invalid, match=r"is damaged|that version or a later one"):
            restore(Settings(data=place), changed)
    (folder / "text").write_text("hello")
    with pytest.raises(Invalid, match="is no backup"):
        restore(Settings(data=place), folder / "text")
    assert not (place / "database").exists()
