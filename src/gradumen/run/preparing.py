"""What the processes of the service need before they are told: a database at head, and nothing left of earlier ones."""

import logging
import secrets
from datetime import UTC, datetime
from pathlib import Path

from gradumen.run.child import CODE_FILE
from gradumen.run.database import Keeper, start_private_database
from gradumen.settings import Settings
from gradumen.store import schema
from gradumen.store.sealing import Seals
from gradumen.store.unit_of_work import UnitOfWork, make_engine
from gradumen.usecases.starts import begin

log = logging.getLogger("gradumen")


class Prepared:
    """The database of the service: a private one, kept as long as it runs, or the one that is named."""

    def __init__(self, settings: Settings, *, fast_database: bool) -> None:
        self.settings, self.fast = settings, fast_database
        self._keeper: Keeper | None = None

    def begin(self) -> tuple[str, str]:
        """Start it where it is private, and bring it to head; gives its URLs, as the service and as its owner.

        Raises:
            WrongSchema: a shared database is not at head.
        """
        settings = self.settings
        url, owner_url = settings.database_url, settings.schema_url or settings.database_url
        if not settings.database_url:
            database = start_private_database(settings.data / "database", fast=self.fast)
            self._keeper = Keeper(database, fast=self.fast)
            log.info("database %s, pid %d", "adopted" if database.adopted else "started", database.pid)
            url, owner_url = database.url, database.owner_url
        _prepare(settings, url, owner_url, private=not settings.database_url)
        return url, owner_url

    def end(self) -> None:
        """Stop what was started."""
        if self._keeper is not None:
            self._keeper.stop()


def _prepare(settings: Settings, url: str, owner_url: str, *, private: bool) -> None:
    """Schema at head, no leases of processes that are gone, a code where nobody is set up."""
    engine, owner = make_engine(url), make_engine(owner_url, pool_size=1)
    try:
        if private:
            schema.migrate(owner)
        elif schema.may_change_tables(engine):
            log.warning(
                "the service's account may change tables; give it rows alone, see docs/operator.md, Shared database"
            )
        schema.check(engine)
        uow = UnitOfWork(engine, seals=Seals(settings.keys))
        if not begin(uow, alone=private, at=datetime.now(UTC)):
            _set_up_code(settings.data)
    finally:
        engine.dispose()
        owner.dispose()


def _set_up_code(data: Path) -> None:
    """While nobody is set up, a code for the first set-up, in a file that only this account reads."""
    data.mkdir(parents=True, exist_ok=True)
    path = data / CODE_FILE
    path.touch(mode=0o600)
    path.chmod(0o600)
    path.write_text(secrets.token_urlsafe(16) + "\n")
    log.info("no provider yet; the set-up code is in %s", path)
