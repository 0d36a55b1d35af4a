"""The written forms of services, plans and rate cards: whole round trips through YAML, and mistakes by path."""

from random import Random
from typing import Any

import pytest

from gradumen.core.catalogue.rates import SpreadRate
from gradumen.core.catalogue.selection import Buyers
from gradumen.core.catalogue.services import find_circle
from gradumen.core.errors import Invalid
from gradumen.documents.catalogue import read_catalogue, write_catalogue
from gradumen.wire.catalogue.forms.plans import plan_form, read_plan
from gradumen.wire.catalogue.forms.rate_cards import WrittenCard, rate_card_form, read_rate_card
from gradumen.wire.catalogue.forms.rates import Known
from gradumen.wire.catalogue.forms.services import read_service, service_form
from tests.core.rating.generator import make_batch

SERVICES: dict[str, dict[str, Any]] = {
    "compute": {"vcpu": {"unit": "piece-second", "combine": "level"}},
    "disk": {"capacity": {"unit": "byte-second", "combine": "level"}},
    "net": {
        "egress": {"unit": "byte", "combine": "sum"},
        "peak": {"unit": "byte", "combine": "sum", "statistic": "p95", "window": "period", "across": "max"},
    },
    "cost": {"imported": {"unit": "micro-EUR", "combine": "sum"}},
    "vm": {"time": {"unit": "piece-second", "combine": "held"}},
}


def service(slug: str, **more: Any) -> dict[str, Any]:
    meters = {name: {"name": name, **meter} for name, meter in SERVICES[slug].items()}
    return {
        "service": slug,
        "name": slug,
        "category": "Compute",
        "subcategory": "Other",
        "meters": meters,
        "attributes": {"image": [], "site": [], "size": []},
        "phases": ["parked", "awake", "busy"],
        **more,
    }


def known() -> Known:
    services = {slug: read_service(service(slug)) for slug in SERVICES}
    meters = {meter.slug: meter for each in services.values() for meter in each.meters}
    tiers = [{"tier": tier, "name": tier} for tier in ("heath", "moor", "summit")]
    plan = read_plan({"plan": "plan", "name": "P", "services": ["compute"], "tiers": tiers}, meters, services)
    return Known(meters, services, {"plan": plan})


BUYERS = (
    Buyers(),
    Buyers("tenants"),
    Buyers(named=True),
    Buyers(organisations=("oxbow", "gannet")),
    Buyers("resellers", countries=("GB", "IE"), segments=("education",)),
)


@pytest.mark.parametrize("seed", range(40))
def test_a_rate_card_comes_back_from_yaml_as_it_was(seed: int) -> None:
    """Every kind of rate, condition, window, bound and discount that the generator makes."""
    speaking = known()
    for line in make_batch(9000 + seed, 5).lines.values():
        for version in line.versions:
            if version.currency != "EUR":
                continue
            cost = version.overhead or any(isinstance(rate, SpreadRate) for rate in version.rates)
            buyers = Buyers("own-use") if cost else Random(seed).choice(BUYERS)
            card = WrittenCard("A card", buyers, version, Random(seed).choice([None, "later"]))
            (document,) = read_catalogue([("card.yaml", write_catalogue([rate_card_form(card)]))])
            assert read_rate_card(document.form, speaking, version.number) == card


FULL = service(
    "net",
    description="Wires.",
    phases=["parked", "busy"],
    choices={"size": {"name": "Size", "values": ["s", "l"]}},
    sizes={"s": {"name": "Small", "amounts": {"ports": "2 piece"}}},
    requires=["compute"],
    excludes=["vm"],
    supplier="Hexaline",
    licence="brought",
    internal={"pool": "a"},
)
PLAN = {
    "plan": "kit",
    "name": "Kit",
    "services": ["net", "compute"],
    "minimum-months": "3",
    "renewal": {"months": "12", "notice-days": "30"},
    "terms": {"version": "2026-11", "text": "Be kind."},
    "trial": {"days": "30", "then": "ends"},
    "tiers": [
        {
            "tier": "heath",
            "name": "Heath",
            "levels": {"recovery-point": "24 hour", "copies": "2"},
            "allowances": {"net/egress": "10 GiB"},
        }
    ],
}


def test_services_and_plans_come_back_from_yaml_as_they_were() -> None:
    full = read_service(FULL)
    (document,) = read_catalogue([("s.yaml", write_catalogue([service_form(full)]))])
    assert read_service(document.form) == full
    other = read_service(service("vm", sizes="net"))
    assert read_service(service_form(other)) == other
    speaking = known()
    services = {**speaking.services, "net": full}
    plan = read_plan(PLAN, speaking.meters, services)
    (document,) = read_catalogue([("p.yaml", write_catalogue([plan_form(plan)]))])
    assert read_plan(document.form, speaking.meters, services) == plan


RATE = {"rate": "r", "meter": "net/egress", "per": "GiB", "price": "1"}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"price": None, "blocks": []}, "ascend from zero"),
        ({"lots": {"of": "1", "price": "1"}}, "exactly one of"),
        ({"where": {"colour": "red"}}, "not one of the service's"),
        ({"where": {"size": {"suffix": "x"}}}, "write a value"),
        ({"where": {"size": ["a"]}}, "at least two"),
        ({"when": {"days": ["noday"]}}, "days must be one of monday"),
        ({"when": {"from": "22:30"}}, "not a full hour"),
        ({"when": {"from": "22"}}, "not a full hour"),
        ({"over": "planet"}, "over must be one of"),
        ({"allowance": "-1"}, "negative"),
        ({"minimum": "5", "cap": "4"}, "below minimum"),
        ({"started": "hour"}, "combines 'sum': leave started out"),
        ({"where": {"phase": "asleep"}}, "not one of parked, awake, busy"),
        ({"started": "day"}, "started must be one of"),
        ({"price": "-1"}, "negative"),
        ({"per": "vCPU-hour"}, "not known"),
        ({"meter": "net/nothing"}, "not known"),
        ({"markup": {"percent": "5"}, "price": None}, "cost in a currency"),
        ({"fee": "plan/peak"}, "not a field"),
        ({"allowance": "0.0000001"}, "decimal places"),
    ],
)
def test_a_wrong_rate_is_refused_with_its_path(change: dict[str, Any], words: str) -> None:
    rate = {name: value for name, value in {**RATE, **change}.items() if value is not None}
    form = {"rate-card": "c", "name": "C", "currency": "EUR", "starts-on": "2026-01-01", "rates": [rate]}
    with pytest.raises(Invalid, match=words) as refused:
        read_rate_card(form, known(), 1)
    assert refused.value.facts["path"].startswith("rates[0]")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"fee": "plan/peak", "price": "1"}, "no tier 'peak'"),
        ({"fee": "nothing/heath", "price": "1"}, "not known"),
        ({"fee": "plan/heath", "price": "1", "every": "week"}, "every must be one of"),
        ({"fee": "plan/heath", "price": "1", "advance": "maybe"}, "true or false"),
        ({"commitment": "5", "services": ["nothing"]}, "not known"),
    ],
)
def test_a_wrong_fee_or_commitment_is_refused(change: dict[str, Any], words: str) -> None:
    form = {
        "rate-card": "c",
        "name": "C",
        "currency": "EUR",
        "starts-on": "2026-01-01",
        "rates": [{"rate": "r", **change}],
    }
    with pytest.raises(Invalid, match=words):
        read_rate_card(form, known(), 1)


def test_a_card_may_mark_up_a_cost_in_another_currency_and_wrong_discounts_are_refused() -> None:
    cost = {"rate": "c", "meter": "cost/imported", "per": "EUR", "markup": {"percent": "5"}}
    form = {"rate-card": "c", "name": "C", "currency": "GBP", "starts-on": "2026-01-01", "rates": [cost]}
    assert read_rate_card(form, known(), 1).version.currency == "GBP"
    for discount, words in (
        ({"percent": "101"}, "at most 100"),
        ({}, "either a percentage or an amount"),
        ({"percent": "5", "amount": "5"}, "either a percentage or an amount"),
        ({"amount": "-5"}, "negative"),
        ({"percent": "5", "rates": ["nothing"]}, "not one of this card's"),
        ({"percent": "5", "from": "2026-02-01", "until": "2026-01-01"}, "must be after"),
    ):
        listed = {**form, "currency": "EUR", "discounts": [{"discount": "d", "name": "D", **discount}]}
        with pytest.raises(Invalid, match=words):
            read_rate_card(listed, known(), 1)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"choices": {"size": {"name": "S", "values": ["s"]}}}, "at least two"),
        ({"requires": ["net"]}, "itself"),
        ({"requires": ["vm"], "excludes": ["vm"]}, "require and exclude"),
        ({"licence": "stolen"}, "licence must be one of"),
        ({"meters": {"x": {"name": "X", "unit": "byte", "combine": "sum", "across": "distinct"}}}, "counted in pieces"),
        (
            {"meters": {"x": {"name": "X", "unit": "byte", "combine": "sum", "statistic": "median"}}},
            "statistic must be",
        ),
    ],
)
def test_a_wrong_service_is_refused(change: dict[str, Any], words: str) -> None:
    with pytest.raises(Invalid, match=words):
        read_service({**FULL, **change})


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"services": ["net"]}, "requires 'compute'"),
        ({"services": ["net", "compute", "vm"]}, "excludes 'vm'"),
        ({"minimum-months": "-1"}, "from 0 to 120"),
        ({"trial": {"days": "0"}}, "from 1 to 366"),
        ({"trial": {"days": "5", "then": "waits"}}, "then must be one of converts, ends"),
        ({"tiers": [{"tier": "a", "name": "A", "levels": {"speed": "1 hour"}}]}, "not one of recovery-point"),
        ({"tiers": [{"tier": "a", "name": "A", "levels": {"copies": "2 hour"}}]}, "without a unit"),
        ({"tiers": [{"tier": "a", "name": "A", "levels": {"kept-for": "2"}}]}, "not known"),
    ],
)
def test_a_wrong_plan_is_refused(change: dict[str, Any], words: str) -> None:
    speaking = known()
    services = {**speaking.services, "net": read_service(FULL)}
    with pytest.raises(Invalid, match=words):
        read_plan({**PLAN, **change}, speaking.meters, services)


def test_what_quotas_promise_can_be_priced_without_a_service() -> None:
    rates = [
        {"rate": "cpu", "meter": "promised/processors", "per": "vCPU-hour", "where": {"site": "north"}, "price": "1"},
        {"rate": "disk", "meter": "promised/storage", "per": "GiB-month730", "price": "1"},
    ]
    form = {"rate-card": "c", "name": "C", "currency": "EUR", "starts-on": "2026-01-01", "rates": rates}
    card = read_rate_card(form, known(), 1)
    assert [rate.kind for rate in card.version.usage_rates] == ["allocation", "allocation"]
    assert read_rate_card(rate_card_form(card), known(), 1) == card
    with pytest.raises(Invalid, match="choose another slug"):
        read_service({**FULL, "service": "promised"})


def test_a_circle_of_requirements_is_found() -> None:
    assert find_circle({"a": ("b",), "b": ("c",), "c": ()}) is None
    assert find_circle({"a": ("b",), "b": ("a",)}) == ("a", "b", "a")


def test_all_mistakes_of_a_card_are_told_at_once() -> None:
    """Those that keep it from being read, and those in rates that can be; each at its place, in words of its own."""
    good = {"rate": "cpu", "meter": "compute/vcpu", "per": "piece-hour", "price": "1"}
    wrong = {
        0: ({"per": "furlong"}, "rates[0]"),
        2: ({"price": "x1"}, "rates[2].price"),
        3: ({"where": {"colour": "green"}}, "rates[3].where.colour"),
        4: ({"price": None, "blocks": [{"price": "1"}, {"to": "x", "price": "-1"}]}, "rates[4].blocks"),
    }
    rates = [{**good, "rate": f"cpu-{index}", **wrong.get(index, ({}, ""))[0]} for index in range(6)]
    card = {
        "rate-card": "c", "name": "C", "currency": "EUR", "starts-on": "2026-13-01", "rates": rates,
        "discounts": [{"discount": "spring", "name": "S", "percent": "400x"}],
    }  # fmt: skip
    with pytest.raises(Invalid) as refused:
        read_rate_card(card, known(), 1)
    found = [each.facts["path"] for each in refused.value.each]
    for _, place in wrong.values():
        assert any(path.startswith(place) for path in found), (place, found)
    assert {"starts-on", "discounts[0].percent"} <= set(found)
    assert not any(path.startswith(("rates[1]", "rates[5]")) for path in found)
    assert len({each.message for each in refused.value.each}) == len(found)

    # Where all of it can be read, what does not fit is told of every rate too.
    readable = {**card, "starts-on": "2026-01-01", "discounts": [], "rates": [rates[0], rates[1], rates[3]]}
    with pytest.raises(Invalid) as refused:
        read_rate_card(readable, known(), 1)
    assert [each.facts["path"] for each in refused.value.each] == ["rates[0]", "rates[2].where.colour"]


def test_all_mistakes_of_a_plan_and_a_service_are_told_at_once() -> None:
    tiers = [
        {"tier": "heath", "name": "H", "quotas": {"happiness": "1"}, "levels": {"copies": "some"}},
        {"tier": "moor", "name": "M", "allowances": {"net/egress": "5 GiB", "nothing/there": "1"}},
    ]
    plan = {"plan": "p", "name": "P", "services": ["compute", "absent"], "tiers": tiers}
    with pytest.raises(Invalid) as refused:
        read_plan(plan, known().meters, known().services)
    assert [each.facts["path"] for each in refused.value.each] == [
        "services[1]",
        "tiers[0].quotas.happiness",
        "tiers[0].levels.copies",
        "tiers[1].allowances.net/egress",
        "tiers[1].allowances.nothing/there",
    ]
    meters = {"two": {"name": "", "unit": "byte", "combine": "sum"}}
    with pytest.raises(Invalid) as refused:
        read_service({**service("net"), "category": 7, "meters": meters, "licence": "stolen"})
    assert {each.facts["path"] for each in refused.value.each} == {"category", "meters.two.name", "licence"}
