"""Cost files that come in pieces: the same as those of one call, whatever breaks off, and several that count together."""

import hashlib
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from gradumen.client import Client
from gradumen.core.errors import Conflict, GradumenError, Invalid, NotFound
from gradumen.core.metering import uploads as cut
from gradumen.jobs import cost_uploads
from gradumen.jobs.worker import Worker
from gradumen.usecases import starts, tasks
from gradumen.wire.metering.uploads import UploadBegin, UploadBody
from tests.conftest import Service
from tests.usecases.metering.test_imported_costs import FEED, charged, costs, imported, row, send, written
from tests.world import World, moment

__all__ = ["costs"]
EXPORTED = "2026-09-24 05:00"


@pytest.fixture(autouse=True)
def small_pieces(monkeypatch: pytest.MonkeyPatch) -> None:
    """A few hundred bytes each, so that a small file has several."""
    monkeypatch.setattr(cut, "PIECE", 300)
    monkeypatch.setattr("gradumen.usecases.metering.uploads.PIECE", 300)


def file(folder: Path, name: str, *rows: Mapping[str, str]) -> Path:
    path = folder / name
    path.write_bytes(written(*rows))
    return path


def begun(path: Path, **more: object) -> UploadBegin:
    content = path.read_bytes()
    digest = hashlib.sha256(content).hexdigest()
    stated = {"name": path.name, "size": len(content), "sha256": digest, "exported_at": moment(EXPORTED), **more}
    return UploadBegin.model_validate(stated)


def sent(client: Client, path: Path, at: str = EXPORTED, **more: object) -> UploadBody:
    found = client.uploads.send(FEED, path, exported_at=moment(at), **more)
    return client.uploads.follow(found.id, seconds=60)


def facts(world: World) -> object:
    """What costs come to: charged, with sums that close, and whose they are."""
    return charged(world), imported(world)


def test_a_file_in_pieces_comes_to_the_same_as_by_one_call(costs: World, tmp_path: Path) -> None:
    rows = [row("10.05"), row("10.05"), row("-3", 4, ChargeCategory="Credit"), row("5", 4, "acc-8"), row("1e-12", 6)]
    send(costs, *rows)
    before = facts(costs)
    costs.mara.deliveries.take_back(costs.mara.feeds.deliveries(FEED)[0].id)
    found = sent(costs.mara, file(tmp_path, "large.csv", *rows))
    assert (found.state, found.problem, found.rows, found.pieces > 2) == ("taken", None, 5, True)
    assert facts(costs) == before
    again = costs.mara.uploads.send(FEED, tmp_path / "large.csv", exported_at=moment(EXPORTED))
    assert (again.id, again.state) == (found.id, "taken"), "it came before"


def test_what_broke_off_is_sent_on_where_it_stopped(costs: World, tmp_path: Path) -> None:
    mara, path = costs.mara, file(tmp_path, "large.csv", row("1"), row("2", 4))
    content = path.read_bytes()
    first = mara.uploads.begin(FEED, begun(path))
    mara.uploads.send_piece(first.id, 1, content[300:600])
    again = mara.uploads.begin(FEED, begun(path))
    assert (again.id, again.missing) == (first.id, [each for each in range(first.pieces) if each != 1])
    with pytest.raises(Invalid, match=r"piece 0 has 300 bytes, 299 came"):
        mara.uploads.send_piece(first.id, 0, content[:299])
    with pytest.raises(Invalid, match=f"the file has pieces 0 to {first.pieces - 1}, there is no {first.pieces}"):
        mara.uploads.send_piece(first.id, first.pieces, b"")
    assert sent(mara, path).state == "taken"
    assert imported(costs) == {("acc-7", "quillstone/archive"): 3}
    late = mara.uploads.send_piece(first.id, 0, content[:300])
    assert late.state == "taken", "a piece that comes once more changes nothing"


def test_files_of_one_export_count_together_and_not_before(costs: World, tmp_path: Path) -> None:
    mara = costs.mara
    one, two = file(tmp_path, "a.csv", row("1"), row("2", 4)), file(tmp_path, "b.csv", row("4"), row("8", 5))
    assert sent(mara, two, part=2, parts=2).state == "waiting"
    assert imported(costs) == {}, "half an export says nothing"
    assert sent(mara, one, part=1, parts=2).state == "taken"
    assert imported(costs) == {("acc-7", "quillstone/archive"): 15}
    [delivery] = mara.feeds.deliveries(FEED)
    assert (delivery.accepted, delivery.file) == (4, "a.csv and 1 more")
    assert mara.uploads.list(FEED) == []
    mara.deliveries.take_back(delivery.id)
    assert imported(costs) == {}
    assert sent(mara, one, part=1, parts=2).state == "waiting", "what was taken back comes anew"
    assert sent(mara, two, part=2, parts=2).state == "taken"
    assert imported(costs) == {("acc-7", "quillstone/archive"): 15}


def test_what_is_given_up_while_others_are_read_is_missing(
    costs: World, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    mara = costs.mara
    one, two = file(tmp_path, "a.csv", row("1")), file(tmp_path, "b.csv", row("4"))
    waits = sent(mara, one, part=1, parts=2)
    end = cost_uploads.end_reading

    def meanwhile(*args: object, **more: object) -> None:
        end(*args, **more)  # type: ignore[arg-type]  # handed on as they came
        mara.uploads.give_up(waits.id)

    with monkeypatch.context() as patched:
        patched.setattr(cost_uploads, "end_reading", meanwhile)
        assert sent(mara, two, part=2, parts=2).state == "waiting"
    assert imported(costs) == {}
    assert sent(mara, one, part=1, parts=2).state == "taken"
    assert imported(costs) == {("acc-7", "quillstone/archive"): 5}


def test_another_file_of_the_same_part_or_other_days_is_refused(costs: World, tmp_path: Path) -> None:
    mara = costs.mara
    one, other = file(tmp_path, "a.csv", row("1")), file(tmp_path, "c.csv", row("3"))
    first = mara.uploads.begin(FEED, begun(one, part=1, parts=2))
    with pytest.raises(Conflict, match=r"'a.csv' is file 1 of the export of 2026-09-24 05:00; give that one up first"):
        mara.uploads.begin(FEED, begun(other, part=1, parts=2))
    with pytest.raises(Conflict, match="say the same for all of them"):
        mara.uploads.begin(FEED, begun(other, part=2, parts=2, first="2026-09-01"))
    mara.uploads.give_up(first.id)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("gradumen.usecases.metering.uploads.MOST", 0)
        with pytest.raises(Conflict, match="0 files are on their way to this feed"):
            mara.uploads.begin(FEED, begun(other, part=1, parts=2))
    assert mara.uploads.begin(FEED, begun(other, part=1, parts=2)).state == "sending"
    with pytest.raises(Invalid, match="say when the export was written"):
        mara.uploads.begin(FEED, begun(other, part=1, parts=2, exported_at=None))
    with pytest.raises(Invalid, match="part 3 is none of 2 files"):
        mara.uploads.begin(FEED, begun(other, part=3, parts=2))


def test_a_wrong_line_refuses_a_file_and_nothing_of_it_stays(costs: World, tmp_path: Path) -> None:
    mara = costs.mara
    found = sent(mara, file(tmp_path, "large.csv", row("1"), row("1,5", 4)))
    assert found.state == "refused"
    assert found.problem == (
        "1 of 2 rows are wrong, so none is taken: line 3: BilledCost '1,5' is no number; write it like -1234.56"
    )
    assert not found.confirmable
    [task] = [each for each in mara.tasks.list("tarnwick") if each.kind == tasks.COST_FILE]
    assert (task.state, task.problem) == ("needs a hand", found.problem)
    with pytest.raises(Conflict, match="there is nothing to confirm"):
        mara.uploads.confirm(found.id)
    mara.uploads.give_up(found.id)
    assert mara.tasks.get(task.id).state == "undone"
    assert imported(costs) == {}
    assert sent(mara, file(tmp_path, "large.csv", row("1"), row("1.5", 4))).state == "taken"


def test_what_loses_half_of_a_day_waits_for_a_hand(costs: World, tmp_path: Path) -> None:
    mara = costs.mara
    send(costs, *[row("1")] * 4)
    found = sent(mara, file(tmp_path, "large.csv", row("1")), "2026-09-24 06:00")
    assert (found.state, found.confirmable) == ("refused", True)
    assert found.problem is not None
    assert "confirm that, if it is right" in found.problem
    assert [each.id for each in mara.uploads.list(FEED)] == [found.id]
    assert imported(costs) == {("acc-7", "quillstone/archive"): 4}, "what stood stands"
    confirmed = mara.uploads.follow(mara.uploads.confirm(found.id).id, seconds=60)
    assert (confirmed.state, imported(costs)) == ("taken", {("acc-7", "quillstone/archive"): 1})
    assert mara.uploads.confirm(found.id).state == "taken", "said twice"


def test_a_file_that_is_another_than_was_said_is_refused(costs: World, tmp_path: Path) -> None:
    path = file(tmp_path, "large.csv", row("1"))
    wrong = begun(path, sha256="0" * 64)
    found = costs.mara.uploads.begin(FEED, wrong)
    for number in found.missing:
        costs.mara.uploads.send_piece(found.id, number, path.read_bytes()[number * 300 : (number + 1) * 300])
    after = costs.mara.uploads.follow(found.id, seconds=60)
    assert after.state == "refused"
    assert "is another file than was said" in (after.problem or "")


def test_only_those_who_may_send_to_the_feed_see_what_comes(costs: World, tmp_path: Path) -> None:
    found = costs.mara.uploads.begin(FEED, begun(file(tmp_path, "a.csv", row("1"))))
    for user in ("edda", "una"):
        other = costs.user(user)
        for call in (other.uploads.get, other.uploads.confirm, other.uploads.give_up):
            with pytest.raises(NotFound):
                call(found.id)
        with pytest.raises(NotFound):
            other.uploads.send_piece(found.id, 0, b"x")
        with pytest.raises(GradumenError):
            other.uploads.list(FEED)


def test_what_nobody_sends_on_is_given_up_after_a_week(
    costs: World, service: Service, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    mara = costs.mara
    waits = sent(mara, file(tmp_path, "b.csv", row("4")), part=2, parts=2)
    left = mara.uploads.begin(FEED, begun(file(tmp_path, "a.csv", row("1")), part=1, parts=2))
    cost_uploads.clear(service.uow)
    assert mara.uploads.get(left.id).state == "sending", "it may still come"
    monkeypatch.setattr("gradumen.usecases.metering.uploads.KEPT_DAYS", timedelta(seconds=-1))
    mara.uploads.give_up(waits.id)
    cost_uploads.clear(service.uow)
    assert mara.uploads.get(left.id).state == "given up"
    refused = sent(mara, file(tmp_path, "c.csv", row("x")))
    monkeypatch.setattr("gradumen.usecases.metering.uploads.DECIDED_DAYS", timedelta(seconds=-1))
    cost_uploads.clear(service.uow)
    assert mara.uploads.get(refused.id).state == "given up", "nobody decided for two months"
    tables = ("cost_rows", "cost_sets", "cost_exports", "upload_pieces")
    counts = service.uow.run(
        lambda tx: [tx.connection().exec_driver_sql(f"SELECT COUNT(*) FROM {each}").scalar() for each in tables]
    )
    assert counts == [0] * len(tables), "nothing of them lies around"


class Killed(BaseException):
    """What ends a worker at once."""


@pytest.mark.parametrize("call", ["remove_read", "keep_rows", "end_reading", "settle_upload"])
def test_a_worker_killed_before_or_after_each_call_leaves_it_to_another(
    costs: World, service: Service, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, call: str
) -> None:
    monkeypatch.setattr("gradumen.feeds.cost_files.BATCH", 10)
    rows = [row(f"{each}", day=3 + each % 4) for each in range(1, 40)]
    for hour, (after, turn) in enumerate([(False, 1), (True, 1), (False, 3), (True, 3)]):
        path = file(tmp_path, f"{hour}.csv", *rows)
        with service.worker.gate, monkeypatch.context() as patched:
            kill_at(patched, call, turn, after=after)
            found = costs.mara.uploads.send(FEED, path, exported_at=moment(f"2026-09-24 0{hour}:00"))
            hand = Worker(service.uow, service.worker.owner)
            if call == "keep_rows" or turn == 1:
                with pytest.raises(Killed):
                    hand.do_next()
            starts.begin(service.uow, alone=True, at=datetime.now(UTC))
        assert costs.mara.uploads.follow(found.id, seconds=60).state == "taken"
        assert imported(costs) == {("acc-7", "quillstone/archive"): sum(range(1, 40))}


def kill_at(patched: pytest.MonkeyPatch, call: str, turn: int, *, after: bool) -> None:
    """The worker is killed at its so-manieth call."""
    real, left = getattr(cost_uploads, call), [turn]

    def killed(*args: object, **more: object) -> object:
        left[0] -= 1
        if not left[0] and not after:
            raise Killed
        found = real(*args, **more)
        if not left[0]:
            raise Killed
        return found

    patched.setattr(cost_uploads, call, killed)
