"""A month is closed when all of it is here, or for a reason that is kept; what comes later is billed later."""

from decimal import Decimal

import pytest

from gradumen.core.errors import FeedsIncomplete, Invalid
from tests.conftest import Begin
from tests.usecases.metering.test_held import FEED, NOVEMBER, event, november, told
from tests.world import World, moment

__all__ = ["november"]


@pytest.fixture
def december(november: World, begin: Begin) -> World:
    def make() -> None:
        november.mara.clock.set(moment("2026-12-03"), held=True)
        november.send(event("made", "1", "2026-11-20 08:00", "awake"))
        told(november, "2026-11-30 20:00")

    begin(make)
    return november


def test_a_month_of_which_something_goes_on_is_closed_once_all_is_told(december: World) -> None:
    with pytest.raises(
        FeedsIncomplete, match="feed tarnwick/north-fell: all is here until 2026-11-30 20:00"
    ) as refused:
        december.mara.bill_runs.start("tarnwick", NOVEMBER)
    [told_of] = refused.value.facts["feeds"]
    assert told_of["feed"] == FEED and "a resource is still there" in told_of["why"]
    assert december.mara.bill_runs.list("tarnwick") == []
    told(december, "2026-12-01 00:00")
    assert december.close("tarnwick", "mara", NOVEMBER)


def test_it_is_closed_for_a_reason_which_stays_on_record(december: World) -> None:
    run = december.mara.bill_runs.start("tarnwick", NOVEMBER, reason="  the site is \n cut off ")
    run = december.mara.bill_runs.wait(run.id)
    assert (run.state, run.reason) == ("done", "the site is cut off")
    [entry] = [each for each in december.mara.audit_entries.list("tarnwick") if each.action == "bill run started"]
    assert entry.after is not None and entry.after["reason"] == "the site is cut off"
    assert "2026-11-30 20:00" in str(entry.after["lacking"])
    drafts = december.mara.invoices.list(state="draft", seller="tarnwick")
    [first] = [december.mara.invoices.issue(each.id) for each in drafts if each.buyer == "quillstone"]
    told(december, "2026-12-01 00:00")
    run = december.mara.bill_runs.wait(december.mara.bill_runs.start("tarnwick", NOVEMBER, reason="not needed").id)
    assert run.reason is None, "nothing lacked any more"
    [rest] = [
        each for each in december.mara.invoices.list(state="draft", seller="tarnwick") if each.buyer == "quillstone"
    ]
    [line] = december.mara.invoices.get(rest.id).lines
    assert (line.rate, line.quantity) == ("awake", 4) and rest.net == Decimal(2)
    assert first.net > rest.net


def test_a_reseller_is_told_that_its_supplier_has_not_all_and_no_more(december: World) -> None:
    with pytest.raises(FeedsIncomplete, match="not all that your supplier measures is here") as refused:
        december.user("edda").bill_runs.start("oxbow", NOVEMBER)
    assert "tarnwick" not in refused.value.message and "north" not in refused.value.message
    assert refused.value.facts["feeds"][0]["feed"] == ""


def test_what_is_gone_or_began_later_holds_nothing_up(december: World) -> None:
    december.send(event("gone", "2", "2026-11-25 08:00"), event("made", "3", "2026-12-01 09:00", resource="vm-2"))
    assert december.close("tarnwick", "mara", NOVEMBER)


def test_a_source_that_fell_silent_is_to_be_looked_at(december: World) -> None:
    silent = [each for each in december.mara.to_dos.list("tarnwick") if "fallen silent" in each.title]
    assert [each.subject for each in silent] == [FEED]
    assert "1 resource of it still there" in silent[0].detail and "2026-11-30 at 20:00" in silent[0].detail
    told(december, "2026-12-02 12:00")
    assert not [each for each in december.mara.to_dos.list("tarnwick") if "fallen silent" in each.title]


def test_a_reason_is_one_line_that_fits(december: World) -> None:
    with pytest.raises(Invalid, match="reason"):
        december.mara.bill_runs.start("tarnwick", NOVEMBER, reason="x" * 501)
    with pytest.raises(FeedsIncomplete):
        december.mara.bill_runs.start("tarnwick", NOVEMBER, reason="   ")
