"""The private MariaDB server: started under the data directory, adopted after a crash, stopped at the end."""

import logging
import os
import pwd
import shutil
import signal
import subprocess
import threading
import time
from dataclasses import dataclass
from pathlib import Path

import MySQLdb
import psutil

from gradumen.core.errors import GradumenError
from gradumen.store.database_accounts import (
    OWNER,
    SERVICE,
    Accounts,
    administrator,
    answers,
    choose_accounts,
    read_accounts,
    set_up_accounts,
)

_CONFIG = """[mariadbd]
datadir={data}/mysql
socket={data}/{socket}
pid-file={data}/db.pid
log-error={data}/db.log
tmpdir={data}/tmp
bind-address=127.0.0.1
port={port}
skip-name-resolve
character-set-server=utf8mb4
collation-server=utf8mb4_general_ci
default-storage-engine=InnoDB
innodb_buffer_pool_size={pool}M
innodb_log_file_size=256M
innodb_flush_log_at_trx_commit=1
innodb_autoinc_lock_mode=2
innodb_lock_wait_timeout=20
max_allowed_packet=64M
max_connections=120
local_infile=ON
performance_schema=OFF
skip-log-bin
"""
_SYSTEM_ACCOUNTS = ("gradumen", "mysql")
SOCKET = "db.sock"
log = logging.getLogger("gradumen.database")


class DatabaseFailed(GradumenError):
    """The private database could not be set up or started; the message says why and what to do."""

    code = "database_failed"


@dataclass(frozen=True, slots=True)
class PrivateDatabase:
    """A running private server; ``adopted`` when it was running already."""

    data: Path
    pid: int
    adopted: bool
    accounts: Accounts
    process: subprocess.Popen[bytes] | None = None
    """Our child, when we started it."""

    @property
    def url(self) -> str:
        """SQLAlchemy URL of the service's account, which reads and writes rows, by socket."""
        return self.accounts.url(self.data / SOCKET, SERVICE)

    @property
    def owner_url(self) -> str:
        """SQLAlchemy URL of the account that changes tables, triggers and partitions, by socket."""
        return self.accounts.url(self.data / SOCKET, OWNER)

    @property
    def administrator_url(self) -> str:
        """SQLAlchemy URL of the administrator, who is known by the socket."""
        return f"mysql://{administrator()}@localhost/gradumen?unix_socket={self.data / SOCKET}"

    def stop(self) -> None:
        """Stop it cleanly and wait until it is gone."""
        try:
            process = psutil.Process(self.pid)
            process.send_signal(signal.SIGTERM)
            if self.process is not None:
                self.process.wait(60)
            process.wait(60)
        except psutil.NoSuchProcess:
            return


class Keeper:
    """Starts the server again when it was killed, until told to stop it."""

    def __init__(self, database: PrivateDatabase, *, fast: bool, seconds: float = 0.5) -> None:
        self.database, self.fast, self.seconds = database, fast, seconds
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="database-keeper", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Stop keeping, and stop the server."""
        self._stop.set()
        self._thread.join(90)
        self.database.stop()

    def _run(self) -> None:
        while not self._stop.wait(self.seconds):
            if _alive(self.database.pid):
                continue
            log.warning("the database (pid %d) is gone; starting it again", self.database.pid)
            try:
                self.database = start_private_database(self.database.data, fast=self.fast)
            except DatabaseFailed as problem:
                log.error("%s", problem.message)


def _alive(pid: int) -> bool:
    try:
        return psutil.Process(pid).status() != psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:
        return False


_FAST = (
    "--innodb-flush-log-at-trx-commit=0",
    "--innodb-flush-method=nosync",
    "--debug-no-sync",
    "--skip-innodb-doublewrite",
    "--innodb-log-file-size=64M",
)
"""What a test's database does without: what it holds outlives no failure of the machine."""


def start_private_database(data: Path, *, pool_mib: int = 512, fast: bool = False) -> PrivateDatabase:
    """Start the server of a data directory, or adopt the one that runs there.

    Args:
        data: made and initialised when it is new.
        pool_mib: size of the buffer pool.
        fast: gives up durability over a power cut; for tests only.

    Raises:
        DatabaseFailed: no server is installed, no account to run it as, or it does not start.
    """
    data = data.resolve()
    server, installer = shutil.which("mariadbd", path=_search_path()), shutil.which("mariadb-install-db")
    if server is None or installer is None:
        raise DatabaseFailed("MariaDB is not installed; run scripts/setup, or: apt-get install mariadb-server-core")
    data.mkdir(parents=True, exist_ok=True)
    data.chmod(0o700)
    running = _running(data)
    if running is not None:
        _wait_until_ready(data, running)
        accounts = read_accounts(data)
        if accounts is None:
            raise DatabaseFailed(
                f"the database of {data} (pid {running}) is of an earlier version; stop it with: kill {running}"
            )
        set_up_accounts(data / SOCKET, accounts)
        return PrivateDatabase(data, running, True, accounts)
    account = _account()
    _hand_over(data, account)
    # Of its own: a server that starts clears its directory of what looks like temporary tables, others' too.
    (data / "tmp").mkdir(mode=0o700, exist_ok=True)
    if account is not None:
        shutil.chown(data / "tmp", account)
    accounts = choose_accounts(data)
    (data / "db.cnf").write_text(_CONFIG.format(data=data, pool=pool_mib, socket=SOCKET, port=accounts.port))
    user = [f"--user={account}"] if account else []
    if not (data / "mysql" / "mysql").exists():
        _initialise(data, installer, user)
    with (data / "db.out").open("ab") as out:
        process = subprocess.Popen(
            [server, f"--defaults-file={data}/db.cnf", *user, *(_FAST if fast else [])],
            stdin=subprocess.DEVNULL,
            stdout=out,
            stderr=out,
            start_new_session=True,
        )
    _wait_until_ready(data, process.pid)
    set_up_accounts(data / SOCKET, accounts)
    return PrivateDatabase(data, process.pid, False, accounts, process)


def _initialise(data: Path, installer: str, user: list[str]) -> None:
    shutil.rmtree(data / "mysql", ignore_errors=True)
    made = subprocess.run(
        [
            installer,
            f"--defaults-file={data}/db.cnf",
            "--auth-root-authentication-method=socket",
            f"--auth-root-socket-user={administrator()}",
            "--skip-test-db",
            *user,
        ],
        capture_output=True,
        text=True,
        check=False,
    )
    if made.returncode:
        raise DatabaseFailed(f"the database could not be initialised: {_log_tail(data) or made.stderr[-800:]}")


def _search_path() -> str:
    return os.environ.get("PATH", "") + ":/usr/sbin:/usr/local/sbin"


def _account() -> str | None:
    """The account to run as when we are root; MariaDB refuses to run as root."""
    if os.geteuid() != 0:
        return None
    for name in _SYSTEM_ACCOUNTS:
        try:
            pwd.getpwnam(name)
        except KeyError:
            continue
        return name
    raise DatabaseFailed("as root the database needs an account of its own; run scripts/setup, or: useradd -r gradumen")


def _hand_over(data: Path, account: str | None) -> None:
    if account is None:
        return
    entry = pwd.getpwnam(account)
    os.chown(data, entry.pw_uid, entry.pw_gid)
    for parent in data.parents:
        if not parent.stat().st_mode & 0o001:
            raise DatabaseFailed(f"the account '{account}' cannot enter {parent}; choose another --data, or: chmod o+x")


def _running(data: Path) -> int | None:
    """The pid of the server of this directory, by its pid file; a stale file is removed."""
    path = data / "db.pid"
    try:
        pid = int(path.read_text())
        process = psutil.Process(pid)
        if f"--defaults-file={data}/db.cnf" in process.cmdline() and process.status() != psutil.STATUS_ZOMBIE:
            return pid
    except (FileNotFoundError, ValueError, psutil.NoSuchProcess):
        pass
    path.unlink(missing_ok=True)
    return None


def _log_tail(data: Path) -> str:
    """The end of the server's log."""
    log = data / "db.log"
    return log.read_text(errors="replace")[-1500:] if log.exists() else ""


def _wait_until_ready(data: Path, pid: int, seconds: float = 60) -> None:
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        try:
            if answers(data / SOCKET):
                return
        except (OSError, MySQLdb.OperationalError):
            if not _alive(pid):
                tail = _log_tail(data) or "no log was written"
                raise DatabaseFailed(f"the database did not start; its log {data}/db.log ends: {tail}") from None
            time.sleep(0.05)
    raise DatabaseFailed(f"the database did not answer within {seconds:.0f} s; look at {data}/db.log")
