"""Of which meter something is: units as sources spell them, amounts, and parts of what covers more than a day."""

from datetime import date
from fractions import Fraction

import pytest

from gradumen.core.catalogue.services import Combine, Meter
from gradumen.core.metering.kinds import PART, Catalogue, Facts, Found, KindRule, Kinds, Sent
from gradumen.core.metering.told_conditions import AllOf, Conditions
from gradumen.core.units import parse_unit

DAY = date(2026, 9, 3)
METERS = [
    Meter("vm/cpu", "Processors", parse_unit("core-second", counted="core"), Combine.LEVEL, counted="core"),
    Meter("disk/kept", "Kept", parse_unit("byte-second"), Combine.LEVEL),
    Meter("net/out", "Sent", parse_unit("byte"), Combine.SUM),
    Meter("run/time", "Time", parse_unit("second"), Combine.SUM),
]
CATALOGUE = Catalogue({each.slug: each for each in METERS}, {name: {} for name in ("vm", "disk", "net", "run")})


def found(meter: str, unit: str, *, by: str | None = None, attributes: tuple[tuple[str, str], ...] = ()) -> Found:
    rule = KindRule("all", DAY, None, Conditions(AllOf()), meter, unit=by)
    facts = Facts("feed", None, "/s", "r")
    return Kinds([rule], CATALOGUE).find(facts, Sent("as sent", unit, attributes), DAY)


@pytest.mark.parametrize(
    ("meter", "unit", "by", "factor", "amount"),
    [
        ("vm/cpu", "Core-Hours", None, 3600, True),
        ("vm/cpu", "Cores", None, 1, False),
        ("vm/cpu", "VM-Hours", "core-hour", 3600, True),
        ("disk/kept", "GB-Hours", None, 10**9 * 3600, True),
        ("disk/kept", "GiB", None, 2**30, False),
        ("disk/kept", "GB-Days", None, 10**9 * 86_400, True),
        ("net/out", "GB", None, 10**9, False),
        ("net/out", "Bytes", None, 1, False),
        ("run/time", "Hours", None, 3600, False),
    ],
)
def test_units_are_read_as_sources_spell_them(meter: str, unit: str, by: str | None, factor: int, amount: bool) -> None:
    kind = found(meter, unit, by=by).kind
    assert kind is not None and (kind.factor, kind.amount) == (Fraction(factor), amount)


@pytest.mark.parametrize(("meter", "unit"), [("vm/cpu", "Hours"), ("net/out", "GB-Hours"), ("run/time", "Gigabytes")])
def test_what_measures_something_else_stays_unknown_with_why(meter: str, unit: str) -> None:
    told = found(meter, unit)
    assert told.kind is None and told.rule is not None and told.why is not None


def test_a_part_of_what_covers_more_than_a_day_is_no_level() -> None:
    part = ((PART, "2026-09-01 to 2026-10-01"),)
    told = found("vm/cpu", "Cores", attributes=part)
    assert told.kind is None and told.reason is not None and "core-second" in told.reason
    assert found("vm/cpu", "Core-Hours", attributes=part).kind is not None
    assert found("net/out", "GB", attributes=part).kind is not None
