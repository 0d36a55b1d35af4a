"""States: what follows what, which weighs most, and what each leaves to members."""

from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Conflict
from gradumen.core.organisations.states import FOLLOWS, KEPT, MEANING, State, check_follows, heaviest
from gradumen.core.permissions import Right

states = st.lists(st.sampled_from(State), min_size=1, max_size=10)


@given(states, states)
def test_those_above_only_ever_make_it_heavier(own: list[State], above: list[State]) -> None:
    """Whatever holds above, a member keeps no right that it would not have without it."""
    alone, under = heaviest(own), heaviest([*own, *above])
    assert heaviest([alone, under]) is under
    assert KEPT[under] <= KEPT[alone]
    assert heaviest([*above, *own]) is under, "in whatever order"


def test_every_state_has_its_meaning_and_what_follows() -> None:
    assert set(MEANING) == set(KEPT) == set(FOLLOWS) == set(State)
    for before, after in product(State, State):
        if after in FOLLOWS[before]:
            check_follows(before, after, "Oxbow")
        else:
            with pytest.raises(Conflict, match=f"Oxbow is {before} and cannot become {after}"):
                check_follows(before, after, "Oxbow")


def test_all_but_what_is_closed_leads_back_to_active_and_on_to_closed() -> None:
    def reached(start: State) -> set[State]:
        found = {start}
        while more := {each for state in found for each in FOLLOWS[state]} - found:
            found |= more
        return found

    assert reached(State.CLOSED) == {State.CLOSED}
    for state in set(State) - {State.CLOSED}:
        assert {State.ACTIVE, State.CLOSED} <= reached(state)


def test_who_rests_reads_bills_and_sends_and_orders_nothing() -> None:
    for state in (State.SUSPENDED, State.CLOSING):
        assert {Right.READ, Right.READ_MONEY, Right.BILL, Right.SEND_READINGS} <= KEPT[state]
        assert not {Right.MANAGE_SUBSCRIPTIONS, Right.MANAGE_QUOTAS, Right.MANAGE_ORGANISATIONS} & KEPT[state]
    assert not KEPT[State.PROPOSED] | KEPT[State.CLOSED]
