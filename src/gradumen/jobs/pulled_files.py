"""Fetches the files of a feed that are new or others by now, each taken in by itself."""

from datetime import date
from functools import partial
from pathlib import Path
from tempfile import NamedTemporaryFile

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories, Folder, Found
from gradumen.adapters.sources import folder_of
from gradumen.core.errors import GradumenError, Unavailable, whole_text
from gradumen.core.metering.pulls import MOST_FILES, file_fits
from gradumen.core.metering.readings import Reading
from gradumen.feeds.cost_files import cost_frames
from gradumen.feeds.mapped_files import read_mapped
from gradumen.jobs.cost_uploads import keep_all
from gradumen.jobs.leases import Held, now
from gradumen.usecases.metering.cost_sets import Stated
from gradumen.usecases.metering.pulled_files import (
    Fetched,
    FilesAsked,
    begin_costs,
    files_to_fetch,
    forget_gone,
    keep_costs,
    take_fetched,
)
from gradumen.usecases.metering.readings import unreadable
from gradumen.wire.metering.deliveries import content_hash

LONGEST_NAME = 180


def fetch_files(held: Held, door: Door, directories: Directories) -> bool:
    """A run of a feed of files; gives whether more of them are left.

    Raises:
        GradumenError: the folder is not reached.
    """
    asked = files_to_fetch(held.uow, lease=held.lease, at=now())
    if asked is None:
        return False
    with (
        held.step("files") as step,
        folder_of(door.of(asked.seller), directories, asked.seller, asked.form, asked.secret) as folder,
    ):
        there = folder.files()
        forget_gone(held.uow, lease=held.lease, there=[_noted(each.name) for each in there])
        due = [each for each in there if _is_due(asked, each)]
        refused = 0
        for count, each in enumerate(due[:MOST_FILES]):
            held.progress(count, len(due))
            file = _fetched(held, asked, folder, each)
            refused += not take_fetched(held.uow, lease=held.lease, asked=asked, file=file, at=now())
        step.result.update(files=len(due[:MOST_FILES]), refused=refused)
    return len(due) > MOST_FILES


def _is_due(asked: FilesAsked, found: Found) -> bool:
    fits = file_fits(asked.form.names, asked.form.starts_at, found.name, found.modified)
    return fits and found.modified <= asked.rested and asked.known.get(_noted(found.name)) != found.mark


def _noted(name: str) -> str:
    """A name as it is noted: one that is too long by its beginning."""
    return whole_text(name[:LONGEST_NAME])


def _read_costs(held: Held, stated: Stated, content: bytes, latest: date) -> int | None:
    """Keep a cost file's rows; gives the number of its export, None where it came before.

    What is kept of one that is refused is removed with all that never counted.
    """
    export = begin_costs(held.uow, lease=held.lease, stated=stated, at=now())
    if export is None:
        return None
    with NamedTemporaryFile() as file:
        file.write(content)
        file.flush()
        keep = partial(keep_costs, held.uow, lease=held.lease, export=export)
        keep_all(cost_frames(stated.name, Path(file.name), latest), keep, lambda _: None)
    return export


def _fetched(held: Held, asked: FilesAsked, folder: Folder, found: Found) -> Fetched:
    """A file and what it is; what cannot be read is told, what does not answer ends the run."""
    told = (_noted(found.name), found.mark, found.size, found.modified)
    if found.name != told[0] or not found.name.isprintable():
        return Fetched(*told, problem=f"its name has more than {LONGEST_NAME} characters, or some that cannot be shown")
    try:
        content = folder.read(found)
        if asked.mapping is None:
            confirmed = asked.confirmed.get(told[0]) == found.mark
            stated = Stated.of(found.name, content, found.modified, confirmed=confirmed)
            export = _read_costs(held, stated, content, asked.latest)
            return Fetched(*told, costs=(stated, export))
        read = read_mapped(found.name, content, asked.mapping)
        items = [each if isinstance(each, Reading) else unreadable(*each) for each in read]
        return Fetched(*told, readings=(content_hash(content, asked.mapping), items))
    except Unavailable:
        raise
    except GradumenError as error:
        return Fetched(*told, problem=error.message)
