"""Pieces of a large task in other processes: the same charges, whoever makes them and whoever is lost meanwhile."""

import os
import pickle
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import partial
from pathlib import Path

import pytest
from distributed import LocalCluster
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from gradumen.core.errors import Forbidden, GradumenError, Invalid, QuotaExceeded
from gradumen.jobs import pieces
from gradumen.jobs.pieces import Pieces, Place
from gradumen.run.executors import dask_cluster, process_pool
from gradumen.store.pairs import PairRow
from tests.conftest import Service, settle
from tests.jobs.work import lost_once, rated_by, refused
from tests.usecases.rating.test_current_charges import used
from tests.world import World
from tests.worlds.stored import differing_pairs


@contextmanager
def cluster() -> Iterator[LocalCluster]:
    """Two workers of a cluster on this machine."""
    with LocalCluster(
        n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None, host="127.0.0.1"
    ) as local:
        yield local


@pytest.fixture
def stale(world: World, service: Service, monkeypatch: pytest.MonkeyPatch) -> Iterator[list[list[int]]]:
    """All pairs of the world, each a piece of its own, to be rated by whoever the test asks."""
    used(world)
    settle(service.uow.engine)
    monkeypatch.setattr(pieces, "FEW", 1)
    with service.worker.gate:
        with service.uow.engine.begin() as connection:
            connection.execute(text("UPDATE pairs SET wanted = wanted + 1, stale_since = UTC_TIMESTAMP(6)"))
        with Session(service.uow.engine) as session:
            yield [[pair] for pair in session.scalars(select(PairRow.id).order_by(PairRow.id))]


def others(service: Service, folder: Path, executor: object) -> Pieces:
    return Pieces(Place(service.uow.engine.url.render_as_string(hide_password=False), folder), executor)


def all_rated(service: Service) -> bool:
    with Session(service.uow.engine) as session:
        left = session.scalar(select(func.count()).where(PairRow.stale_since.is_not(None)))
    return left == 0 and differing_pairs(service.uow) == {}


def test_a_pool_rates_what_one_process_would(stale: list[list[int]], service: Service, tmp_path: Path) -> None:
    at_once = others(service, tmp_path, partial(process_pool, 2))
    found = sum(pieces.done(service.uow, at_once, partial(rated_by, tmp_path / "by"), stale))
    by = (tmp_path / "by").read_text().split()
    assert found == len(stale) == len(by)
    assert len(set(by)) == 2
    assert str(os.getpid()) not in by
    assert all_rated(service)


def test_a_cluster_rates_the_same_with_a_worker_killed(
    stale: list[list[int]], service: Service, tmp_path: Path
) -> None:
    with cluster() as local:
        at_once = others(service, tmp_path, partial(dask_cluster, local.scheduler_address))
        done = list(pieces.done(service.uow, at_once, partial(lost_once, tmp_path / "lost"), stale))
    assert (tmp_path / "lost").exists()
    assert sum(done) == len(stale)
    assert all_rated(service)


def test_a_piece_that_is_refused_says_why(service: Service, tmp_path: Path) -> None:
    at_once = others(service, tmp_path, partial(ThreadPoolExecutor, 2))
    with pytest.raises(Invalid, match=r"piece \d is odd") as found:
        list(pieces.done(service.uow, at_once, refused, range(9)))
    assert found.value.facts["field"] == "piece"


def test_a_scheduler_that_does_not_answer_is_named(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gradumen.run.executors.DASK_SECONDS", 1)
    with (
        pytest.raises(Invalid, match=r"GRADUMEN_DASK names, tcp://127.0.0.1:9, does not answer"),
        dask_cluster("tcp://127.0.0.1:9"),
    ):
        pass


@pytest.mark.parametrize(
    "error",
    [
        Invalid("odd", field="a", value=1),
        Forbidden(right="bill", organisation="oxbow"),
        QuotaExceeded("at most 3", measure="vcpu", asked="5", left="3", limit="9", holder="oxbow"),
    ],
)
def test_refusals_come_back_from_other_processes_as_they_are(error: GradumenError) -> None:
    found = pickle.loads(pickle.dumps(error))
    assert (type(found), str(found), found.facts) == (type(error), str(error), error.facts)
