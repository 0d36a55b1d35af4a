"""Keys of secrets, by hand: sealing all of them with a new one, or giving up those whose key is lost."""

from collections.abc import Callable

from gradumen.run.backup import database_of
from gradumen.settings import Settings
from gradumen.store.sealing import Seals
from gradumen.store.unit_of_work import UnitOfWork, make_engine
from gradumen.usecases.sealing import check_seals, forget_secrets, seal_anew


def rotate(settings: Settings) -> int:
    """Make a new key and seal every secret with it, while the service runs; gives how many.

    Raises:
        DatabaseFailed: there is no database.
        SealBroken: the keys are not those of this database; nothing is changed.
    """
    seals = Seals(settings.keys)

    def work(uow: UnitOfWork) -> int:
        check_seals(uow)
        seals.add_key()
        found = seal_anew(uow)
        # The one before stays for what a process seals with it meanwhile.
        seals.keep(2)
        return found

    return _with(settings, seals, work)


def begin_anew(settings: Settings) -> int:
    """Give up what was sealed with lost keys; gives how many secrets.

    Raises:
        DatabaseFailed: there is no database.
    """
    return _with(settings, Seals(settings.keys), forget_secrets)


def _with(settings: Settings, seals: Seals, work: Callable[[UnitOfWork], int]) -> int:
    with database_of(settings) as url:
        engine = make_engine(url, pool_size=1)
        try:
            return work(UnitOfWork(engine, seals=seals))
        finally:
            engine.dispose()
