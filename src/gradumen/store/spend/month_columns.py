"""The columns of all pairs of a seller's month in one file, so that a year of a thousand buyers is a dozen files.

A copy of the files of `gradumen.store.spend.spend_columns`, and as they a cache. Beside it stand rougher ones: by day,
which knows neither charges nor resources, by service and day, which knows no projects, meters and regions, by month,
which does not know days, and by resource and month. A list says of which ratings of which pairs they are; those that
were rated since are read from their own files.
"""

import json
import logging
import time
from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from uuid import UUID, uuid4

import polars as pl

from gradumen.core.spend.columns import SPEND_SCHEMA
from gradumen.core.spend.spend import added_up
from gradumen.store.pairs import PairRow
from gradumen.store.spend.spend_columns import DAMAGED, RELEASE, rating_of, scan_columns

log = logging.getLogger("gradumen.columns")
FEWEST = 8
"""Pairs for which one file is worth its while."""
ABANDONED = 3600
"""Seconds after which files that are not listed are taken for a dead worker's."""


class _Detail(StrEnum):
    """What files tell apart: all that there is, or less; their names end so."""

    WHOLE = ".arrow"
    BY_DAY = ".days.arrow"
    BY_SERVICE = ".services.arrow"
    BY_MONTH = ".month.arrow"
    BY_RESOURCE = ".resources.arrow"


_LEAVES_OUT = {
    _Detail.BY_DAY: {"charge", "resource"},
    _Detail.BY_SERVICE: {"charge", "resource", "project", "meter", "region"},
    _Detail.BY_MONTH: {"charge", "resource", "day"},
    _Detail.BY_RESOURCE: {"charge", "day"},
}


def scan_months(
    folder: Path | None, pairs: Sequence[PairRow], needed: Collection[str]
) -> tuple[list[pl.LazyFrame], list[PairRow]]:
    """What of pairs of one month can be read from files, when that is asked for, and the pairs that have none.

    What is damaged shows when it is read; see `gradumen.store.spend.spend_columns.find_columns`.

    Args:
        needed: the columns that have to be told apart; files may have more.
    """
    if folder is None:
        return [], list(pairs)
    frames: list[pl.LazyFrame] = []
    left: list[PairRow] = []
    for same in _by_seller(pairs):
        month = _listed(folder, same[0])
        found = _roughest(month, needed)
        there = {pair.id for pair in same if month.ratings.get(pair.id) == rating_of(pair)}
        fewer = month.rows.get(found, 0) < sum(month.parts.get(pair.id, 0) for pair in same)
        if there and (len(same) >= FEWEST or fewer):
            rows = pl.scan_ipc(folder / RELEASE / "months" / f"{month.name}{found}")
            # Of the column's own type: a list of Python's numbers takes fifteen times as long.
            wanted = pl.Series(sorted(there), dtype=SPEND_SCHEMA["pair"]).implode()
            frames.append(rows if len(there) == len(month.ratings) else rows.filter(pl.col("pair").is_in(wanted)))
            left += [pair for pair in same if pair.id not in there]
        else:
            left += same
    scanned = scan_columns(folder, left)
    return (frames, left) if scanned is None else ([*frames, scanned[0]], scanned[1])


def keep_month(folder: Path, pairs: Sequence[PairRow]) -> None:
    """Make the files of all pairs of a seller's month anew, once an eighth of them were rated since, or one is missing.

    Where one of them has no file of its own yet, or they cannot be written, another time.
    """
    before, listed = _listed(folder, pairs[0]), _list(folder, pairs[0])
    rated_since = sum(before.ratings.get(pair.id) != rating_of(pair) for pair in pairs)
    there = all(each in before.rows and listed.with_name(f"{before.name}{each}").exists() for each in _Detail)
    if len(pairs) < FEWEST or (there and rated_since * 8 < len(pairs)):
        return
    scanned = scan_columns(folder, pairs)
    if scanned is None or scanned[1]:
        return
    made = listed.with_name(f"{listed.stem}-{uuid4().hex}")
    written = made.with_suffix(".json")
    try:
        made.parent.mkdir(parents=True, exist_ok=True)
        scanned[0].sink_ipc(made.with_suffix(_Detail.WHOLE), compression="lz4")
        parts = dict(scanned[0].group_by("pair").len().collect(engine="streaming").rows())
        rows = {_Detail.WHOLE: sum(parts.values())}
        for rougher, left_out in _LEAVES_OUT.items():
            sums = added_up(scanned[0], [name for name in SPEND_SCHEMA if name not in {*left_out, "amount"}])
            sums.write_ipc(made.with_suffix(rougher), compression="lz4")
            rows[rougher] = sums.height
        ratings = {pair.id: rating_of(pair) for pair in pairs}
        written.write_text(json.dumps({"files": made.name, "ratings": ratings, "rows": rows, "parts": parts}))
        written.replace(listed)
    except DAMAGED as error:
        for suffix in (*_Detail, ".json"):
            made.with_suffix(suffix).unlink(missing_ok=True)
        log.warning("the columns of %s cannot be kept in %s: %s", pairs[0].period, folder, error)
        return
    for path in made.parent.glob(f"{listed.stem}-*"):
        # What another worker is writing at this moment stays; it may be what is listed next.
        with suppress(FileNotFoundError):
            if path.name.partition(".")[0] == before.name or path.stat().st_mtime < time.time() - ABANDONED:
                path.unlink()


def _by_seller(pairs: Sequence[PairRow]) -> Collection[list[PairRow]]:
    found: dict[UUID, list[PairRow]] = {}
    for pair in pairs:
        found.setdefault(pair.seller_id, []).append(pair)
    return found.values()


def _list(folder: Path, pair: PairRow) -> Path:
    return folder / RELEASE / "months" / f"{pair.seller_id}-{pair.period}.json"


@dataclass(frozen=True, slots=True)
class _Month:
    """What the files of a seller's month are called, and of which ratings they are.

    ``rows`` are how many each of them has, ``parts`` how many there are of each pair.
    """

    name: str = ""
    ratings: Mapping[int, str] = field(default_factory=dict)
    rows: Mapping[str, int] = field(default_factory=dict)
    parts: Mapping[int, int] = field(default_factory=dict)


def _roughest(month: _Month, needed: Collection[str]) -> _Detail:
    """Of the files of a month that tell enough apart the one with the fewest rows; an earlier release made fewer."""
    enough = (each for each in _Detail if each in month.rows and not _LEAVES_OUT.get(each, set()).intersection(needed))
    return min(enough, key=lambda each: month.rows[each], default=_Detail.WHOLE)


def _listed(folder: Path, pair: PairRow) -> _Month:
    """The files of a pair's month; nothing where none can be used."""
    try:
        found = json.loads(_list(folder, pair).read_text())
        # An earlier release did not count.
        rows, parts = found.get("rows", {}), found.get("parts", {})
        return _Month(
            name=str(found["files"]),
            ratings={int(number): str(rating) for number, rating in found["ratings"].items()},
            rows={str(each): int(count) for each, count in rows.items()},
            parts={int(number): int(count) for number, count in parts.items()},
        )
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return _Month()
