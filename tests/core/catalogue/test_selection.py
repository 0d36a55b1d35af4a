"""Which rate card prices a buyer: the more special rule wins, and ties are found before they can matter."""

from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gradumen.core.catalogue.selection import Buyer, Buyers, choose
from gradumen.core.errors import Invalid
from gradumen.wire.catalogue.forms.buyers import buyers_form, read_buyers

SLUGS, COUNTRIES, SEGMENTS, TYPES = ("a", "b"), ("GB", "IE"), ("school", "shop"), ("resellers", "tenants", "own-use")
EVERYBODY = [Buyer(*each) for each in product(SLUGS, TYPES, COUNTRIES, (*SEGMENTS, None))]


def some(values: tuple[str, ...]) -> st.SearchStrategy[tuple[str, ...]]:
    return st.lists(st.sampled_from(values), unique=True, max_size=2).map(tuple)


RULES = st.builds(
    Buyers, st.sampled_from((None, *TYPES)), st.just(()), some(COUNTRIES), some(SEGMENTS), st.booleans()
) | st.builds(Buyers, st.none(), some(SLUGS))


@settings(max_examples=600)
@given(RULES, RULES)
def test_two_rules_tie_where_some_buyer_fits_both_and_neither_is_more_special(one: Buyers, other: Buyers) -> None:
    both = [buyer for buyer in EVERYBODY if one.holds(buyer) and other.holds(buyer)]
    tie = bool(both) and one.rank == other.rank and not one.named and not other.named

    assert one.meets(other) == other.meets(one)
    assert one.meets(other) == tie


@given(st.lists(RULES, max_size=5), st.sampled_from(EVERYBODY))
def test_the_most_special_card_that_fits_is_chosen(rules: list[Buyers], buyer: Buyer) -> None:
    chosen = choose([(rule, number) for number, rule in enumerate(rules)], buyer)
    fitting = [number for number, rule in enumerate(rules) if rule.holds(buyer) and not rule.named]

    if chosen is None:
        assert fitting == []
    else:
        assert chosen in fitting
        assert all(rules[chosen].rank >= rules[number].rank for number in fitting)


def test_the_order_is_own_then_country_then_segment_then_type_then_default() -> None:
    cards = [
        (Buyers(), "default"),
        (Buyers("tenants"), "type"),
        (Buyers(segments=("school",)), "segment"),
        (Buyers(countries=("IE",)), "country"),
        (Buyers("tenants", countries=("IE",)), "country and type"),
        (Buyers(organisations=("a",)), "own"),
        (Buyers(named=True), "named"),
    ]
    buyer = Buyer("a", "tenants", "IE", "school")
    found = []
    while (card := choose(cards, buyer)) is not None:
        found.append(card)
        cards = [each for each in cards if each[1] != card]
    assert found == ["own", "country and type", "country", "segment", "type", "default"]


@given(RULES.filter(lambda rule: not rule.named or rule == Buyers(named=True)))
def test_a_rule_comes_back_from_its_form(rule: Buyers) -> None:
    assert read_buyers(buyers_form(rule)) == rule


@pytest.mark.parametrize(
    ("raw", "words"),
    [
        ("everybody", "one of any, named"),
        ({"type": "friends"}, "one of resellers"),
        ({"countries": ["gb"]}, "two capital letters"),
        ({"organisations": ["a"], "countries": ["GB"]}, "no other conditions"),
        ({"colour": "red"}, "not a field"),
    ],
)
def test_a_wrong_rule_is_refused(raw: object, words: str) -> None:
    with pytest.raises(Invalid, match=words):
        read_buyers(raw)
