"""Derived rate cards: prices on top of a base, in steps, following its versions."""

from datetime import date
from decimal import Decimal

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.derived import OnTop
from gradumen.core.errors import CatalogueInvalid, NotFound
from tests.world import RUBEN, World, add_bluefern, files, rate_card

DERIVED = """
rate-card: {slug}
name: Derived
for: named
currency: {currency}
starts-on: {day}
rates: {own}
derived:
  base: {base}
  on-top: {{percent: 20}}
  services: {{network: {{percent: 50}}}}
  rates: {{heath: {{amount: 1}}}}
  price-step: 0.005
"""


def derived(slug: str, base: str, currency: str = "EUR", day: str = "2026-01-01", own: str = "[]") -> str:
    return DERIVED.format(slug=slug, base=base, currency=currency, day=day, own=own)


def prices(world: World, user: str, seller: str, slug: str, version: int = -1) -> dict[str, str]:
    form = world.user(user).catalogue.rate_card(seller, slug).versions[version].form.plain()
    return {rate["rate"]: rate.get("price") or rate["blocks"][0]["price"] for rate in form["rates"]}


def test_a_derived_card_has_the_bases_rates_at_its_own_prices(world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(derived("retail", "tarnwick/tenants-eur")))

    assert prices(world, "mara", "tarnwick", "retail") == {
        "vcpu": "0.025",
        "vcpu-large": "0.02",
        "egress": "0.105",
        "heath": "20.9",
        "moor": "94.8",
    }
    written = world.mara.catalogue.rate_card_file("tarnwick", "retail")
    assert yaml.safe_load(written)["rates"] == []
    changes = world.mara.catalogue.publish("tarnwick", files(written))
    assert [change.change for change in changes] == ["unchanged"]


def test_checking_finds_what_publishing_would_and_keeps_nothing(world: World) -> None:
    """Two new cards of which one follows, and goes over to, the other; and two that tie."""
    base = rate_card("base", "EUR", "named", "1")
    following = derived("follow", "tarnwick/base").replace("rates: []", "rates: []\nat-renewal: base")
    for publish in (world.mara.catalogue.compare, world.mara.catalogue.publish):
        assert [change.slug for change in publish("tarnwick", files(base, following))] == ["base", "follow"]
        with pytest.raises(CatalogueInvalid, match="'b' and 'a' are both for any of segment school"):
            publish("tarnwick", files(*(rate_card(slug, "EUR", "{segments: [school]}", "1") for slug in "ab")))
        cards = {card.slug for card in world.mara.catalogue.rate_cards()}
        assert ("follow" in cards) is (publish == world.mara.catalogue.publish)
        assert "a" not in cards


def test_it_follows_its_base_and_keeps_rates_of_its_own(world: World) -> None:
    own = "[{rate: moor, fee: open-range/moor, price: 70}]"
    world.mara.catalogue.publish("tarnwick", files(derived("retail", "tarnwick/tenants-eur", own=own)))
    world.mara.catalogue.publish("tarnwick", files(rate_card("tenants-eur", "EUR", "tenants", "2", "2026-12-01")))
    versions = world.mara.catalogue.rate_card("tarnwick", "retail").versions

    assert [version.starts_on for version in versions] == [date(2026, 1, 1), date(2026, 12, 1)]
    assert prices(world, "mara", "tarnwick", "retail", 1)["heath"] == "40.8"
    assert prices(world, "mara", "tarnwick", "retail", 1)["moor"] == "70"


def test_it_follows_after_a_later_version_of_its_own(world: World) -> None:
    """The reseller has a version for January, then prices rise in December: from 2 January they rise there, too."""
    edda = world.user("edda").catalogue
    for day in ("2026-01-01", "2027-01-01"):
        edda.publish("oxbow", files(derived("retail", "tarnwick/resellers-gbp", "GBP", day=day)))
    old = prices(world, "edda", "oxbow", "retail")
    world.mara.catalogue.publish("tarnwick", files(rate_card("resellers-gbp", "GBP", "resellers", "2", "2026-12-01")))
    versions = edda.rate_card("oxbow", "retail").versions

    assert [each.starts_on for each in versions] == [date(2026, 1, 1), date(2027, 1, 1), date(2027, 1, 2)]
    assert prices(world, "edda", "oxbow", "retail", 1) == old
    assert Decimal(prices(world, "edda", "oxbow", "retail")["heath"]) > Decimal(old["heath"])


def test_what_follows_with_notice_follows_each_of_two_versions_of_one_day(world: World) -> None:
    """The second begins while the first is still told: it holds from the day after that."""
    with_notice = derived("retail", "tarnwick/tenants-eur") + "  notice-days: 60\n"
    world.mara.catalogue.publish("tarnwick", files(with_notice))
    for day, factor in (("2026-11-01", "2"), ("2026-11-10", "3")):
        world.mara.catalogue.publish("tarnwick", files(rate_card("tenants-eur", "EUR", "tenants", factor, day)))
    versions = world.mara.catalogue.rate_card("tarnwick", "retail").versions

    assert [each.starts_on for each in versions] == [date(2026, 1, 1), date(2026, 12, 4), date(2026, 12, 5)]
    assert [prices(world, "mara", "tarnwick", "retail", at)["heath"] for at in (1, 2)] == ["40.8", "60.7"]


@pytest.mark.parametrize("order", [(0, 1, 2), (2, 1, 0), (1, 2, 0)])
def test_cards_that_are_published_with_their_base_have_no_second_version(world: World, order: tuple[int, ...]) -> None:
    """All for the same day, in one call, in whatever order: the followers have the base's new prices already."""
    world.mara.catalogue.publish("tarnwick", files(derived("retail", "tarnwick/tenants-eur")))
    base = rate_card("tenants-eur", "EUR", "tenants", "2", "2026-12-01")
    follower = derived("retail", "tarnwick/tenants-eur", day="2026-12-01")
    outlet = derived("outlet", "tarnwick/retail", day="2026-12-01")
    world.mara.catalogue.publish("tarnwick", files(*((base, follower, outlet)[place] for place in order)))
    versions = {slug: world.mara.catalogue.rate_card("tarnwick", slug).versions for slug in ("retail", "outlet")}

    assert [each.starts_on for each in versions["retail"]] == [date(2026, 1, 1), date(2026, 12, 1)]
    assert [each.starts_on for each in versions["outlet"]] == [date(2026, 12, 1)]
    assert [prices(world, "mara", "tarnwick", slug)["heath"] for slug in versions] == ["40.8", "41.8"]


def test_a_reseller_follows_the_card_it_buys_by_and_its_supplier_is_not_told(world: World) -> None:
    edda = world.user("edda").catalogue
    edda.publish("oxbow", files(derived("retail", "tarnwick/resellers-gbp", "GBP")))
    changes = world.mara.catalogue.publish(
        "tarnwick", files(rate_card("resellers-gbp", "GBP", "resellers", "0.8", "2026-12-01"))
    )

    assert [change.slug for change in changes] == ["resellers-gbp"]
    assert len(edda.rate_card("oxbow", "retail").versions) == 2


def test_a_new_reseller_makes_its_prices_of_those_it_will_buy_by(world: World) -> None:
    """Before anything is sold: it sees its own price list, and no other card of its seller's."""
    add_bluefern(world)
    ruben = world.user(RUBEN).catalogue
    bought = [f"{card.seller}/{card.slug}" for card in ruben.rate_cards() if card.seller != "bluefern"]
    assert bought == ["tarnwick/resellers-eur"]
    with pytest.raises(NotFound):
        ruben.rate_card("tarnwick", "tenants-eur")
    for base, refused in (("tenants-eur", True), ("resellers-eur", False)):
        written = files(derived("retail", f"tarnwick/{base}"))
        if refused:
            with pytest.raises(CatalogueInvalid, match="none that you buy by"):
                ruben.publish("bluefern", written)
        else:
            ruben.publish("bluefern", written)
    assert prices(world, RUBEN, "bluefern", "retail")["vcpu"] == "0.015", "0.012 and a fifth, in steps"
    margins = ruben.margins("bluefern", "retail")
    assert margins.buys_by == "tarnwick/resellers-eur"
    assert {each.rate for each in margins.rates} >= {"vcpu", "egress"}


@pytest.mark.parametrize("days", [["2026-01-01"], ["2026-01-01", "2027-01-01"]])
def test_a_followers_trouble_does_not_stop_its_base_and_waits_as_a_draft(world: World, days: list[str]) -> None:
    own = "[{rate: big, meter: compute/vcpu, where: {size: small}, per: vCPU-hour, price: 1}]"
    for day in days:
        card = derived("retail", "tarnwick/resellers-gbp", "GBP", day=day, own=own)
        world.user("edda").catalogue.publish("oxbow", files(card))
    wider = rate_card("resellers-gbp", "GBP", "resellers", "0.8", "2026-12-01").replace(
        "where: {size: large}", "where: {size: small}"
    )
    world.mara.catalogue.publish("tarnwick", files(wider))

    assert len(world.user("edda").catalogue.rate_card("oxbow", "retail").versions) == len(days)
    assert [draft.slug for draft in world.user("edda").unpublished_changes.list("oxbow")] == ["retail"]


def test_a_chain_of_followers_is_published_whole_or_waits_whole(world: World) -> None:
    """What follows a follower does not fit: neither gets a version, the first of them waits as a draft."""
    edda = world.user("edda")
    own = "[{rate: big, meter: compute/vcpu, where: {size: small}, per: vCPU-hour, price: 1}]"
    edda.catalogue.publish("oxbow", files(derived("retail", "tarnwick/resellers-gbp", "GBP")))
    edda.catalogue.publish("oxbow", files(derived("outlet", "oxbow/retail", "GBP", own=own)))
    wider = rate_card("resellers-gbp", "GBP", "resellers", "0.8", "2026-12-01").replace("size: large", "size: small")
    world.mara.catalogue.publish("tarnwick", files(wider))

    assert [len(edda.catalogue.rate_card("oxbow", slug).versions) for slug in ("retail", "outlet")] == [1, 1]
    assert [draft.slug for draft in edda.unpublished_changes.list("oxbow")] == ["retail"]


def test_a_derived_draft_is_priced_and_covered_as_it_would_be_published(world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(rate_card("list", "EUR", "named", "1")))
    draft = files(derived("tenants-eur", "tarnwick/list", day="2026-12-01"))
    asked = world.mara.what_ifs.wait(world.mara.what_ifs.ask("tarnwick", "2026-09", draft).id, seconds=60)
    amounts = world.mara.what_ifs.amounts(asked.id)
    fee = next(row for row in amounts if (row.buyer, row.service) == ("quillstone", "open-range"))

    assert (fee.before, fee.after) == (79, Decimal("94.80"))
    (coverage,) = world.mara.estimates.coverage("tarnwick", "open-range", draft)
    assert {meter.state for meter in coverage.meters} == {"priced"}


@pytest.mark.parametrize(
    ("card", "words"),
    [
        (derived("retail", "tarnwick/nothing"), "none of yours"),
        (derived("retail", "oxbow/oxbow-gbp", "GBP"), "none of yours"),
        (derived("retail", "tarnwick/tenants-eur", "GBP"), "base's currency"),
        (derived("retail", "tarnwick/tenants-eur", day="2025-01-01"), "no version on 2025-01-01"),
        (derived("tenants-eur", "tarnwick/tenants-eur", day="2026-12-01"), "in a circle"),
        (derived("retail", "tarnwick/tenants-eur").replace("heath:", "peak:"), "has no rate 'peak'"),
        (derived("retail", "tarnwick/tenants-eur").replace("percent: 20", "percent: -100"), "above -100"),
        (derived("retail", "tarnwick/tenants-eur").replace("0.005", "0"), "above 0"),
    ],
)
def test_a_wrong_derivation_is_refused(world: World, card: str, words: str) -> None:
    with pytest.raises(CatalogueInvalid, match=words):
        world.mara.catalogue.publish("tarnwick", files(card))


def test_a_circle_over_several_cards_is_refused(world: World) -> None:
    world.mara.catalogue.publish("tarnwick", files(derived("a", "tarnwick/tenants-eur")))
    world.mara.catalogue.publish("tarnwick", files(derived("b", "tarnwick/a")))
    with pytest.raises(CatalogueInvalid, match="in a circle: tenants-eur → b → a → tenants-eur"):
        world.mara.catalogue.publish("tarnwick", files(derived("tenants-eur", "tarnwick/b", day="2026-12-01")))


@given(
    st.integers(0, 10**15).map(lambda whole: Decimal(whole).scaleb(-6)),
    st.integers(-9999, 50000).map(lambda whole: Decimal(whole).scaleb(-2)),
    st.sampled_from(["0.000001", "0.005", "0.05", "1"]),
)
def test_a_derived_price_is_the_nearest_multiple_of_its_step(price: Decimal, percent: Decimal, step: str) -> None:
    found = OnTop(percent=percent).of(price, Decimal(step))
    exact = price * (1 + percent / 100)

    assert found % Decimal(step) == 0
    assert abs(found - exact) * 2 <= Decimal(step)
