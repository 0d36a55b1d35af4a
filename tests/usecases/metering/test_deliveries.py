"""Files in the shape of whoever writes them: mapped, looked at, taken in once, and taken back whole."""

import io
from decimal import Decimal
from threading import Barrier, Thread

import polars as pl
import pytest
from sqlalchemy import text

from gradumen.core.errors import Conflict, EditedMeanwhile, Forbidden, Invalid, NotFound
from gradumen.core.metering.file_mappings import Lasts
from gradumen.core.permissions import Role
from gradumen.usecases.metering import deliveries
from gradumen.wire.metering.deliveries import FileMappingForm, MeasuredForm, SaidForm
from tests.conftest import Service
from tests.world import World, egress, join

FEED = "tarnwick/north-fell"
MAPPING = FileMappingForm(
    identity=["Machine", "Date"],
    measured=[
        MeasuredForm(quantity=SaidForm(column="Sent"), meter=SaidForm(text="network/egress"), unit=SaidForm(text="GiB"))
    ],
    resource=SaidForm(column="Machine"),
    owner=SaidForm(column="Cost place", values={"7": "saltmarsh/booking", "9": "quillstone/archive"}),
    start=SaidForm(column="Date"),
    lasts=Lasts.DAY,
    times="%d/%m/%Y",
    decimal=",",
)
HEAD = "Machine;Date;Sent;Cost place\n"
ROWS = ("web-1;01/09/2026;1,5;7", "web-1;02/09/2026;2;7", "web-2;01/09/2026;10;9")


def content(*rows: str) -> bytes:
    return (HEAD + "\n".join(rows)).encode()


def used(world: World) -> dict[str, Decimal]:
    """GiB of September by project."""
    world.settle()
    items = world.mara.usage.sum("tarnwick", "2026-09", by=("project",), wait=60).items
    return {each.keys["project"]: each.quantity / 2**30 for each in items if each.quantity}


def test_a_file_is_looked_at_mapped_sent_and_counts_once(world: World) -> None:
    mara = world.mara
    look = mara.deliveries.look(FEED, "a.csv", content(*ROWS))
    assert look.guess is not None and look.given == 0
    assert look.guess.columns == {"resource": "Machine", "start": "Date"} and look.guess.times == "%d/%m/%Y"
    assert (look.count, look.delimiter, look.rows[0].cells["Sent"]) == (3, ";", "1,5")
    with pytest.raises(Conflict, match="nobody has said yet how"):
        mara.deliveries.send(FEED, "a.csv", content(*ROWS))
    assert mara.deliveries.set_mapping(FEED, MAPPING, 0).version == 1
    assert mara.deliveries.set_mapping(FEED, MAPPING, 0).version == 1, "the same again changes nothing"
    with pytest.raises(EditedMeanwhile):
        mara.deliveries.set_mapping(FEED, MAPPING.model_copy(update={"decimal": "."}), 0)
    look = mara.deliveries.look(FEED, "a.csv", content(*ROWS, "web-3;1.9.26;1;7"))
    assert look.guess is None and (look.given, look.refused) == (3, 1)
    assert look.problems[0].line == 5 and "no time that is written like 31/10/2026" in look.problems[0].reason
    assert [(each.resource, each.quantity, each.owner) for each in look.readings][:2] == [
        ("web-1", "1.5", "saltmarsh/booking"), ("web-1", "2", "saltmarsh/booking"),
    ]  # fmt: skip
    assert used(world) == {}, "looking takes nothing in"

    sent = mara.deliveries.send(FEED, "a.csv", content(*ROWS))
    assert (sent.accepted, sent.refused, sent.again) == (3, 0, False)
    again = mara.deliveries.send(FEED, "a.csv", content(*ROWS))
    assert (again.accepted, again.known, again.again, again.delivery_id) == (0, 3, True, sent.delivery_id)
    # Another file with rows of before and a new one: each row counts once.
    more = mara.deliveries.send(FEED, "b.csv", content(*ROWS, "web-2;02/09/2026;0,25;9"))
    assert (more.accepted, more.known) == (1, 3)
    assert used(world) == {"saltmarsh/booking": Decimal("3.5"), "quillstone/archive": Decimal("10.25")}
    # The same rows as Parquet, and one that is broken, which ends no more than the process that reads it.
    parquet = io.BytesIO()
    pl.DataFrame([dict(zip(HEAD.strip().split(";"), row.split(";"), strict=True)) for row in ROWS]).write_parquet(
        parquet
    )
    assert mara.deliveries.look(FEED, "a.parquet", parquet.getvalue()).given == 3
    with pytest.raises(Invalid, match="no whole Parquet file"):
        mara.deliveries.look(FEED, "a.parquet", parquet.getvalue()[:-20])
    newest, first = mara.feeds.deliveries(FEED)[:2]
    assert (newest.file, newest.accepted, first.file) == ("b.csv", 1, "a.csv")


def test_lines_that_cannot_be_read_are_told_and_the_rest_counts(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(deliveries, "BATCH", 2)
    rows = [*ROWS, "web-3;01/09/2026;x;7", "web-3;02/09/2026;1;8", "web-1;01/09/2026;4;7", "web-1;02/09/2026;2;7"]
    sent = world.mara.deliveries.send(FEED, "a.csv", content(*rows), MAPPING)
    assert (sent.accepted, sent.known, sent.refused) == (3, 1, 3)
    told = [str(each.reason) for each in sent.refusals]
    assert "line 5: quantity" in told[0] and "line 6: column Cost place says '8'" in told[1]
    assert "is known with other content" in told[2], "the same row twice with other figures"
    assert used(world)["saltmarsh/booking"] == Decimal("3.5")
    # What had something refused is looked at again when it comes again.
    again = world.mara.deliveries.send(FEED, "a.csv", content(*rows), MAPPING)
    assert (again.again, again.accepted, again.known, again.refused) == (False, 0, 4, 3)
    delivery = world.mara.feeds.deliveries(FEED)[1]
    assert delivery.refused == 3 and delivery.first_refusal == told[0]


def test_a_delivery_is_taken_back_whole_and_can_be_sent_corrected(world: World, service: Service) -> None:
    mara = world.mara
    world.send(egress("kept", 2**30, owner="saltmarsh/booking"))
    sent = mara.deliveries.send(FEED, "a.csv", content(*ROWS), MAPPING)
    mara.deliveries.send(FEED, "b.csv", content("web-9;01/09/2026;1;9"), MAPPING)
    assert used(world) == {"saltmarsh/booking": Decimal("4.5"), "quillstone/archive": Decimal(11)}
    back = mara.deliveries.take_back(sent.delivery_id)
    assert back.taken_back_at is not None
    assert mara.deliveries.take_back(sent.delivery_id) == back
    assert used(world) == {"saltmarsh/booking": Decimal(1), "quillstone/archive": Decimal(1)}
    newest = mara.feeds.deliveries(FEED)[0]
    assert newest.takes_back == back.id and newest.file == "a.csv"
    with pytest.raises(Conflict, match="takes another delivery back"):
        mara.deliveries.take_back(newest.id)
    # The same rows with other figures are no rivals of what is gone; and the very same file comes in again too.
    corrected = mara.deliveries.send(
        FEED, "a.csv", content(*(row.replace("2026;1", "2026;3") for row in ROWS)), MAPPING
    )
    assert corrected.accepted == 3
    assert used(world) == {"saltmarsh/booking": Decimal("6.5"), "quillstone/archive": Decimal(31)}
    mara.deliveries.take_back(corrected.delivery_id)
    assert mara.deliveries.send(FEED, "a.csv", content(*ROWS), MAPPING).accepted == 3
    assert used(world) == {"saltmarsh/booking": Decimal("4.5"), "quillstone/archive": Decimal(11)}
    entries = [each.action for each in mara.audit_entries.list("tarnwick")]
    assert entries.count("delivery taken back") == 2
    standing = service.uow.run(lambda tx: tx.scalar(text("SELECT COUNT(*) FROM reading_keys")))
    assert standing == 5, "what does not count is not known either"


def test_what_replaced_or_was_replaced_is_not_taken_back_by_half(world: World) -> None:
    mara = world.mara
    world.send(egress("x", 100))
    [first, *_] = mara.feeds.deliveries(FEED)
    world.send(egress("x", 60, sequence=1), egress("y", 5))
    [second, *_] = mara.feeds.deliveries(FEED)
    with pytest.raises(Conflict, match="replaced earlier ones"):
        mara.deliveries.take_back(second.id)
    mara.deliveries.take_back(first.id)
    assert used(world)["saltmarsh/booking"] == Decimal(65) / 2**30, "what took its place stays"


def test_a_file_that_several_send_at_once_counts_once(world: World) -> None:
    gate, told = Barrier(3), []
    clients = [world.mara, world.user("mara"), world.mara]

    def send(number: int) -> None:
        gate.wait()
        told.append(clients[number].deliveries.send(FEED, "a.csv", content(*ROWS), MAPPING))

    threads = [Thread(target=send, args=(number,)) for number in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(each.again for each in told) == [False, True, True]
    assert len({each.delivery_id for each in told}) == 1 and sum(each.accepted for each in told) == 3


def test_only_who_may_send_sends_and_only_its_own_is_taken_back(world: World) -> None:
    mara, una, finn = world.mara, world.user("una"), world.user("finn")
    join(world, "mara", "tarnwick", "pump@tarnwick.example", Role.SENDER)
    mara.feeds.allow(FEED, "pump@tarnwick.example")
    pump = world.user("pump@tarnwick.example")
    sent = mara.deliveries.send(FEED, "a.csv", content(*ROWS), MAPPING)
    own = pump.deliveries.send(FEED, "b.csv", content("web-9;01/09/2026;1;9"), MAPPING)
    with pytest.raises(NotFound):
        pump.deliveries.take_back(sent.delivery_id)
    with pytest.raises(Forbidden):
        pump.deliveries.set_mapping(FEED, MAPPING, 0)
    assert pump.deliveries.mapping(FEED).mapping is None
    assert pump.deliveries.take_back(own.delivery_id).accepted == 1
    for stranger in (una, world.user("edda")):
        for act in (
            lambda who: who.deliveries.look(FEED, "a.csv", content(*ROWS), MAPPING),
            lambda who: who.deliveries.send(FEED, "a.csv", content(*ROWS), MAPPING),
            lambda who: who.deliveries.mapping(FEED),
            lambda who: who.deliveries.take_back(sent.delivery_id),
        ):
            with pytest.raises(NotFound):
                act(stranger)
    with pytest.raises(Forbidden):
        finn.deliveries.take_back(sent.delivery_id)


def test_a_mapping_that_cannot_be_is_refused_with_what_is_wrong(world: World) -> None:
    mara = world.mara
    measured = MAPPING.measured[0]
    for changes, said in (
        ({"measured": [measured.model_copy(update={"meter": SaidForm(text="moon/dust")})]}, "meter 'moon/dust'"),
        ({"zone": "Moon/Base"}, "Moon/Base"),
        ({"lasts": None}, "how long one lasts"),
        ({"times": "%"}, "no way to write a time"),
    ):
        with pytest.raises(Invalid, match=said):
            mara.deliveries.set_mapping(FEED, MAPPING.model_copy(update=changes), 0)
    with pytest.raises(Invalid, match="the file has no column Machine"):
        mara.deliveries.look(FEED, "a.csv", b"a;b\n1;2\n", MAPPING)
    with pytest.raises(Invalid, match="base64"):
        world.mara.connection.send("POST", f"feeds/file-looks?feed={FEED}", json={"name": "a.csv", "content": "%"})
    assert mara.deliveries.mapping(FEED).version == 0
