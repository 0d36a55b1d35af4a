"""Months that are billed already: told before a rule that reaches back is set, to those who read the seller's money."""

from datetime import date, timedelta
from decimal import Decimal

import pytest

from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.core.exact import add
from gradumen.usecases.billing import billed_months
from tests.usecases.metering.test_ownership_rules import rule, sent
from tests.world import World, egress, moment, reading


def test_months_of_whom_a_rule_reaches_are_told_with_what_was_billed(world: World) -> None:
    mara = world.mara
    world.send(reading("used"), egress("too", 100 * 2**30, owner="quillstone/archive"))
    documents = world.close("tarnwick", "mara", "2026-09")
    # A document has months before and, of what is paid in advance, the one after too.
    start = moment("2026-08-31 22:00")
    net = {
        each.buyer: add(
            [line.amount for line in each.lines if start <= line.service_start < start + timedelta(days=30)]
        )
        for each in documents
    }
    world.send(sent("nobodys", 3, "acc-7"))
    world.settle()
    seven = [rule("Seven", "saltmarsh/booking", account="acc-7")]
    preview = mara.ownership_rules.preview("tarnwick", seven)
    assert preview.organisations == ["saltmarsh"] and preview.from_day == date(2026, 9, 1)
    found = mara.billed_months.list("tarnwick", preview.from_day, preview.organisations)
    [through] = found
    assert (through.period, through.buyer, through.billed) == ("2026-09", "oxbow", net["oxbow"]), "its reseller"
    assert mara.billed_months.list("tarnwick", date(2026, 10, 1), ["saltmarsh"]) == []
    both = mara.billed_months.list("tarnwick", date(2026, 9, 30), ["saltmarsh", "quillstone"])
    assert {each.buyer: each.billed for each in both} == {name: net[name] for name in ("oxbow", "quillstone")}
    assert all(each.billed > Decimal(0) for each in both)


def test_they_are_for_those_who_read_the_sellers_money(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(Forbidden):
        world.mara.billed_months.list("oxbow", date(2026, 9, 1), ["saltmarsh"])
    with pytest.raises(NotFound):
        world.user("edda").billed_months.list("oxbow", date(2026, 9, 1), ["quillstone"])
    monkeypatch.setattr(billed_months, "MOST", 1)
    with pytest.raises(Invalid, match="at most 1"):
        world.mara.billed_months.list("tarnwick", date(2026, 9, 1), ["oxbow", "quillstone"])
