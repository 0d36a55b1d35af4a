"""Units, periods, readings and the written forms of the catalogue."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.metering.readings import base_quantity, read_reading
from gradumen.core.periods import Period, zone_of
from gradumen.core.subscriptions.assignment_rules import Candidate, assign
from gradumen.core.units import convertible, parse_unit
from gradumen.wire.catalogue.forms.plans import plan_form, read_plan
from gradumen.wire.catalogue.forms.rate_cards import rate_card_form, read_rate_card
from gradumen.wire.catalogue.forms.rates import Known
from gradumen.wire.catalogue.forms.services import read_service, service_form

SERVICE: dict[str, Any] = {
    "service": "compute",
    "name": "Compute",
    "category": "Compute",
    "subcategory": "Virtual Machines",
    "attributes": {"size": ["small", "large"]},
    "meters": {"vcpu": {"name": "Processors", "unit": "vCPU-second", "counted": "vCPU", "combine": "level"}},
}


@pytest.mark.parametrize("unit", ["GiB-fortnight", "", "byte-", "gib", "GB-GB-"])
def test_an_unknown_unit_is_refused_with_those_known(unit: str) -> None:
    with pytest.raises(Invalid, match="GiB"):
        parse_unit(unit)


def test_a_unit_of_another_dimension_is_refused() -> None:
    with pytest.raises(Invalid, match="byte x second"):
        convertible("GiB", parse_unit("byte-second"))


@given(
    st.integers(2000, 2100), st.integers(1, 12), st.sampled_from(["Europe/Dublin", "Asia/Tokyo", "America/New_York"])
)
def test_periods_follow_each_other_without_gap(year: int, month: int, zone: str) -> None:
    period = Period(year, month)

    assert period.bounds(zone_of(zone))[1] == period.next().bounds(zone_of(zone))[0]
    assert period.next().before() == period


def test_a_month_with_a_change_to_winter_time_has_an_hour_more() -> None:
    start, end = Period(2026, 10).bounds(zone_of("Europe/Dublin"))
    assert end - start == timedelta(days=31, hours=1)
    for name in ("Australia/Lord_Howe", "Africa/Monrovia/x"):
        with pytest.raises(Invalid, match="billing zone"):
            zone_of(name)


def test_forms_come_back_as_they_were() -> None:
    service = read_service(SERVICE)
    assert read_service(service_form(service)) == service
    meters, services = {meter.slug: meter for meter in service.meters}, {service.slug: service}
    plan = read_plan(
        {
            "plan": "p",
            "name": "P",
            "services": ["compute"],
            "tiers": [
                {"tier": "a", "name": "A", "allowances": {"compute/vcpu": "10 vCPU-hour"}, "quotas": {"storage": "5"}}
            ],
        },
        meters,
        services,
    )
    assert read_plan(plan_form(plan), meters, services) == plan
    form = {
        "rate-card": "c",
        "name": "C",
        "currency": "EUR",
        "starts-on": "2026-01-01",
        "rates": [
            {"rate": "x", "meter": "compute/vcpu", "per": "vCPU-hour", "where": {"size": "large"}, "price": "0.1"},
            {
                "rate": "y",
                "meter": "compute/vcpu",
                "per": "vCPU-hour",
                "blocks": [{"to": "5", "price": "1"}, {"price": "0"}],
            },
            {"rate": "z", "fee": "p/a", "price": "9"},
        ],
    }
    known = Known(meters, services, {"p": plan})
    card = read_rate_card(form, known, 1)
    assert read_rate_card(rate_card_form(card), known, 1) == card


@pytest.mark.parametrize(
    ("path", "change"),
    [
        ("meters.vcpu", {"meters": {"vcpu": {"name": "x", "unit": "GiB-hour", "combine": "level"}}}),
        ("meters.vcpu", {"meters": {"vcpu": {"name": "x", "unit": "byte", "combine": "level"}}}),
        ("meters.vcpu.combine", {"meters": {"vcpu": {"name": "x", "unit": "byte-second", "combine": "often"}}}),
        ("attributes.size", {"attributes": {"size": "large"}}),
        ("service", {"service": "Not A Slug"}),
        ("", {"colour": "green"}),
        ("", {"meters": {}}),
    ],
)
def test_a_wrong_service_names_its_path(path: str, change: dict[str, Any]) -> None:
    with pytest.raises(Invalid) as refused:
        read_service({**SERVICE, **change})
    assert refused.value.facts.get("path", "") == path


def _data(**changes: Any) -> dict[str, Any]:
    data = {
        "owner": "a/b",
        "resource": "vm",
        "meter": "compute/vcpu",
        "quantity": "1",
        "unit": "vCPU",
        "start": "2026-10-01T00:00:00Z",
        "end": "2026-10-01T01:00:00+00:00",
    }
    return {**data, **changes}


@pytest.mark.parametrize(
    ("field", "change"),
    [
        ("quantity", {"quantity": "-1"}),
        ("quantity", {"quantity": "NaN"}),
        ("quantity", {"quantity": 1.5}),
        ("quantity", {"quantity": None}),
        ("end", {"end": "2026-10-01T00:00:00Z"}),
        ("end", {"end": "2026-10-03T00:00:00Z"}),
        ("start", {"start": "2026-10-01T00:00:00"}),
        ("start", {"start": "2026-10-01T00:00:00.5Z"}),
        ("start", {"start": "yesterday"}),
        ("attributes", {"attributes": {str(n): "x" for n in range(65)}}),
        ("attributes", {"attributes": [1]}),
        ("sequence", {"sequence": -1}),
        ("resource", {"resource": ""}),
        ("resource", {"resource": "a\nb"}),
        ("data", {"colour": "green"}),
    ],
)
def test_a_wrong_reading_names_its_field(field: str, change: dict[str, Any]) -> None:
    with pytest.raises(Invalid) as refused:
        read_reading("/s", "1", _data(**change))
    assert refused.value.facts["field"] == field


def test_a_quantity_is_turned_into_base_units_exactly_or_refused() -> None:
    service = read_service({**SERVICE, "meters": {"m": {"name": "M", "unit": "byte-second", "combine": "level"}}})
    gib = read_reading("/s", "1", _data(quantity="1.5", unit="GiB"))
    assert base_quantity(gib, service.meters[0]) == Decimal(1610612736)
    with pytest.raises(Invalid, match="finer than a millionth"):
        base_quantity(read_reading("/s", "1", _data(quantity="0.000001", unit="bit")), service.meters[0])


@given(st.lists(st.tuples(st.integers(0, 20), st.integers(1, 20), st.integers(0, 3)), max_size=6))
def test_every_covered_hour_falls_to_one_line_of_lowest_rank(drawn: list[tuple[int, int, int]]) -> None:
    candidates = [
        Candidate((rank, index), index, start, start + size) for index, (start, size, rank) in enumerate(drawn)
    ]
    found = assign(candidates)

    for hour in range(45):
        takers = [line for start, end, line in found if start <= hour < end]
        covering = [each for each in candidates if each.start <= hour < each.end]
        assert takers == ([min(covering, key=lambda each: each.rank).line] if covering else [])


def test_the_content_of_a_reading_decides_its_hash_but_not_its_id() -> None:
    one, same = read_reading("/s", "1", _data()), read_reading("/t", "2", _data(end="2026-10-01T03:00:00+02:00"))
    assert one.content == same.content
    assert one.content != read_reading("/s", "1", _data(quantity="2")).content
    assert one.start == datetime(2026, 10, 1, tzinfo=UTC)


def test_the_hash_of_a_reading_is_that_of_every_release() -> None:
    """What is stored is compared with it; a hash that changes would refuse what is sent again."""
    attributes = {"z": "1", "a": "2"}
    data = _data(account="x", quantity="1.50", unit="GiB", meter="s/m", resource="r", attributes=attributes, sequence=3)
    assert read_reading("/s", "1", data).content.hex() == "420b6afc2221cec908930b09fa88203e"
