"""What the traffic of a scope costs, and who has which share of it, by plain fractions."""

from fractions import Fraction
from math import ceil

from tests.worlds.spans import ZERO, Cell, Place, Span, rounded
from tests.worlds.used import Month
from tests.worlds.worlds import GIB, Link, Version


def priced(
    link: Link, covered: list[Span], places: list[Place], cells: dict[Cell, Fraction], month: Month
) -> dict[Cell, Fraction]:
    """What a scope's use costs in each version and stretch, blocks counting on from one version to the next.

    Args:
        places: of the scope's stretches.
        cells: what is left of its use after the allowances of tiers.
    """
    sizes = {number: in_version(cells, number) for number, _ in sorted(cells)}
    gone = ZERO
    for number, quantity in sizes.items():
        most = Fraction(link.versions[number].allowance * GIB)
        sizes[number] = quantity - (min(gone + quantity, most) - min(gone, most))
        gone += quantity
    last, commits = committing(link, covered, places, month)
    missing = ZERO
    if commits and link.versions[last].committed:
        missing = max(ZERO, link.versions[last].committed * GIB - sum(sizes.values(), ZERO))
        sizes[last] = sizes.get(last, ZERO) + missing
    found: dict[Cell, Fraction] = {}
    for number, amount in amounts(link, sizes).items():
        inside = {place: quantity for (at, place), quantity in sorted(cells.items()) if at == number}
        if number != last or not missing:
            # What a version commits to can be used by later ones alone: its minimum is that of who commits.
            found |= shared(number, amount, inside or {place: ZERO for place in commits if number == last})
            continue
        of_missing = amount * missing / sizes[number]
        for each in (
            shared(number, amount - of_missing, inside),
            shared(number, of_missing, {place: inside.get(place, ZERO) for place in commits}),
        ):
            for cell, share in each.items():
                found[cell] = found.get(cell, ZERO) + share
    return found


def in_version(cells: dict[Cell, Fraction], number: int) -> Fraction:
    return sum((quantity for (at, _), quantity in cells.items() if at == number), ZERO)


def amounts(link: Link, sizes: dict[int, Fraction]) -> dict[int, Fraction]:
    """What each version's size costs, within the bounds of the running amount."""
    bounded = any(link.versions[n].minimum or link.versions[n].cap is not None for n in sizes)
    before, running, charged, total = ZERO, ZERO, ZERO, sum(sizes.values()) / GIB
    found = {}
    for number, size in sorted(sizes.items()):
        version = link.versions[number]
        running += rounded(price(version, before, Fraction(size) / GIB, total), 12)
        before += Fraction(size) / GIB
        reached = running
        if bounded:
            if version.cap is not None and running > version.cap:
                running = max(charged, version.cap)
            reached = max(charged, running, version.minimum)
        found[number] = reached - charged
        charged = reached
    return found


def shared(number: int, amount: Fraction, quantities: dict[Place, Fraction]) -> dict[Cell, Fraction]:
    """An amount in proportion to quantities; of nothing at all the first has it."""
    total = sum(quantities.values(), ZERO)
    if not total:
        return {(number, min(quantities)): amount} if quantities else {}
    return {(number, place): amount * quantity / total for place, quantity in quantities.items()}


def committing(link: Link, covered: list[Span], places: list[Place], month: Month) -> tuple[int, list[Place]]:
    """The last version that holds while something is subscribed to, neither paused nor on trial; and what is.

    Args:
        places: of one card.
    """
    holding: dict[int, list[Place]] = {}
    for number in range(len(link.versions)):
        for place in places:
            if covered[place].raises and covered[place].holds(link, number, month) and stays(covered, covered[place]):
                holding.setdefault(number, []).append(place)
    last = max(holding, default=-1)
    return last, holding.get(last, [])


def stays(covered: list[Span], span: Span) -> bool:
    """Whether its subscription has no other card later, as far as it raises what is charged at least."""
    own = [each for each in covered if each.scope("") == span.scope("") and each.raises]
    return max(own, key=lambda each: each.start).named == span.named


def price(version: Version, before: Fraction, size: Fraction, total: Fraction) -> Fraction:
    """What a quantity costs that follows on another, in GiB."""
    if version.kind == "lot":
        lot = version.ends[0]
        return (ceil((before + size) / lot) - ceil(before / lot)) * version.prices[0]
    if version.kind == "whole":
        reached = next((n for n, end in enumerate(version.ends) if total <= end), len(version.prices) - 1)
        return size * version.prices[reached]
    found, low = ZERO, ZERO
    for high, each in zip([*map(Fraction, version.ends), before + size], version.prices, strict=True):
        found += max(ZERO, min(before + size, high) - max(before, low)) * each
        low = max(low, high)
    return found
