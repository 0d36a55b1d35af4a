"""Backups: one file with everything, consistent while the service runs; and restoring one into a new place.

A backup is a tar file (docs/formats.md) with ``manifest.json`` and ``database.sql.gz``.
"""

import gzip
import hashlib
import json
import os
import shutil
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from importlib.metadata import version
from pathlib import Path
from typing import IO, Any

from gradumen.core.errors import Conflict, Invalid
from gradumen.run.database import SOCKET, DatabaseFailed, start_private_database
from gradumen.run.lock import lock_directory
from gradumen.settings import Settings
from gradumen.store import schema
from gradumen.store.database_accounts import OWNER, answers, read_accounts
from gradumen.store.unit_of_work import make_engine

FORMAT = 1
RELEASE = version("gradumen")
_MANIFEST, _DUMP = "manifest.json", "database.sql.gz"
_DEFINED = b"/*!50003 CREATE*/ /*!50017 DEFINER="
_DUMP_OPTIONS = ("--single-transaction", "--quick", "--hex-blob", "--skip-dump-date", "--default-character-set=utf8mb4")


@dataclass(frozen=True, slots=True)
class Backup:
    """What a backup says of itself; ``sha256`` is that of the compressed dump."""

    format: int
    release: str
    schema: str
    made_at: str
    sha256: str
    bytes: int


def back_up(settings: Settings, file: Path) -> Backup:
    """Write a backup of the whole database into a new file, while the service runs or rests.

    Raises:
        Conflict: the file is there already.
        DatabaseFailed: the database is not there or its dump failed; no file is left.
    """
    if file.exists():
        raise Conflict(f"{file} is there already; name another file")
    with database_of(settings) as url, tempfile.TemporaryDirectory(dir=file.resolve().parent) as folder:
        dump = Path(folder) / _DUMP
        revision = _revision(url)
        _dump(url, dump)
        if _revision(url) != revision:
            raise DatabaseFailed("the database was migrated meanwhile; make the backup again")
        made = Backup(
            FORMAT,
            RELEASE,
            revision,
            datetime.now(UTC).isoformat(timespec="seconds"),
            _sha256(dump),
            dump.stat().st_size,
        )
        manifest = Path(folder) / _MANIFEST
        manifest.write_text(json.dumps({name: getattr(made, name) for name in Backup.__slots__}, indent=1) + "\n")
        part = Path(folder) / "backup.tar"
        with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as out:
            with tarfile.open(fileobj=out, mode="w") as archive:
                archive.add(manifest, _MANIFEST)
                archive.add(dump, _DUMP)
            out.flush()
            os.fsync(out.fileno())
        part.rename(file)
    return made


def restore(settings: Settings, file: Path) -> Backup:
    """Restore a backup into a data directory that has no database yet, or an empty shared one.

    Raises:
        Invalid: the file is no backup, is damaged, or of a newer version.
        Conflict: there is a database already.
        DatabaseFailed: it could not be loaded.
    """
    with tempfile.TemporaryDirectory(dir=file.resolve().parent) as folder:
        made, dump = _unpack(file, Path(folder))
        if not settings.database_url:
            if (settings.data / "database").exists():
                raise Conflict(f"{settings.data} has a database already; give another --data")
            try:
                with database_of(settings, new=True) as url:
                    _load(url, dump)
            except BaseException:
                shutil.rmtree(settings.data / "database", ignore_errors=True)
                raise
        else:
            with database_of(settings) as url:
                if _tables(url):
                    raise Conflict("the shared database has tables already; restore into an empty one")
                _load(url, dump)
    return made


@contextmanager
def database_of(settings: Settings, *, new: bool = False) -> Iterator[str]:
    """The database by the account that may change tables; a private one that rests is started for this."""
    if settings.database_url:
        yield settings.schema_url or settings.database_url
        return
    data = settings.data.resolve() / "database"
    accounts = read_accounts(data)
    if not new and accounts is None:
        raise DatabaseFailed(f"there is no database of this version in {settings.data}; start the service once")
    if accounts is not None and _runs(data):
        yield accounts.url(data / SOCKET, OWNER)
        return
    with lock_directory(settings.data):
        database = start_private_database(data)
        try:
            yield database.owner_url
        finally:
            database.stop()


def _runs(data: Path) -> bool:
    try:
        return answers(data / SOCKET)
    except OSError:
        return False


def _revision(url: str) -> str:
    engine = make_engine(url, pool_size=1)
    try:
        return schema.current(engine) or ""
    finally:
        engine.dispose()


def _tables(url: str) -> int:
    engine = make_engine(url, pool_size=1)
    try:
        return schema.count_tables(engine)
    finally:
        engine.dispose()


@contextmanager
def _options(url: str) -> Iterator[str]:
    """A file with the way to the database, so that its password stands in no list of processes."""
    way = schema.way_to(url)
    with tempfile.NamedTemporaryFile("w", suffix=".cnf") as file:  # Readable by its owner only.
        file.write("[client]\n" + "".join(f'{name}="{value}"\n' for name, value in way.items()))
        file.flush()
        yield f"--defaults-file={file.name}"


def _tool(name: str) -> str:
    found = shutil.which(name)
    if found is None:
        raise DatabaseFailed(f"{name} is not installed; run scripts/setup, or: apt-get install mariadb-client")
    return found


def _dump(url: str, path: Path) -> None:
    with _options(url) as options, tempfile.TemporaryFile() as problems, gzip.open(path, "wb", 6) as out:
        command = [_tool("mariadb-dump"), options, *_DUMP_OPTIONS, schema.name_of(url)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=problems) as process:
            last = _copy(process.stdout, out) if process.stdout else b""
        if process.returncode or not last.startswith(b"-- Dump completed"):
            raise DatabaseFailed(f"the dump failed: {_said(problems)}")


def _copy(dump: IO[bytes], out: gzip.GzipFile) -> bytes:
    """Copy a dump without who made its triggers, as they belong to whoever restores it; gives the last line."""
    last = b""
    for line in dump:
        if line.startswith(_DEFINED):
            start = line.index(b"/*!50017 DEFINER=")
            line = line[:start] + line[line.index(b"*/", start) + 3 :]
        out.write(line)
        last = line if line.strip() else last
    return last


def _load(url: str, dump: Path) -> None:
    with _options(url) as options, tempfile.TemporaryFile() as problems, gzip.open(dump, "rb") as source:
        command = [_tool("mariadb"), options, "--default-character-set=utf8mb4", schema.name_of(url)]
        # Where it ends before it has read all, what it said is told below.
        with subprocess.Popen(command, stdin=subprocess.PIPE, stderr=problems) as process, suppress(BrokenPipeError):
            if process.stdin is not None:
                shutil.copyfileobj(source, process.stdin, 2**20)
                process.stdin.close()
        if process.returncode:
            raise DatabaseFailed(f"the backup could not be loaded: {_said(problems)}")


def _said(problems: IO[bytes]) -> str:
    problems.seek(0)
    return problems.read().decode(errors="replace").strip()[-400:] or "it said nothing"


def _unpack(file: Path, folder: Path) -> tuple[Backup, Path]:
    try:
        with tarfile.open(file) as archive:
            for name in (_MANIFEST, _DUMP):
                archive.extract(name, folder, filter="data")
        found: dict[str, Any] = json.loads((folder / _MANIFEST).read_text())
        made = Backup(**found)
    except (OSError, tarfile.TarError, KeyError, TypeError, ValueError) as error:
        raise Invalid(f"{file} is no backup of this service: {error}", field="file", value=file.name) from error
    if made.format != FORMAT or made.schema > schema.head():
        raise Invalid(
            f"{file} was made by version {made.release} (schema {made.schema}), this is {RELEASE} "
            f"(schema {schema.head()}); restore it with that version or a later one",
            field="file",
            value=file.name,
        )
    dump = folder / _DUMP
    if _sha256(dump) != made.sha256:
        raise Invalid(f"{file} is damaged: its dump is not the one that was made", field="file", value=file.name)
    return made, dump


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
