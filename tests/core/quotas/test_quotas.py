"""Quotas: no order of grants breaks the invariant."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Conflict, QuotaBelowGranted, QuotaExceeded, UnlimitedBelow
from gradumen.core.quotas.quotas import Holding, Measure, check_counted, check_grant

limits = st.none() | st.integers(0, 100).map(Decimal)


@given(st.lists(st.tuples(st.integers(1, 5), limits), max_size=30), limits)
def test_children_never_have_more_than_their_parent(
    grants: list[tuple[int, Decimal | None]], root: Decimal | None
) -> None:
    """Holders 0..5 in a tree (parent of n is n // 2); grants are taken or refused, the sums always fit."""
    held: dict[int, Decimal | None] = {0: root, **{n: Decimal(0) for n in range(1, 6)}}

    def holding(n: int) -> Holding:
        children = [held[c] for c in range(1, 6) if c // 2 == n and c != n]
        granted = sum((c for c in children if c is not None), Decimal(0))
        return Holding(str(n), Measure.PROCESSORS, held[n], granted=granted, unlimited_below=children.count(None))

    for taker, limit in grants:
        try:
            check_grant(holding(taker // 2), holding(taker), limit)
        except Conflict:
            continue
        held[taker] = limit
    for n in range(6):
        children = [held[c] for c in range(1, 6) if c // 2 == n and c != n]
        if held[n] is not None:
            assert None not in children
            assert sum((c for c in children if c is not None), Decimal(0)) <= held[n]


def test_refusals_name_the_figures() -> None:
    giver = Holding("oxbow", Measure.STORAGE, Decimal(100), Decimal(10), Decimal(60))
    taker = Holding("saltmarsh", Measure.STORAGE, Decimal(20), Decimal(5), Decimal(10))

    with pytest.raises(QuotaExceeded, match="saltmarsh can have at most 50 GiB: its 20 and the 30 that oxbow has free"):
        check_grant(giver, taker, Decimal(51))
    with pytest.raises(QuotaExceeded, match="at most 50 GiB"):
        check_grant(giver, taker, None)
    with pytest.raises(QuotaBelowGranted, match="passed on or reserved 15 GiB, so 14 are too few; take 1 back"):
        check_grant(giver, taker, Decimal(14))
    check_grant(giver, taker, Decimal(50))


def test_one_without_limit_below_keeps_its_giver_without_limit() -> None:
    with pytest.raises(UnlimitedBelow, match="2 below oxbow"):
        check_grant(
            Holding("tarnwick", Measure.STORAGE, None),
            Holding("oxbow", Measure.STORAGE, None, unlimited_below=2),
            Decimal(5),
        )


def test_overbooking_widens_the_limit_by_its_factor() -> None:
    giver = Holding("a", Measure.PROCESSORS, Decimal(10), factor=Decimal("1.5"))
    check_grant(giver, Holding("b", Measure.PROCESSORS, Decimal(0)), Decimal(15))
    with pytest.raises(QuotaExceeded):
        check_grant(giver, Holding("b", Measure.PROCESSORS, Decimal(0)), Decimal("15.1"))


figures = st.integers(0, 60).map(Decimal)


@given(figures, figures, figures, figures, figures)
def test_what_is_had_reserved_and_passed_on_fits_together(
    limit: Decimal, granted: Decimal, reserved: Decimal, own: Decimal, asked: Decimal
) -> None:
    """Invariant 3 for one giver: a grant is made exactly where the sum still fits."""
    giver = Holding("oxbow", Measure.STORAGE, limit, reserved, granted, own=own)
    taker = Holding("saltmarsh", Measure.STORAGE, Decimal(0))
    fits = granted + max(reserved, own) + asked <= limit
    try:
        check_grant(giver, taker, asked)
    except QuotaExceeded:
        assert not fits
        assert asked > 0 or granted + max(reserved, own) > limit
    else:
        assert fits or asked == 0


@given(figures, figures, figures, st.integers(1, 5))
def test_what_is_counted_grows_exactly_up_to_the_limit(
    limit: Decimal, granted: Decimal, own: Decimal, more: int
) -> None:
    holder = Holding("oxbow", Measure.USERS, limit, granted=granted, own=own)
    try:
        check_counted(holder, more)
    except QuotaExceeded as refused:
        assert granted + own + more > limit
        assert Decimal(refused.facts["left"]) == max(limit - granted - own, Decimal(0))
    else:
        assert granted + own + more <= limit
    check_counted(Holding("oxbow", Measure.USERS, None, granted=granted, own=own), more)
