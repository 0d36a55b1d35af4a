"""A shared database: migrated by one account, worked with by another; and who is believed about where a call comes from."""

import os
import socket
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from sqlalchemy import Engine, text

from gradumen.client import Client
from gradumen.run.database import PrivateDatabase
from gradumen.store.unit_of_work import make_engine
from gradumen.wire.access.sessions import SetUp
from tests.waiting import wait_until_answers
from tests.world import PASSWORD

ROWS, TABLES = "worker", "keeper"


@pytest.fixture
def shared(database: PrivateDatabase) -> Iterator[dict[str, str]]:
    """A database beside the others, with an account for rows and one for tables; gives settings."""
    administrator: Engine = make_engine(database.administrator_url, pool_size=1)
    with administrator.begin() as connection:
        connection.execute(text("CREATE OR REPLACE DATABASE shared CHARACTER SET utf8mb4"))
        for name, rights in ((ROWS, "SELECT, INSERT, UPDATE, DELETE"), (TABLES, "ALL PRIVILEGES")):
            connection.execute(text(f"CREATE OR REPLACE USER {name}@'127.0.0.1' IDENTIFIED BY 'of-{name}'"))
            connection.execute(text(f"GRANT {rights} ON shared.* TO {name}@'127.0.0.1'"))
    way = f"127.0.0.1:{database.accounts.port}/shared"
    yield {name: f"mysql://{name}:of-{name}@{way}" for name in (ROWS, TABLES)}
    with administrator.begin() as connection:
        connection.execute(text("DROP DATABASE shared"))
        for name in (ROWS, TABLES):
            connection.execute(text(f"DROP USER {name}@'127.0.0.1'"))
    administrator.dispose()


def run(*words: str, **settings: str) -> "subprocess.CompletedProcess[str]":
    """A command that ends."""
    environment = {**os.environ, **{f"GRADUMEN_{name.upper()}": value for name, value in settings.items()}}
    command = [sys.executable, "-m", "gradumen.cli.main", *words]
    return subprocess.run(command, capture_output=True, text=True, check=False, timeout=120, env=environment)


@contextmanager
def serving(**settings: str) -> Iterator[tuple[str, Path]]:
    """The service on settings; gives its address and its directory, with its log."""
    with tempfile.TemporaryDirectory(prefix="gradumen-shared-") as folder, socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
        probe.close()
        environment = {**os.environ, **{f"GRADUMEN_{name.upper()}": value for name, value in settings.items()}}
        command = [sys.executable, "-m", "gradumen.cli.main", "serve", "--data", folder, "--port", str(port)]
        log = Path(folder) / "log"
        with log.open("wb") as out:
            process = subprocess.Popen(command, stdout=out, stderr=out, env=environment)
        try:
            wait_until_answers(f"http://127.0.0.1:{port}/readyz", [process], log)
            yield f"http://127.0.0.1:{port}", Path(folder)
        finally:
            process.terminate()
            process.wait(60)


def set_up(url: str, folder: Path) -> None:
    code = (folder / "set-up-code").read_text().strip()
    fields = {
        "slug": "tarnwick",
        "name": "Tarnwick",
        "country": "IE",
        "currency": "EUR",
        "billing_zone": "Europe/Dublin",
    }
    with Client(url) as client:
        body = SetUp(code=code, **fields, email="mara@tarnwick.example", user_name="Mara", password=PASSWORD)
        client.set_up(body)


def address_seen(url: str) -> str:
    """Where the service says that a sign-in came from, which said that it was passed on."""
    with Client(url) as client:
        client.connection.http.headers["X-Forwarded-For"] = "203.0.113.9"
        client.sign_in("mara@tarnwick.example", PASSWORD)
        return next(each.address for each in client.sessions.list() if each.current)


def test_one_account_migrates_another_serves_and_a_backup_comes_back(shared: dict[str, str], tmp_path: Path) -> None:
    keys = {"sealing_keys": str(tmp_path / "keys")}
    settings = {"database_url": shared[ROWS], "schema_url": shared[TABLES], **keys}
    early = run("serve", "--port", "0", database_url=shared[ROWS], data=str(tmp_path))
    assert early.returncode == 1 and "run: gradumen migrate" in early.stderr
    denied = run("migrate", database_url=shared[ROWS])
    assert denied.returncode == 1
    assert "denied" in denied.stderr and "GRADUMEN_SCHEMA_URL" in denied.stderr
    assert "Traceback" not in denied.stderr
    done = run("migrate", **settings)
    assert done.returncode == 0, done.stderr

    with serving(**settings) as (url, folder):
        set_up(url, folder)
        assert not (folder / "set-up-code").exists()
        assert "may change tables" not in (folder / "log").read_text()
        assert address_seen(url) == "127.0.0.1", "nobody is believed unless named"
    file = tmp_path / "shared.tar"
    made = run("backup", str(file), **settings)
    assert made.returncode == 0, made.stderr
    assert "keep it as safe" in made.stdout
    again = run("restore", str(file), **settings)
    assert again.returncode == 1 and "has tables already" in again.stderr

    engine = make_engine(shared[TABLES], pool_size=1)
    with engine.begin() as connection:
        connection.execute(text("DROP DATABASE shared"))
        connection.execute(text("CREATE DATABASE shared CHARACTER SET utf8mb4"))
    engine.dispose()
    restored = run("restore", str(file), **settings)
    assert restored.returncode == 0, restored.stderr
    with serving(database_url=shared[TABLES], trusted_proxies="127.0.0.1", **keys) as (url, folder):
        rotated = run("sealing", "rotate", **settings)
        assert rotated.returncode == 0, rotated.stderr
        assert len((tmp_path / "keys").read_text().split()) == 2
        assert "may change tables" in (folder / "log").read_text()
        assert address_seen(url) == "203.0.113.9", "who is named is believed"
