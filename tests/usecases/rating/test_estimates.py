"""Estimates say what the invoice will; coverage finds what nothing prices."""

from datetime import date

import pytest

from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.core.exact import add
from gradumen.wire.rating.estimates import EstimateAsked, ExpectedUse
from tests.world import GIB, World, egress, files, moment, rate_card, reading

MONTH = {
    "organisation": "quillstone",
    "plan": "open-range",
    "tier": "moor",
    "first_day": date(2026, 9, 1),
    "months": 1,
}


def use(meter: str, quantity: str, unit: str, **attributes: str) -> ExpectedUse:
    return ExpectedUse(meter=meter, quantity=quantity, unit=unit, attributes=attributes)


def test_an_estimate_is_what_the_invoice_comes_to(world: World) -> None:
    """Used as expected, spread over the month, September's invoice has the same lines and total."""
    asked = EstimateAsked(
        **MONTH,
        expected=[
            use("compute/vcpu", "24", "vCPU-hour", size="small"),
            use("compute/vcpu", "12", "vCPU-hour", size="large"),
            use("network/egress", "120", "GiB"),
        ],
    )
    found = world.user("una").estimates.price(asked)
    own = {"owner": "quillstone/archive"}
    world.send(
        reading("a", **own),
        reading("b", **own, attributes={"size": "large"}, end="2026-09-10T03:00:00Z"),
        egress("c", 120 * GIB, **own),
    )
    invoice = next(each for each in world.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone")

    assert found.currency == "EUR" and found.rate_card == "tenants-eur"
    billed = [line for line in invoice.lines if line.service_start >= moment("2026-08-31")]
    assert found.months[0].total == found.total == add([line.amount for line in billed])
    lines = {(line.description, line.quantity, line.amount) for line in found.months[0].lines}
    assert lines == {(line.description, line.quantity, line.amount) for line in billed}


def test_a_term_adds_its_months_up_and_a_part_month_is_prorated(world: World) -> None:
    asked = EstimateAsked(**{**MONTH, "first_day": date(2026, 9, 16), "months": 3, "quantity": 2})
    found = world.mara.estimates.price(asked)

    assert [month.period for month in found.months] == ["2026-09", "2026-10", "2026-11", "2026-12"]
    assert [month.total for month in found.months[:3]] == [79, 158, 158]
    assert found.total == add([month.total for month in found.months])


def test_what_nothing_prices_is_named(world: World) -> None:
    bare = rate_card("bare-eur", "EUR", "any", "1").split("  - rate: egress")[0]
    world.mara.catalogue.publish("tarnwick", files(bare))
    asked = EstimateAsked(**MONTH, expected=[use("network/egress", "1", "GiB")], rate_card="bare-eur")

    assert world.mara.estimates.price(asked).not_priced == ["network/egress"]


def test_only_those_of_the_link_see_an_estimate(world: World) -> None:
    saltmarsh = EstimateAsked(**{**MONTH, "organisation": "saltmarsh"})
    assert world.user("ines").estimates.price(saltmarsh).currency == "GBP"
    with pytest.raises(Forbidden):
        world.mara.estimates.price(saltmarsh)
    with pytest.raises(NotFound):
        world.user("una").estimates.price(saltmarsh)
    with pytest.raises(Forbidden):
        world.user("una").estimates.price(EstimateAsked(**MONTH, rate_card="own-cost"))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"months": 0}, "1 to 60 months"),
        ({"months": 61}, "1 to 60 months"),
        ({"tier": "peak"}, "choose one of heath, moor"),
        ({"quantity": 0}, "between 1 and 1000000"),
        ({"expected": [use("compute/gpu", "1", "piece")]}, "belongs to no service"),
        ({"expected": [use("network/egress", "1", "vCPU-hour")]}, "vCPU-hour"),
        ({"expected": [use("network/egress", "-1", "GiB")]}, "negative"),
        ({"expected": [use("network/egress", "many", "GiB")]}, "not a number"),
    ],
)
def test_a_wrong_estimate_says_what_to_do(world: World, change: dict[str, object], words: str) -> None:
    with pytest.raises(Invalid, match=words):
        world.mara.estimates.price(EstimateAsked(**{**MONTH, **change}))


def test_coverage_names_what_a_card_leaves_out(world: World) -> None:
    full = {card.rate_card: card for card in world.mara.estimates.coverage("tarnwick", "open-range")}
    assert {meter.state for card in full.values() for meter in card.meters} == {"priced"}
    lines = rate_card("next-eur", "EUR", "any", "1").splitlines()
    left = [line for line in lines if "rate: vcpu," not in line and "rate: moor" not in line]
    (found,) = world.mara.estimates.coverage(
        "tarnwick", "open-range", files("\n".join(left).split("  - rate: egress")[0])
    )

    assert {meter.meter: meter.state for meter in found.meters} == {
        "compute/vcpu": "only where",
        "network/egress": "not priced",
    }
    assert found.tiers_without_fee == ["heath", "moor"]
