"""Shares of what quotas promise, beside a look at every second by itself."""

from random import Random

import polars as pl
import pytest

from gradumen.core.errors import Invalid
from gradumen.core.rating.promises import (
    Change,
    Era,
    Share,
    hourly,
    levels_of,
    levels_over,
    limits_over,
    plain_shares,
    shares_by_second,
    shares_over,
)

TREES = (
    {"buyer": ["a", "b"], "a": ["c", "d"], "d": ["e"]},
    {"buyer": ["a"], "a": ["c"], "c": ["b", "d"], "d": ["e"]},
)
HOLDERS = ("buyer", "a", "b", "c", "d", "e")
END = 60


def world(seed: int) -> tuple[list[Change[str]], list[Era[str]]]:
    """Changes of limits in all and at two places, and a tree that becomes another."""
    random = Random(seed)
    changes = [
        Change(
            random.randrange(-5, END),
            random.choice(HOLDERS),
            random.choice(["", "", "north", "south"]),
            random.choice([None, 0, 3, 10, 25, 60]),
        )
        for _ in range(random.randrange(1, 40))
    ]
    moved = random.randrange(1, END)
    return changes, [era(0, TREES[0]), era(moved, TREES[1])]


def era(start: int, tree: dict[str, list[str]]) -> Era[str]:
    return Era(start, ["buyer"], lambda each: tree.get(each, []))


def limits_at(changes: list[Change[str]], second: int) -> dict[str, dict[str, int]]:
    """What each might have at a second, by place."""
    last: dict[tuple[str, str], int | None] = {}
    for change in sorted(changes, key=lambda each: each.at):
        if change.at <= second:
            last[change.holder, change.place] = change.level
    found = {}
    for holder in HOLDERS:
        places = {place: level for (of, place), level in last.items() if of == holder and place and level is not None}
        levels = levels_of(last.get((holder, "")), places)
        if levels is not None:
            found[holder] = levels
    return found


@pytest.mark.parametrize("seed", range(60))
def test_every_second_the_shares_are_what_the_buyer_may_have(seed: int) -> None:
    changes, eras = world(seed)
    shares = list(shares_over(changes, 0, END, eras))
    for second in range(END):
        limits, tree = limits_at(changes, second), TREES[second >= eras[1].start]
        now = {(each.holder, each.place): each.level for each in shares if each.start <= second < each.end}
        has = {place: level for place, level in limits.get("buyer", {}).items() if level}
        for place in {place for _, place in now} | set(has):
            assert sum(level for (_, at), level in now.items() if at == place) == has.get(place, 0)

        def below(holder: str, tree: dict[str, list[str]] = tree) -> set[str]:
            return {holder}.union(*(below(each) for each in tree.get(holder, [])))

        for holder, levels in limits.items():
            here = sum(level for (of, _), level in now.items() if of in below(holder))
            assert here <= sum(levels.values()) or "buyer" not in limits
        for holder in set(HOLDERS) - set(limits):
            assert not [key for key in now if key[0] == holder]
        wanted = sum(sum(limits.get(each, {}).values()) for each in HOLDERS if each != "buyer")
        if "buyer" in limits and wanted <= sum(limits["buyer"].values()) and set(limits) <= {"buyer", "b", "c", "e"}:
            # Nobody's limit lies inside another's but the buyer's, and there is enough: each has all of its own.
            for holder in set(limits) - {"buyer"}:
                inside = sum(sum(limits[each].values()) for each in below(holder) - {holder} if each in limits)
                own = sum(level for (of, _), level in now.items() if of == holder)
                assert own == max(0, sum(limits[holder].values()) - inside)


@pytest.mark.parametrize("seed", range(10))
def test_the_order_of_what_is_at_different_seconds_makes_no_difference(seed: int) -> None:
    changes, eras = world(seed)
    changes = list({change.at: change for change in changes}.values())
    shuffled = Random(seed).sample(changes, len(changes))
    assert set(shares_over(changes, 0, END, eras)) == set(shares_over(shuffled, 0, END, eras))


def test_what_is_overbooked_is_divided_in_proportion_all_the_way_down() -> None:
    tree = {"r": ["a", "b"], "a": ["c"]}
    changes = [Change(0, holder, "", level) for holder, level in (("r", 100), ("a", 150), ("b", 50), ("c", 75))]
    shares = list(shares_over(changes, 0, 10, [Era(0, ["r"], lambda each: tree.get(each, []))]))
    assert {each.holder: each.level for each in shares} == {"b": 25, "c": 75}
    assert {(each.start, each.end) for each in shares} == {(0, 10)}


def test_who_has_no_limit_is_passed_over_and_a_buyer_without_one_is_promised_nothing() -> None:
    tree = {"r": ["a"], "a": ["c"]}
    eras = [Era(0, ["r"], lambda each: tree.get(each, []))]
    given = [Change(0, "c", "", 7)]
    assert list(shares_over(given, 0, 10, eras)) == []
    limited = [*given, Change(4, "r", "", 9), Change(8, "r", "", None)]
    assert sorted((each.holder, each.start, each.end, each.level) for each in shares_over(limited, 0, 10, eras)) == [
        ("c", 4, 8, 7),
        ("r", 4, 8, 2),
    ]


@pytest.mark.parametrize("beyond", [0, 900, 1800, 2700])
def test_hours_have_each_second_once(beyond: int) -> None:
    shares = [Share("a", "", 1, 7000, 3), Share("b", "", 3599, 3600, 10**24), Share("a", "", 7000, 90_001, 5)]
    found = hourly(shares, beyond)
    for number, share in enumerate(shares):
        rows = found.filter(pl.col("row") == number)
        assert rows["quantity"].sum() == share.level * (share.end - share.start)
        assert rows["hour"].min() == (share.start + beyond) // 3600
        assert rows["hour"].max() == (share.end - 1 + beyond) // 3600
    with pytest.raises(Invalid, match="too large to add up"):
        hourly([Share("a", "", 0, 10, 2**120)], beyond)


def test_limits_are_told_from_when_to_when() -> None:
    changes = [Change(-9, "a", "", 5), Change(3, "a", "", 6), Change(3, "a", "", 7), Change(8, "a", "north", 2)]
    assert {(each.place, each.start, each.end, each.level) for each in limits_over(changes, 0, 10)} == {
        ("", 0, 3, 5),
        ("", 3, 10, 7),
        ("north", 8, 10, 2),
    }
    assert [each[:2] for each in levels_over([], 0, 10)] == [(0, 10)]


def test_what_is_plain_is_found_as_by_a_look_at_each_second() -> None:
    plain = 0
    for seed in range(300):
        random = Random(seed)
        most = {"buyer": 99, "a": 40, "c": 20, "d": 12, "b": 6, "e": 6}
        changes = [Change(-20, holder, "", most[holder]) for holder in HOLDERS]
        for holder in random.choices(HOLDERS, k=random.randrange(9)):
            level = random.choice([most[holder], most[holder] - 3, None if seed % 3 else 0])
            changes.append(Change(random.randrange(-5, END), holder, "", level))
        in_order = sorted(changes, key=lambda each: each.at)
        found = plain_shares(in_order, 0, END, era(0, TREES[seed % 2]))
        if found is not None:
            looked = list(shares_by_second(in_order, 0, END, era(0, TREES[seed % 2])))
            assert len(found) == len(looked) and set(found) == set(looked)
            plain += 1
    assert 50 < plain < 250
