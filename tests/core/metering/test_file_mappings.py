"""Rows of any shape as readings: exact, told apart, and refused where they could mean two things."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.metering.file_mappings import FileMapping, Lasts, Measured, Said, readings_of
from gradumen.core.metering.mapping_guesses import guess

CPU = Measured(Said("cpu"), Said(text="compute/vcpu"), Said(text="vCPU"))
SENT = Measured(Said("sent"), Said(text="network/egress"), Said("unit"))
MAPPING = FileMapping(("vm", "at"), (CPU,), resource=Said("vm"), start=Said("at"), lasts=Lasts.HOUR)
DUBLIN = ZoneInfo("Europe/Dublin")


def test_a_row_gives_a_reading_for_each_quantity_that_it_has() -> None:
    wide = replace(
        MAPPING, measured=(CPU, SENT), account=Said("who"), attributes={"size": Said("kind", values={"m1": "small"})}
    )
    row = {"vm": "web-1", "at": "2026-10-01T09:00Z", "cpu": "2", "sent": "7", "unit": "GiB", "who": "a-1", "kind": "m1"}
    one, two = readings_of(wide, row, "/files/a.csv")
    assert (one.id, two.id) == ("web-1/2026-10-01T09:00Z/compute/vcpu", "web-1/2026-10-01T09:00Z/network/egress")
    assert (two.quantity, two.unit, two.account, two.attributes) == (Decimal(7), "GiB", "a-1", (("size", "small"),))
    assert one.end - one.start == timedelta(hours=1) and one.source == "/files/a.csv"
    # An empty quantity says nothing; an empty account is none.
    [only] = readings_of(wide, {**row, "sent": "", "who": " "}, "x")
    assert (only.meter, only.account, only.source) == ("compute/vcpu", None, "x")


@given(st.decimals(0, 10**12, places=6), st.integers(10**9, 4 * 10**9).map(lambda at: datetime.fromtimestamp(at, UTC)))
def test_what_is_written_is_read_in_every_way_of_writing(quantity: Decimal, at: datetime) -> None:
    written = f"{quantity:f}"
    for decimal, times, said in (
        (".", None, f"{at:%Y-%m-%d %H:%M:%S}"),
        (",", "%d/%m/%Y %H:%M:%S", at.strftime("%d/%m/%Y %H:%M:%S")),
        (",", "%m.%d.%Y %H:%M:%S", at.strftime("%m.%d.%Y %H:%M:%S")),
    ):
        row = {"vm": "a", "at": said, "cpu": written.replace(".", decimal)}
        [reading] = readings_of(replace(MAPPING, decimal=decimal, times=times), row, "x")
        assert reading.quantity == quantity and reading.start == at


def test_clocks_of_a_zone_are_read_where_they_mean_one_time() -> None:
    local = replace(MAPPING, zone=DUBLIN)

    def start(said: str) -> datetime:
        return readings_of(local, {"vm": "a", "at": said, "cpu": "1"}, "x")[0].start

    assert start("2026-07-01 00:00") == datetime(2026, 6, 30, 23, tzinfo=UTC)
    assert start("2026-12-01 00:00") == datetime(2026, 12, 1, tzinfo=UTC)
    assert start("2026-07-01T00:00:00+05:30") == datetime(2026, 6, 30, 18, 30, tzinfo=UTC)
    with pytest.raises(Invalid, match="show 2026-10-25 01:30 twice"):
        start("2026-10-25 01:30")
    with pytest.raises(Invalid, match="never show 2026-03-29 01:30"):
        start("2026-03-29 01:30")


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"cpu": "1,5"}, "quantity"),
        ({"cpu": "1 000"}, "quantity"),
        ({"cpu": "-1"}, "is negative"),
        ({"cpu": "NaN"}, "quantity"),
        ({"at": "01/10/2026"}, "no time that is written in ISO 8601"),
        ({"at": ""}, "start '' is no time"),
        ({"vm": ""}, "column vm is empty"),
        ({"until": "2026-10-01T08:00Z"}, "must be after start"),
    ],
)
def test_what_could_mean_something_else_is_refused(changes: dict[str, str], said: str) -> None:
    row = {"vm": "a", "at": "2026-10-01T09:00Z", "cpu": "1", "until": "2026-10-01T10:00Z", **changes}
    with pytest.raises(Invalid, match=said):
        readings_of(replace(MAPPING, end=Said("until")), row, "x")


def test_a_text_that_stands_for_nothing_is_named() -> None:
    mapped = replace(MAPPING, measured=(replace(CPU, meter=Said("what", values={"cores": "compute/vcpu", "ram": ""})),))
    row = {"vm": "a", "at": "2026-10-01T09:00Z", "cpu": "1"}
    assert readings_of(mapped, {**row, "what": "cores"}, "x")[0].meter == "compute/vcpu"
    for what in ("ram", "disk"):
        with pytest.raises(Invalid, match=f"column what says '{what}'"):
            readings_of(mapped, {**row, "what": what}, "x")


def test_columns_are_guessed_and_doubts_are_said() -> None:
    columns = ["Sub Account ID", "Instance", "Metric Name", "Timestamp", "Usage", "attribute.size", "Remark"]
    days = ["03/04/2026 00:00", "04/04/2026 00:00"]
    rows = [dict(zip(columns, ["a-1", "vm", "cores", day, "1,5", "small", "-"], strict=True)) for day in days]
    found = guess(columns, rows, ["compute/vcpu"])
    assert found.columns == {
        "account": "Sub Account ID", "resource": "Instance", "meter": "Metric Name", "quantity": "Usage",
        "start": "Timestamp",
    }  # fmt: skip
    assert (found.attributes, found.meters, found.decimal) == ({"size": "attribute.size"}, {"cores": ""}, ",")
    assert found.times == "%d/%m/%Y %H:%M" and found.lasts is Lasts.DAY
    assert found.identity == ["Sub Account ID", "Instance", "Metric Name", "Timestamp"]
    assert "day first or month first" in found.doubts[0] and "24 hours" in found.doubts[1]
    sure = guess(columns, [{**rows[0], "Timestamp": "03/25/2026 00:00"}], [])
    assert sure.times == "%m/%d/%Y %H:%M" and len(sure.doubts) == 1
    assert guess(["a"], [{"a": "1"}], []).columns == {}
