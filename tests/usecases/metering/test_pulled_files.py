"""Files that the service fetches itself: each once, again when it is another, and what is not taken is told."""

import os
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path

import pytest

from gradumen.core.errors import Conflict, Invalid, NotFound
from gradumen.core.metering.pulls import PullKind
from gradumen.demo.stores import BUCKET, SimulatedStore
from gradumen.jobs import cost_uploads
from gradumen.wire.metering.deliveries import SaidForm
from gradumen.wire.metering.pulls import PullBody, PullForm
from tests.conftest import Service
from tests.usecases.metering.test_deliveries import FEED, HEAD, MAPPING, ROWS, content, used
from tests.usecases.metering.test_imported_costs import FEED as COSTS
from tests.usecases.metering.test_imported_costs import costs, imported, row, written
from tests.world import World

__all__ = ["costs"]
FIRST = datetime(2026, 9, 1, tzinfo=UTC)
FORM = PullForm(kind=PullKind.DIRECTORY, endpoint="drop", names="*.csv", starts_at=FIRST, settles_minutes=1)


@pytest.fixture
def folder(drop: Path) -> Iterator[Path]:
    """The directory, emptied."""
    for each in drop.iterdir():
        each.unlink()
    yield drop


def write(folder: Path, name: str, told: bytes, at: datetime = FIRST + timedelta(days=2)) -> None:
    (folder / name).write_bytes(told)
    os.utime(folder / name, (at.timestamp(), at.timestamp()))


def run(world: World, feed: str = FEED) -> PullBody:
    """A run to its end."""
    before = world.mara.pulls.get(feed).last_run_at
    world.mara.pulls.again(feed)
    return after(world, feed, before)


def after(world: World, feed: str, before: datetime | None = None) -> PullBody:
    """Once there is a run after one."""
    ends = time.monotonic() + 120
    while (found := world.mara.pulls.get(feed)).last_run_at in (None, before):
        assert time.monotonic() < ends
        time.sleep(0.05)
    return found


def test_each_file_is_fetched_once_and_again_when_it_is_another(world: World, folder: Path) -> None:
    mara = world.mara
    with pytest.raises(Conflict, match="nobody has said yet what files"):
        mara.pulls.set(FEED, FORM, version=0)
    mara.deliveries.set_mapping(FEED, MAPPING, 0)
    write(folder, "a.csv", content(*ROWS[:2]))
    write(folder, "notes.txt", b"not of interest")
    write(folder, "too-old.csv", content(*ROWS), FIRST - timedelta(days=1))
    write(folder, "fresh.csv", content(*ROWS), datetime.now(UTC))
    tried = mara.pulls.attempt(FEED, FORM)
    assert tried.reached and tried.said == "4 files, of which 2 would be fetched: a.csv, fresh.csv"
    mara.pulls.set(FEED, FORM, version=0)
    found = run(world)
    assert (found.files, found.refused_files, found.problem, found.behind) == (1, 0, None, False)
    assert used(world) == {"saltmarsh/booking": Decimal("3.5")}
    [told] = mara.pulls.files(FEED)
    [delivery] = mara.feeds.deliveries(FEED)
    assert (told.name, told.delivery, told.problem) == ("a.csv", delivery.id, None)
    run(world)
    assert len(mara.feeds.deliveries(FEED)) == 1, "nothing new"
    write(folder, "a.csv", content(*ROWS), FIRST + timedelta(days=3))
    write(folder, "b.csv", content(*ROWS))
    run(world)
    assert [(each.file, each.accepted, each.known) for each in mara.feeds.deliveries(FEED)][:2] == [
        ("a.csv", 1, 2),
        ("a.csv", 2, 0),
    ], "the same content under another name is the same file"
    assert used(world) == {"saltmarsh/booking": Decimal("3.5"), "quillstone/archive": Decimal(10)}
    assert [each.name for each in mara.pulls.files(FEED)] == ["a.csv", "b.csv"]


def test_what_is_not_taken_is_told_and_tried_again_once_it_can_be_read(world: World, folder: Path) -> None:
    mara = world.mara
    mara.deliveries.set_mapping(FEED, MAPPING, 0)
    write(folder, "a.csv", content(*ROWS))
    write(folder, "b.csv", HEAD.encode() + b"\xff\xfe\x00broken")
    write(folder, "c.csv", (HEAD.replace("Sent", "Carried") + ROWS[2]).encode())
    long, odd = "l" * 190 + ".csv", "a\tb.csv"
    write(folder, long, content(*ROWS))
    write(folder, odd, content(*ROWS))
    mara.pulls.set(FEED, FORM, version=0)
    found = run(world)
    assert (found.problem, found.files, found.refused_files) == (None, 5, 4)
    assert [each.name for each in mara.pulls.files(FEED, refused=True)] == [odd, "b.csv", "c.csv", long[:180]]
    # They are not read again and again, and told until they are others, or are read otherwise.
    for _ in range(2):
        [told] = [each for each in mara.to_dos.list("tarnwick") if each.kind == "feed"]
        assert told.subject == FEED and "4 files not taken, one because" in told.detail
        assert run(world).refused_files == 4
    write(folder, "b.csv", content("web-9;03/09/2026;4;9"), FIRST + timedelta(days=4))
    assert run(world).refused_files == 3
    assert used(world)["quillstone/archive"] == 14
    carried = MAPPING.model_copy(
        update={"measured": [MAPPING.measured[0].model_copy(update={"quantity": SaidForm(column="Carried")})]}
    )
    mara.deliveries.set_mapping(FEED, type(MAPPING).model_validate(carried.model_dump()), 1)
    assert run(world).refused_files == 2, "those whose names cannot be"
    (folder / odd).unlink()
    assert run(world).refused_files == 1, "what is gone needs nobody"


def test_the_latest_statement_stands_in_whatever_order_cost_files_are_fetched(costs: World, folder: Path) -> None:
    world, mara = costs, costs.mara
    told = datetime(2026, 9, 5, tzinfo=UTC)
    write(folder, "a-restated.csv", written(row("7"), row("3")), told + timedelta(hours=5))
    write(folder, "b-first.csv", written(row("9")), told)
    mara.pulls.set(COSTS, FORM, version=0)
    assert run(world, COSTS).problem is None
    assert imported(world) == {("acc-7", "quillstone/archive"): Decimal(10)}
    write(folder, "c-half-gone.csv", written(row("1")), told + timedelta(hours=9))
    assert run(world, COSTS).refused_files == 1
    [half] = mara.pulls.files(COSTS, refused=True)
    assert "confirm that" in str(half.problem) and half.confirmable
    assert imported(world) == {("acc-7", "quillstone/archive"): Decimal(10)}
    with pytest.raises(Conflict, match=r"'b-first.csv' was taken"):
        mara.pulls.confirm_file(COSTS, "b-first.csv")
    with pytest.raises(NotFound):
        mara.pulls.confirm_file(COSTS, "d.csv")
    assert mara.pulls.confirm_file(COSTS, half.name).confirmed
    assert mara.pulls.confirm_file(COSTS, half.name).confirmed, "said twice"
    assert run(world, COSTS).refused_files == 0
    assert imported(world) == {("acc-7", "quillstone/archive"): Decimal(1)}


def test_a_fetched_file_of_costs_is_read_in_batches_and_nothing_is_left_of_one_that_is_refused(
    costs: World, service: Service, folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gradumen.feeds.cost_files.BATCH", 3)
    told = datetime(2026, 9, 5, tzinfo=UTC)
    write(folder, "a.csv", written(*[row("1", day) for day in (3, 4, 5)] * 4), told)
    write(folder, "b.csv", written(*[row("1", 6)] * 5, row("x", 6)), told)
    costs.mara.pulls.set(COSTS, FORM, version=0)
    assert run(costs, COSTS).refused_files == 1
    assert imported(costs) == {("acc-7", "quillstone/archive"): Decimal(12)}
    monkeypatch.setattr("gradumen.usecases.metering.uploads.LEFT_OVER", timedelta(seconds=-1))
    cost_uploads.clear(service.uow)
    counts = "SELECT COUNT(*) FROM cost_rows UNION ALL SELECT COUNT(*) FROM cost_exports"
    left = service.uow.run(lambda tx: tx.connection().exec_driver_sql(counts).scalars().all())
    assert left == [12, 1]


def test_a_directory_is_open_to_its_seller_alone(world: World, folder: Path) -> None:
    edda = world.user("edda")
    edda.feeds.create("oxbow", slug="theirs", name="Theirs")
    edda.deliveries.set_mapping("oxbow/theirs", MAPPING, 0)
    with pytest.raises(Invalid, match="no directory that the operator lets oxbow fetch from"):
        edda.pulls.set("oxbow/theirs", FORM, version=0)
    assert not edda.pulls.attempt("oxbow/theirs", FORM).reached
    for endpoint in ("drop/..", "/etc", "drop/../../etc"):
        with pytest.raises(Invalid):
            world.mara.pulls.set(FEED, FORM.model_copy(update={"endpoint": endpoint}), version=0)
    with pytest.raises(Invalid, match="without queries"):
        query = {
            "name": "x",
            "query": "x",
            "meter": "network/egress",
            "unit": "byte",
            "how": "level",
            "resource": ["x"],
        }
        world.mara.pulls.set(FEED, PullForm.model_validate({**FORM.model_dump(), "queries": [query]}), version=0)


@pytest.fixture
def kept(store: SimulatedStore) -> Iterator[SimulatedStore]:
    """The store, with two statements of a day's costs in it, of which the later one stands."""
    told = datetime(2026, 9, 5, tzinfo=UTC)
    store.put("vendor/a.csv", written(row("7"), row("3")), told + timedelta(hours=5))
    store.put("vendor/b.csv", written(row("9")), told)
    yield store
    store.mishaps.clear()
    for _, path in store.objects("vendor/"):
        path.unlink()


def of_store(store: SimulatedStore) -> PullForm:
    return FORM.model_copy(
        update={"kind": PullKind.OBJECTS, "endpoint": f"{store.url}/{BUCKET}/vendor", "user": store.user}
    )


@pytest.mark.parametrize(
    ("mishaps", "said"),
    [
        (["refuse"], "503"),
        (["drop"], "does not answer"),
        (["slow"], "does not answer"),
        (["drip"], "does not answer"),
        (["endless"], "larger than"),
        (["elsewhere"], "leads elsewhere"),
        (["nonsense"], "no list of objects"),
        (["", "half"], "does not answer"),
        (["", "nonsense"], "not the file that was listed"),
        (["", "", "refuse"], "503"),
    ],
)
def test_whatever_goes_wrong_at_a_store_is_told_and_all_of_it_is_taken_once_in_the_end(
    costs: World, kept: SimulatedStore, mishaps: list[str], said: str
) -> None:
    mara = costs.mara
    kept.mishaps.extend(mishaps)
    mara.pulls.set(COSTS, of_store(kept), version=0, secret=kept.secret)
    problem = after(costs, COSTS).problem
    assert problem is not None and said in problem
    found = run(costs, COSTS)
    assert (found.problem, found.files, found.refused_files) == (None, 2, 0)
    assert imported(costs) == {("acc-7", "quillstone/archive"): Decimal(10)}


def test_a_store_lets_only_in_who_has_the_secret(costs: World, kept: SimulatedStore) -> None:
    tried = costs.mara.pulls.attempt(COSTS, of_store(kept), "another")
    assert (tried.reached, "does not let the user list" in tried.said) == (False, True)
    assert costs.mara.pulls.attempt(COSTS, of_store(kept), kept.secret).said.startswith("2 files")
