"""The demo is made once and carries on whenever it is started again."""

from datetime import date, datetime
from pathlib import Path

import pytest

from gradumen.demo import fleet
from gradumen.demo.__main__ import _moment, prepare
from tests.conftest import CODE, Service

FIRST = date(2026, 9, 1)


def start(service: Service, folder: Path, as_of: str) -> tuple[datetime, str]:
    """Start the demo at a time; gives the business time then and a name that is read from it."""
    (folder / "code").write_text(CODE)
    history = prepare(service.url, folder / "demo.json", folder / "code", size="small", as_of=_moment(as_of), hold=True)
    seen = history.mara.clock.read().now, history.mara.organisations.get("gannet").name
    history.close()
    return seen


@pytest.mark.parametrize("day", [date(2026, 10, 12), date(2026, 10, 25), date(2026, 10, 31)])
def test_what_was_sent_at_one_hour_is_sent_alike_at_any_later_one(day):
    """Readings of a day follow from the day alone, so a later start sends the same ones and more."""

    def sent(hour):
        events = [event for _, event in fleet.readings_of_day(day, FIRST, 6, until_hour=hour)]
        return {event["id"]: event["data"] for event in events}

    for earlier, later in ((7, 9), (7, 12), (12, 23), (6, 24)):
        before, after = sent(earlier), sent(later)
        assert before and {name: after[name] for name in before} == before


def test_the_demo_carries_on_after_any_time(
    service: Service, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
):
    """Made at one hour, started later that day, the next day, after the clocks change and after the month's end.

    Readings that do not fit what is there end nothing: it is served, and the way to begin again is named.
    """
    start(service, tmp_path, "2026-10-24T07")
    for moment in ("2026-10-24T09", "2026-10-25T14", "2026-10-26T05", "2026-11-03T13"):
        assert start(service, tmp_path, moment)[0] == _moment(moment)
    assert start(service, tmp_path, "2026-11-02")[0] == _moment("2026-11-03T13")
    assert "cannot carry on" not in capsys.readouterr().err

    monkeypatch.setattr(fleet, "OBJECTS", tuple((*each[:3], each[3] + 1, *each[4:]) for each in fleet.OBJECTS))
    assert start(service, tmp_path, "2026-11-03T19")[1] == "Gannet Freight"
    assert "--fresh begins again" in capsys.readouterr().err
