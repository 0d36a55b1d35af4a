"""Offers and their floors, and prices side by side."""

from decimal import Decimal
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.offers import check_floors, renamed
from gradumen.core.catalogue.plans import Plan
from gradumen.core.catalogue.price_margins import price_margins
from gradumen.core.catalogue.rates import RateCardVersion
from gradumen.core.errors import Invalid
from gradumen.wire.catalogue.forms.offers import offer_form, read_offer
from gradumen.wire.catalogue.forms.plans import read_plan
from gradumen.wire.catalogue.forms.rate_cards import read_rate_card
from gradumen.wire.catalogue.forms.rates import Known
from gradumen.wire.catalogue.forms.services import read_service

SERVICE = {
    "service": "net",
    "name": "Net",
    "category": "Networking",
    "subcategory": "Network Infrastructure",
    "attributes": {"way": ["in", "out"]},
    "meters": {"bytes": {"name": "Bytes", "unit": "byte", "combine": "sum"}},
}
PLAN = {
    "plan": "wire",
    "name": "Wire",
    "services": ["net"],
    "tiers": [{"tier": tier, "name": tier.title()} for tier in ("thin", "thick", "rope")],
}
FLOORS = [
    {"meter": "net/bytes", "per": "GiB", "currency": "EUR", "price": "0.05"},
    {"tier": "thin", "currency": "EUR", "price": "4"},
]


def known() -> tuple[Known, Plan]:
    service = read_service(SERVICE)
    meters = {meter.slug: meter for meter in service.meters}
    plan = read_plan(PLAN, meters, {"net": service})
    return Known(meters, {"net": service}, {"wire": plan}), plan


def offer(**fields: Any) -> Any:
    speaking, plan = known()
    return read_offer({"offer": "wire", **fields}, plan, speaking, ["thin", "thick"])


def card(
    *rates: dict[str, Any], currency: str = "EUR", discounts: list[dict[str, Any]] | None = None
) -> RateCardVersion:
    form = {"rate-card": "c", "name": "C", "currency": currency, "starts-on": "2026-01-01", "rates": list(rates)}
    return read_rate_card({**form, "discounts": discounts or []}, known()[0], 1).version


def traffic(price: str, unit: str = "GiB", **fields: Any) -> dict[str, Any]:
    return {"rate": "traffic", "meter": "net/bytes", "per": unit, "price": price, **fields}


def test_an_offer_has_the_names_of_the_plan_where_it_has_none_of_its_own() -> None:
    made = offer(tiers={"thick": "Cable"}, name="String")
    assert (made.name, made.tiers, made.to) == ("String", {"thick": "Cable"}, "all")
    assert [tier.name for tier in renamed(known()[1], made).tiers] == ["Thin", "Cable", "Rope"]
    assert offer().tiers == {"thin": "Thin", "thick": "Thick"}


def test_an_offer_comes_back_from_its_form() -> None:
    speaking, plan = known()
    made = offer(to=["oxbow", "gannet/customs"], recommended="thick", floors=FLOORS, description="Of the best.")
    assert read_offer(offer_form(made), plan, speaking, ["thin", "thick"]) == made


@pytest.mark.parametrize(
    ("to", "organisation", "type", "project", "reached"),
    [
        ("all", "gannet", "tenant", None, True),
        ("resellers", "gannet", "tenant", None, False),
        ("resellers", "oxbow", "reseller", None, True),
        (["gannet"], "gannet", "tenant", "customs", True),
        (["gannet/customs"], "gannet", "tenant", "customs", True),
        (["gannet/customs"], "gannet", "tenant", None, False),
        ([], "gannet", "tenant", None, False),
    ],
)
def test_an_offer_reaches_whom_it_names(
    to: Any, organisation: str, type: str, project: str | None, reached: bool
) -> None:
    assert offer(to=to).reaches(organisation, type, project) is reached


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"tiers": ["rope"]}, "none that you may sell; those are: thin, thick"),
        ({"recommended": "rope"}, "not one that is offered"),
        ({"to": "friends"}, "one of all, resellers, tenants"),
        ({"to": ["No Slug"]}, "lower-case"),
        ({"floors": [{"meter": "net/bytes", "currency": "EUR", "price": "1"}]}, "a meter with per, or a tier"),
        ({"floors": [{**FLOORS[0], "price": "-1"}]}, "negative"),
        ({"floors": [{**FLOORS[1], "tier": "peak"}]}, "no tier 'peak'"),
        ({"floors": [{**FLOORS[0], "currency": "XXQ"}]}, "XXQ"),
    ],
)
def test_a_wrong_offer_is_refused(fields: dict[str, Any], words: str) -> None:
    with pytest.raises(Invalid, match=words):
        offer(**fields)


@given(st.lists(st.decimals("0.01", "0.2", places=3), min_size=1, max_size=4), st.integers(0, 60), st.booleans())
def test_a_floor_holds_for_the_lowest_price_after_percentages(prices: list[Decimal], percent: int, tib: bool) -> None:
    """Compared with the price of one GiB in the cheapest block, done in fractions."""
    factor = 1024 if tib else 1
    blocks: list[dict[str, str]] = [
        {"to": str(number), "price": str(price * factor)} for number, price in enumerate(prices[:-1], 1)
    ]
    blocks.append({"price": str(prices[-1] * factor)})
    rate = {"rate": "traffic", "meter": "net/bytes", "per": "TiB" if tib else "GiB", "blocks": blocks}
    discounts = [{"discount": "d", "name": "D", "percent": str(percent)}] if percent else []
    lowest = min(map(Fraction, prices)) * (100 - percent) / 100
    version = card(rate, discounts=discounts)

    if lowest < Fraction("0.05"):
        with pytest.raises(Invalid, match=r"floor is 0\.05"):
            check_floors(version, [offer(floors=FLOORS)])
    else:
        check_floors(version, [offer(floors=FLOORS)])


def test_a_floor_knows_packages_fees_and_currencies() -> None:
    bound = [offer(floors=FLOORS)]
    check_floors(card(traffic("0.01"), currency="SEK"), bound)
    lots = {"rate": "traffic", "meter": "net/bytes", "per": "GiB", "lots": {"of": "100", "price": "4.99"}}
    with pytest.raises(Invalid, match=r"goes down to 0.0499 EUR per GiB"):
        check_floors(card(lots), bound)
    check_floors(card({**lots, "lots": {"of": "100", "price": "5"}}), bound)
    with pytest.raises(Invalid, match=r"goes down to 3\.99 EUR"):
        check_floors(card({"rate": "fee", "fee": "wire/thin", "every": "quarter", "price": "11.97"}), bound)
    check_floors(card({"rate": "fee", "fee": "wire/thin", "every": "quarter", "price": "12"}), bound)
    check_floors(card({"rate": "set-up", "fee": "wire/thin", "every": "once", "price": "1"}), bound)
    with pytest.raises(Invalid, match="use percent"):
        check_floors(card(traffic("1"), discounts=[{"discount": "d", "name": "D", "amount": "1"}]), bound)


def test_margins_stand_side_by_side_in_the_sellers_units() -> None:
    sell = card(
        traffic("0.10"),
        traffic("0.08", where={"way": "in"}) | {"rate": "in"},
        {"rate": "fee", "fee": "wire/thin", "price": "10"},
        {"rate": "thick", "fee": "wire/thick", "price": "20"},
    )
    buy = card(
        {
            "rate": "all",
            "meter": "net/bytes",
            "per": "TiB",
            "blocks": [{"to": "1", "price": "51.2"}, {"price": "25.6"}],
        },
        {"rate": "fee", "fee": "wire/thin", "price": "6"},
    )
    found = {each.rate: each for each in price_margins(sell, buy)}
    assert (found["traffic"].buy, found["traffic"].buy_lowest) == (Decimal("0.05"), Decimal("0.025"))
    assert (found["traffic"].margin, found["traffic"].percent) == (Decimal("0.05"), Decimal(50))
    assert found["traffic"].percent_lowest == Decimal(75)
    assert found["in"].percent == Decimal("37.5")
    assert (found["fee"].margin, found["fee"].percent) == (Decimal(4), Decimal(40))
    assert (found["thick"].buy, found["thick"].margin, found["thick"].percent) == (None, None, None)
