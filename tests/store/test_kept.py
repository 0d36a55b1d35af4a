"""What the database itself keeps: issued documents and the record, whoever asks for a change; and who may ask at all."""

import json
import socket
import stat
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import MySQLdb
import pytest
from MySQLdb.connections import Connection
from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError

from gradumen.core.errors import Conflict
from gradumen.run.database import PrivateDatabase, start_private_database
from gradumen.run.lock import lock_directory
from gradumen.store.database_accounts import Accounts, read_accounts
from gradumen.store.schema import may_change_tables
from tests.conftest import Service
from tests.places import quick_place
from tests.world import World, egress


@pytest.fixture
def issued(world: World) -> World:
    """The world with one issued document and one draft."""
    world.send(egress("a", 10**12))
    world.mara.bill_runs.wait(world.mara.bill_runs.start("tarnwick", "2026-09").id)
    world.mara.invoices.issue(world.mara.invoices.list(state="draft")[0].id)
    assert {each.state for each in world.mara.invoices.list()} == {"draft", "issued"}
    return world


ISSUED = "(SELECT id FROM invoices WHERE state = 'issued')"
CHANGES = (
    f"UPDATE invoices SET net = net + 1 WHERE id IN {ISSUED}",
    "UPDATE invoices SET state = 'draft' WHERE state = 'issued'",
    "DELETE FROM invoices WHERE state = 'issued'",
    f"UPDATE invoice_lines SET amount = 0 WHERE invoice_id IN {ISSUED}",
    f"DELETE FROM invoice_lines WHERE invoice_id IN {ISSUED}",
    f"UPDATE invoice_taxes SET tax = 0 WHERE invoice_id IN {ISSUED}",
    f"DELETE FROM invoice_taxes WHERE invoice_id IN {ISSUED}",
    f"UPDATE charges SET amount = 0 WHERE invoice_id IN {ISSUED}",
    f"UPDATE charges SET explanation = '{{}}' WHERE invoice_id IN {ISSUED}",
    f"DELETE FROM charges WHERE invoice_id IN {ISSUED}",
    f"UPDATE charges SET invoice_id = (SELECT id FROM invoices WHERE state = 'issued') "
    f"WHERE invoice_id NOT IN {ISSUED}",
    f"UPDATE charge_parts SET amount = 0 WHERE charge_id IN (SELECT id FROM charges WHERE invoice_id IN {ISSUED})",
    f"DELETE FROM charge_parts WHERE charge_id IN (SELECT id FROM charges WHERE invoice_id IN {ISSUED})",
    "INSERT INTO invoice_lines SELECT invoice_id, position + 1000, charge_id, document, amount, tax_category, "
    "tax_percent, corrects_id FROM invoice_lines "
    f"WHERE invoice_id IN {ISSUED}",
    "UPDATE document_counters SET next_number = 1 WHERE next_number > 1",
    "DELETE FROM document_counters",
    "UPDATE audit_entries SET subject = 'nothing'",
    "DELETE FROM audit_entries",
)


@pytest.mark.parametrize("account", ["service", "owner"])
def test_what_is_issued_or_recorded_is_never_changed(
    issued: World, service: Service, owner: Engine, account: str
) -> None:
    before = issued.mara.invoices.list()
    engine = service.uow.engine if account == "service" else owner
    for statement in CHANGES:
        with (
            pytest.raises(DBAPIError, match=r"never (changed|removed)|given once"),
            engine.begin() as connection,
        ):
            connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
            connection.execute(text(statement))
            pytest.fail(statement)
    assert issued.mara.invoices.list() == before


BEYOND_ROWS = (
    "ALTER TABLE invoices ADD COLUMN x INT",
    "DROP TRIGGER invoices_update",
    "TRUNCATE audit_entries",
    "DROP TABLE charges",
    "CREATE TABLE mine (id INT PRIMARY KEY)",
    "CREATE USER another@localhost",
    "SELECT * FROM mysql.user",
    "SET GLOBAL log_bin_trust_function_creators = 1",
)


def test_the_services_account_has_rows_alone(service: Service) -> None:
    for statement in BEYOND_ROWS:
        with pytest.raises(DBAPIError, match="denied"), service.uow.engine.begin() as connection:
            connection.execute(text(statement))
            pytest.fail(statement)


def test_drafts_go_and_documents_stay(issued: World) -> None:
    draft = next(each for each in issued.mara.invoices.list() if each.state == "draft")
    issued.mara.invoices.discard(draft.id)
    assert [each.state for each in issued.mara.invoices.list()] == ["issued"]


def test_accounts_are_told_apart(database: PrivateDatabase, service: Service, owner: Engine) -> None:
    assert not may_change_tables(service.uow.engine)
    assert may_change_tables(owner)


def _by_port(accounts: Accounts, user: str, password: str) -> Connection:
    return MySQLdb.connect(host="127.0.0.1", port=accounts.port, user=user, password=password, connect_timeout=5)


def test_the_private_database_listens_on_loopback_with_a_password_of_its_own(database: PrivateDatabase) -> None:
    kept = database.data / "accounts.json"
    assert stat.S_IMODE(kept.stat().st_mode) == 0o600
    assert len(json.loads(kept.read_text())["service"]) >= 30
    accounts = database.accounts
    _by_port(accounts, "gradumen", accounts.service).close()
    for user, password in (("gradumen", ""), ("gradumen", "guess"), ("root", ""), ("mysql", ""), ("", "")):
        with pytest.raises(MySQLdb.OperationalError):
            _by_port(accounts, user, password)
    with MySQLdb.connect(unix_socket=str(database.data / "db.sock"), user="gradumen", password=accounts.service) as way:
        cursor = way.cursor()
        cursor.execute("SELECT @@bind_address")
        assert cursor.fetchone() == ("127.0.0.1",)


@pytest.fixture
def folder() -> Iterator[Path]:
    """A directory that the database's account may enter."""
    with tempfile.TemporaryDirectory(prefix="gradumen-db-", dir=quick_place(), ignore_cleanup_errors=True) as made:
        Path(made).chmod(0o711)
        yield Path(made)


def test_a_database_of_before_gets_accounts_and_root_loses_its_ways_in(folder: Path) -> None:
    """Before, root had no password and no port led to the server; the next start closes that, and takes a free port."""
    data = folder / "database"
    first = start_private_database(data, fast=True, pool_mib=64)
    with MySQLdb.connect(unix_socket=str(data / "db.sock"), user="root") as connection, connection.cursor() as cursor:
        cursor.execute("CREATE TABLE gradumen.kept (id INT PRIMARY KEY)")
        cursor.execute("DROP USER gradumen@localhost, gradumen@'127.0.0.1', gradumen_owner@localhost")
        cursor.execute("CREATE USER root@'127.0.0.1'")
        cursor.execute("GRANT ALL ON *.* TO root@'127.0.0.1'")
        cursor.execute("ALTER USER root@localhost IDENTIFIED BY ''")
    first.stop()
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", first.accounts.port))
        taken.listen()
        second = start_private_database(data, fast=True, pool_mib=64)
        try:
            assert second.accounts.port != first.accounts.port
            assert read_accounts(data) == second.accounts
            assert second.accounts.service == first.accounts.service
            with pytest.raises(MySQLdb.OperationalError):
                _by_port(second.accounts, "root", "")
            with _by_port(second.accounts, "gradumen", second.accounts.service) as connection:
                cursor = connection.cursor()
                cursor.execute("SELECT COUNT(*) FROM gradumen.kept")
                assert cursor.fetchone() == (0,)
                with pytest.raises(MySQLdb.OperationalError, match="denied"):
                    cursor.execute("DROP TABLE gradumen.kept")
        finally:
            second.stop()


def test_a_data_directory_has_one_service(folder: Path) -> None:
    held = lock_directory(folder)
    with pytest.raises(Conflict, match=r"a service runs on .* already \(process \d+\)"):
        lock_directory(folder)
    ended = subprocess.run(
        [sys.executable, "-m", "gradumen.cli.main", "serve", "--data", str(folder), "--port", "0"],
        capture_output=True,
        text=True,
        check=False,
        timeout=60,
    )
    assert ended.returncode == 1
    assert "a service runs on" in ended.stderr
    held.close()
    lock_directory(folder).close()


def test_a_pdf_is_made_once_and_kept(issued: World, service: Service) -> None:
    document = next(each for each in issued.mara.invoices.list() if each.state == "issued")
    first = issued.mara.invoices.pdf(document.id)
    with service.uow.engine.connect() as connection:
        assert connection.scalars(text("SELECT pdf FROM issued_documents")).all() == [first]
    assert issued.mara.invoices.pdf(document.id) == first
    for statement in ("UPDATE issued_documents SET pdf = ''", "DELETE FROM issued_documents"):
        with pytest.raises(DBAPIError, match="never"), service.uow.engine.begin() as connection:
            connection.execute(text(statement))
