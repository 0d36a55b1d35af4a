"""What holds until it changes, against going through it second by second; and its spells."""

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.metering.feed_precedences import QUARTER_SECONDS
from gradumen.core.metering.held import Held, Statement, giving_way, held_times, spells_of, within
from gradumen.core.metering.usage import HOUR_SECONDS

END = 60
ORIGIN = 5
STATEMENTS = st.lists(
    st.tuples(st.integers(1, 2), st.integers(1, 2), st.integers(0, END - 1), st.sampled_from([0, 1, 1, 3])), max_size=12
).map(
    lambda said: [
        Statement(resource, attributes, ORIGIN, at, level, 0, f"{name:02}")
        for name, (resource, attributes, at, level) in enumerate(said)
    ]
)


def states(statements: list[Statement], told: int, lists: list[int]) -> dict[tuple[int, int], tuple[int, int]]:
    """Attributes and level by resource and second, where it is there."""
    found = {}
    for resource in (1, 2):
        own = [each for each in statements if each.resource == resource]
        own.sort(key=lambda each: (each.at, each.level > 0, each.name))
        for index, each in enumerate(own):
            following = own[index + 1] if index + 1 < len(own) else None
            until = following.at if following else max(told, each.at)
            missed = any(each.at < at and (following is None or at < following.at) for at in lists)
            if missed and not (following is not None and following.level == 0):
                continue
            for second in range(each.at, until):
                if each.level:
                    found[resource, second] = each.attributes, each.level
    return found


@given(STATEMENTS, st.integers(0, END + 20), st.lists(st.integers(0, END + 10), max_size=3).map(sorted), st.randoms())
def test_times_are_those_of_every_second(
    statements: list[Statement], told: int, lists: list[int], order: object
) -> None:
    of = [(resource, ORIGIN) for resource in (1, 2)]
    shuffled = list(statements)
    order.shuffle(shuffled)  # type: ignore[attr-defined]  # hypothesis gives it
    found = held_times(shuffled, dict.fromkeys(of, told), dict.fromkeys(of, lists))

    seconds = {}
    for each in found:
        if each.level:
            for second in range(each.start, each.end):
                assert (each.resource, second) not in seconds, "at one time one thing is so"
                seconds[each.resource, second] = each.attributes, each.level
    assert seconds == states(statements, told, lists)
    counted = [each for each in found if not each.level or each.start < each.end]
    assert len(counted) == len(statements), "each is counted once"


@given(STATEMENTS, st.integers(0, END + 20), st.lists(st.integers(3, 4), min_size=30, max_size=30), st.integers(0, END))
def test_spells_are_the_same_made_at_once_or_from_a_moment_on(
    statements: list[Statement], told: int, owners: list[int], cut: int
) -> None:
    times = [each for each in held_times(statements, {(1, ORIGIN): told, (2, ORIGIN): told}) if each.level]
    owned = list(zip(owners, [each for each in times if each.start < each.end], strict=False))
    whole = spells_of(owned, [])
    for one, other in pairwise(whole):
        alike = (one.resource, one.project, one.attributes, one.level) == (
            other.resource, other.project, other.attributes, other.level,
        )  # fmt: skip
        assert not (alike and one.end == other.start), "what is alike and touches is one"
    for each in whole:
        assert each.run_start <= each.start < each.end

    before = spells_of([(project, part) for project, held in owned for part in within([held], 0, cut)], [])
    after = [(project, part) for project, held in owned for part in within([held], cut, 10**6)]
    going_on = [each for each in before if each.end == cut]
    ended = [each for each in before if each.end < cut]
    key = lambda each: (each.resource, each.start, each.project)  # noqa: E731  # said twice right here
    found = sorted([*ended, *spells_of(after, going_on)], key=key)
    assert [(key(each), each.end, each.run_start) for each in found] == [
        (key(each), each.end, each.run_start) for each in sorted(whole, key=key)
    ]


@given(st.integers(0, 9000), st.integers(1, 9000), st.sets(st.integers(0, 20)), st.booleans())
def test_what_gives_way_and_what_is_left_are_the_whole(
    start: int, length: int, measured: set[int], by_quarter: bool
) -> None:
    held = Held(1, 1, ORIGIN, start, start, start + length, 1, is_open=True)
    parts = list(giving_way(held, measured, by_quarter=by_quarter))
    assert [part.start for _, part in parts] == [start, *(part.end for _, part in parts[:-1])]
    assert parts[-1][1].end == held.end and [part.is_open for _, part in parts] == [False] * (len(parts) - 1) + [True]
    slot = QUARTER_SECONDS if by_quarter else HOUR_SECONDS
    for away, part in parts:
        for second in (part.start, part.end - 1):
            there = {each // QUARTER_SECONDS for each in range(second // slot * slot, second // slot * slot + slot)}
            assert away is bool(there & measured)
