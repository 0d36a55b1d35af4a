"""A process that does tasks: ``python -m gradumen.run.worker``, started by `gradumen.run.serve`."""

import signal

from gradumen.jobs.worker import Worker
from gradumen.run.child import begin
from gradumen.run.executors import pieces_of
from gradumen.store.unit_of_work import UnitOfWork, make_engine


def main() -> None:
    """Do what is due until told to end, or until the parent is gone."""
    told = begin()
    engine, owner = make_engine(told.url), make_engine(told.owner_url, pool_size=1)
    try:
        worker = Worker(UnitOfWork(engine, told.settings.columns), owner, others=pieces_of(told.settings, told.url))
        signal.signal(signal.SIGTERM, lambda *_: worker.stop())
        worker.run()
    finally:
        engine.dispose()
        owner.dispose()


if __name__ == "__main__":
    main()
