"""Written forms with odd values anywhere: each is refused with its path, or read and written back as the same thing."""

import json
from collections.abc import Callable, Iterator
from copy import deepcopy
from pathlib import Path
from random import Random
from typing import Any

import pytest

import gradumen.demo
from gradumen.core.errors import Invalid
from gradumen.core.metering.readings import read_reading
from gradumen.core.quotas.measures import Kind, Measures, defined_measure
from gradumen.documents.catalogue import read_catalogue
from gradumen.wire.catalogue.forms.derivations import read_derivation
from gradumen.wire.catalogue.forms.offers import offer_form, read_offer
from gradumen.wire.catalogue.forms.plans import plan_form, read_plan, read_special_terms
from gradumen.wire.catalogue.forms.rate_cards import rate_card_form, read_rate_card
from gradumen.wire.catalogue.forms.rates import Known
from gradumen.wire.catalogue.forms.services import read_service, service_form
from gradumen.wire.subscriptions.assignment_forms import read_conditions

CATALOGUE = Path(gradumen.demo.__file__).parent / "catalogue"
DAYS = {"{first-day}": "2026-08-01", "{change-day}": "2026-10-01", "{coming-day}": "2027-01-01"}
ODD: tuple[Any, ...] = (
    None,
    True,
    "",
    " ",
    "x",
    0,
    "0",
    -1,
    "-1",
    1.5,
    float("nan"),
    float("inf"),
    10**40,
    "1e400",
    "1e-30",
    "NaN",
    "-Infinity",
    "٣",
    "1_000",
    "0x10",
    [],
    {},
    [None],
    [[]],
    {"a": 1},
    {"": ""},
    {1: 2},
    "a" * 500,
    "ü" * 70,
    "a\x00b",
    "2026-13-01",
    "9999-12-31",
    "0000-00-00",
    "24:00",
    "=1+1",
    "<b>x</b>",
    "/",
    "a/b/c",
    "vCPU-hour-hour",
    "GiB-",
    {"percent": "-500"},
    {"prefix": ""},
    {"contains": "r"},
    {"one-of": []},
    {"to": 0, "price": 1},
)
TRIES = 400


def documents() -> list[tuple[str, dict[str, Any]]]:
    """The demo's own catalogue, by kind."""
    found = []
    for name in ("services", "plans", "tarnwick", "bluefern", "oxbow", "pebble-and-pine"):
        text = (CATALOGUE / f"{name}.yaml").read_text()
        for mark, day in DAYS.items():
            text = text.replace(mark, day)
        found += [(each.kind, each.form) for each in read_catalogue([(name, text)])]
    return found


DOCUMENTS = documents()


def forms(kind: str) -> list[dict[str, Any]]:
    return [form for each, form in DOCUMENTS if each == kind]


MEASURES = Measures([defined_measure("database-nodes", "node", Kind.STOCK)])
SERVICES = {form["service"]: read_service(form, MEASURES) for form in forms("service")}
METERS = {meter.slug: meter for each in SERVICES.values() for meter in each.meters}
PLANS = {form["plan"]: read_plan(form, METERS, SERVICES, MEASURES) for form in forms("plan")}
KNOWN = Known(METERS, SERVICES, PLANS)


def places(node: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Every place in a form, the whole of it first."""
    yield path
    items = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    for key, value in items:
        yield from places(value, (*path, key))


def changed(form: Any, path: tuple[Any, ...], odd: Any) -> Any:
    """A copy with an odd value at a place."""
    if not path:
        return odd
    found = deepcopy(form)
    node = found
    for key in path[:-1]:
        node = node[key]
    node[path[-1]] = odd
    return found


def renamed_key(form: Any, path: tuple[Any, ...], odd: Any) -> Any:
    """A copy with a key that is odd."""
    if not path or isinstance(path[-1], int) or isinstance(odd, list | dict) or odd != odd:
        return changed(form, path, odd)
    found = deepcopy(form)
    node = found
    for key in path[:-1]:
        node = node[key]
    node[odd] = node.pop(path[-1])
    return found


def attempt(form: Any, read: Callable[[Any], Any], write: Callable[[Any], Any] | None, seed: int) -> int:
    """Read odd variants of a form; gives how many were refused."""
    random = Random(seed)
    where = list(places(form))
    refused = 0
    for _ in range(TRIES):
        path, odd = random.choice(where), random.choice(ODD)
        variant = random.choice([changed, changed, renamed_key])(form, path, odd)
        try:
            found = read(variant)
        except Invalid as problem:
            refused += 1
            assert problem.message and len(problem.message) < 600, (path, odd, problem.message)
            json.dumps(problem.facts.get("path", ""))
            continue
        except Exception as failure:
            raise AssertionError(f"{path} = {odd!r}: {type(failure).__name__}: {failure}") from failure
        if write is not None:
            assert read(write(found)) == found, (path, odd)
    return refused


@pytest.mark.parametrize("slug", sorted(SERVICES))
def test_services(slug: str) -> None:
    form = next(each for each in forms("service") if each["service"] == slug)
    assert attempt(form, lambda raw: read_service(raw, MEASURES), service_form, 1) > TRIES / 4


@pytest.mark.parametrize("slug", sorted(PLANS))
def test_plans(slug: str) -> None:
    form = next(each for each in forms("plan") if each["plan"] == slug)
    assert attempt(form, lambda raw: read_plan(raw, METERS, SERVICES, MEASURES), plan_form, 2) > TRIES / 4


@pytest.mark.parametrize("slug", sorted(form["rate-card"] for form in forms("rate-card")))
def test_rate_cards(slug: str) -> None:
    form = next(each for each in forms("rate-card") if each["rate-card"] == slug)
    small = {**form, "rates": form.get("rates", [])[:12]}
    assert attempt(small, lambda raw: read_rate_card(raw, KNOWN, 1), rate_card_form, 3) > TRIES / 4


def test_every_part_of_a_rate_card() -> None:
    """A card with what the demo's cards do without."""
    (usage,) = [each for each in forms("rate-card") if each["rate-card"] == "tenants-eur"]
    rates = [
        {"rate": "a", "meter": "compute/vcpu", "per": "vCPU-hour", "price": "1", "allowance": "5", "minimum": "1"},
        {"rate": "b", "meter": "compute/vcpu", "where": {"size": ["large", "gpu"]}, "per": "vCPU-hour",
         "blocks": [{"to": "5", "price": "2"}, {"price": "1"}], "at-reached-step": True, "cap": "9", "over": "project"},
        {"rate": "c", "meter": "network/egress", "per": "GiB", "lots": {"of": "5", "price": "1"},
         "committed": "7", "when": {"days": ["saturday", "sunday"], "from": "00:00", "to": "24:00"}},
        {"rate": "d", "fee": "open-range/heath", "every": "quarter", "advance": "true", "price": "3"},
        {"rate": "e", "commitment": "100", "services": ["compute"], "over": "buyer"},
        {"rate": "f", "meter": "compute/memory", "per": "GiB-hour", "where": {"phase": "awake"},
         "price": "1"},
    ]  # fmt: skip
    discounts = [{"discount": "off", "name": "D", "percent": "10", "rates": ["a"], "until": "2026-12-01"}]
    form = {**usage, "rates": rates, "discounts": discounts, "for": {"countries": ["GB"], "segments": ["school"]}}
    assert len(read_rate_card(form, KNOWN, 1).version.rates) == len(rates)
    assert attempt(form, lambda raw: read_rate_card(raw, KNOWN, 1), rate_card_form, 4) > TRIES / 4


@pytest.mark.parametrize("number", range(len(forms("offer"))))
def test_offers(number: int) -> None:
    form = forms("offer")[number]
    plan = PLANS[form["offer"]]
    allowed = [tier.slug for tier in plan.tiers]
    full = {"to": ["oxbow", "gannet/tracking"], "recommended": allowed[0], "description": "x", **form}
    assert attempt(full, lambda raw: read_offer(raw, plan, KNOWN, allowed), offer_form, 5) > TRIES / 4


def test_derivations_special_terms_conditions_and_readings() -> None:
    derived = {"derived": {
        "base": "tarnwick/tenants-eur", "on-top": {"percent": "10"}, "services": {"compute": {"amount": "1"}},
        "rates": {"vcpu": {"percent": "-5"}}, "price-step": "0.01", "notice-days": "30",
    }}  # fmt: skip
    attempt(derived, read_derivation, None, 6)
    plan = PLANS["stone-barn"]
    special_terms = {"allowances": {"backup/protected": "10 GiB-hour"}, "levels": {"copies": "3"}}
    attempt(special_terms, lambda raw: read_special_terms(plan.tiers[0], raw, plan, METERS), None, 7)
    conditions = {"service": "compute", "resource": {"prefix": "vm-"}, "where": {"size": ["large", "gpu"]}}
    attempt(conditions, read_conditions, read_conditions, 8)
    data = {
        "owner": "saltmarsh/booking", "resource": "vm-1", "meter": "compute/vcpu", "quantity": "4", "unit": "vCPU",
        "start": "2026-09-10T00:00:00Z", "end": "2026-09-10T06:00:00Z", "attributes": {"size": "small"},
    }  # fmt: skip
    attempt(data, lambda raw: read_reading("/s", "1", raw), None, 9)
