"""Takes a cost file in that came in pieces: its rows batch by batch, then its export as a whole."""

import hashlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TypeVar

import polars as pl

from gradumen.core.errors import Conflict, Invalid
from gradumen.core.metering.cost_frames import CostFrame
from gradumen.feeds.cost_files import cost_frames
from gradumen.jobs.leases import Held, now
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.metering import uploads
from gradumen.usecases.metering.cost_sets import NOTHING
from gradumen.usecases.metering.cost_uploads import (
    CameWhole,
    end_reading,
    keep_rows,
    read_piece,
    refuse_upload,
    remove_read,
    settle_upload,
    upload_to_read,
)

T = TypeVar("T")


def take(held: Held) -> None:
    """Take it in.

    Raises:
        GradumenError: it is not taken, which a person decides about.
    """
    came = upload_to_read(held.uow, lease=held.lease, at=now())
    try:
        if not came.read:
            _read(held, came)
        with held.step("counted") as step:
            end_reading(held.uow, lease=held.lease, at=now())
            step.result |= settle_upload(held.uow, lease=held.lease, at=now())
    except (Invalid, Conflict) as problem:
        refuse_upload(held.uow, lease=held.lease, problem=problem, at=now())
        raise


def _read(held: Held, came: CameWhole) -> None:
    """Keep its rows, in the place of those that an attempt before kept."""
    with held.step("rows") as step, TemporaryDirectory(prefix="gradumen-") as folder:
        while remove_read(held.uow, lease=held.lease):
            pass
        path = Path(folder, "file")
        _put_together(held, came, path)
        keep = partial(keep_rows, held.uow, lease=held.lease)
        try:
            step.result["rows"] = keep_all(cost_frames(came.name, path, came.latest), keep, held.progress)
        except Invalid:
            # What was kept before the first wrong line counts for nothing, and would only lie there.
            while remove_read(held.uow, lease=held.lease):
                pass
            raise


def keep_all(frames: Iterator[CostFrame], keep: Callable[..., pl.DataFrame], tell: Callable[[int], None]) -> int:
    """Keep all rows of a file, frame by frame; gives how many.

    Args:
        keep: keeps a frame at a position, as `gradumen.usecases.metering.cost_sets.stage`.
        tell: is told how many are kept.
    """
    position, known = 0, NOTHING
    for frame in _one_ahead(frames):
        known = keep(position=position, frame=frame, known=known)
        position += frame.rows.height
        tell(position)
    return position


def _one_ahead(items: Iterator[T]) -> Iterator[T]:
    """The same, each made while the one before is worked on."""
    with ThreadPoolExecutor(1) as maker:
        coming = maker.submit(next, items, None)
        while (item := coming.result()) is not None:
            coming = maker.submit(next, items, None)
            yield item


def _put_together(held: Held, came: CameWhole, path: Path) -> None:
    digest = hashlib.sha256()
    with path.open("wb") as file:
        for number in range(came.pieces):
            piece = read_piece(held.uow, lease=held.lease, number=number)
            digest.update(piece)
            file.write(piece)
    if digest.digest() != came.digest:
        raise Invalid(
            f"what came of '{came.name}' is another file than was said (its SHA-256 differs); give it up, send it anew",
            field="sha256",
            value=digest.hexdigest(),
        )


def clear(uow: UnitOfWork) -> None:
    """Give up what nobody sent on, and remove what was read of files that were given up."""
    for each in uploads.give_up_left(uow, at=now()):
        while uploads.remove_rows(uow, upload=each):
            pass
    for each in uploads.left_over(uow, at=now()):
        while uploads.remove_left(uow, export=each):
            pass
