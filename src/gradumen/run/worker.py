"""A process that does tasks: ``python -m gradumen.run.worker``, started by `gradumen.run.serve`."""

import signal

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories
from gradumen.jobs.messages import Mailer
from gradumen.jobs.worker import Worker
from gradumen.run.child import begin
from gradumen.run.executors import pieces_of
from gradumen.store.sealing import Seals
from gradumen.store.unit_of_work import UnitOfWork, make_engine


def main() -> None:
    """Do what is due until told to end, or until the parent is gone."""
    told = begin()
    engine, owner = make_engine(told.url), make_engine(told.owner_url, pool_size=1)
    try:
        uow = UnitOfWork(engine, told.settings.columns, Seals(told.settings.keys))
        door = Door(told.settings.outbound.split(","))
        directories = Directories(told.settings.directories)
        others = pieces_of(told.settings, told.url)
        worker = Worker(uow, owner, others=others, door=door, directories=directories)
        mailer = Mailer(uow, told.settings)
        signal.signal(signal.SIGTERM, lambda *_: worker.stop())
        mailer.start()
        worker.run()
        mailer.stop()
    finally:
        engine.dispose()
        owner.dispose()


if __name__ == "__main__":
    main()
