"""Fetches the files of a feed that are new or others by now, each taken in by itself."""

from fnmatch import fnmatchcase

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories, Folder, Found
from gradumen.adapters.sources import folder_of
from gradumen.core.errors import GradumenError, Unavailable
from gradumen.core.metering.pulls import MOST_FILES
from gradumen.core.metering.readings import Reading
from gradumen.feeds.cost_files import read_costs
from gradumen.feeds.mapped_files import read_mapped
from gradumen.jobs.leases import Held, now
from gradumen.usecases.metering.imported_costs import Stated
from gradumen.usecases.metering.pulled_files import Fetched, FilesAsked, files_to_fetch, take_fetched
from gradumen.usecases.metering.readings import unreadable
from gradumen.wire.metering.deliveries import content_hash

LONGEST_NAME = 180


def fetch_files(held: Held, door: Door, directories: Directories) -> tuple[str | None, bool]:
    """A run of a feed of files; gives what is wrong with them, if anything, and whether more of them are left.

    Raises:
        GradumenError: the folder is not reached.
    """
    asked = files_to_fetch(held.uow, lease=held.lease, at=now())
    if asked is None:
        return None, False
    with (
        held.step("files") as step,
        folder_of(door.of(asked.seller), directories, asked.seller, asked.form, asked.secret) as folder,
    ):
        due = [each for each in folder.files() if _is_due(asked, each)]
        problems: list[str] = []
        for count, each in enumerate(due[:MOST_FILES]):
            held.progress(count, len(due))
            problem = take_fetched(
                held.uow, lease=held.lease, asked=asked, file=_fetched(asked, folder, each), at=now()
            )
            if problem is not None:
                problems.append(f"{each.name}: {problem}")
        step.result.update(files=len(due[:MOST_FILES]), refused=len(problems))
    if not problems:
        return None, len(due) > MOST_FILES
    others = f"; and {len(problems) - 1} more" if len(problems) > 1 else ""
    return f"{problems[0]}{others}", len(due) > MOST_FILES


def _is_due(asked: FilesAsked, found: Found) -> bool:
    fits = (
        fnmatchcase(found.name, asked.form.names) and 0 < len(found.name) <= LONGEST_NAME and found.name.isprintable()
    )
    return fits and asked.since <= found.modified <= asked.rested and asked.known.get(found.name) != found.mark


def _fetched(asked: FilesAsked, folder: Folder, found: Found) -> Fetched:
    """A file and what it is; what cannot be read is told, what does not answer ends the run."""
    told = (found.name, found.mark, found.size, found.modified)
    try:
        content = folder.read(found)
        if asked.mapping is None:
            stated = Stated.of(found.name, content, found.modified)
            return Fetched(*told, costs=(stated, read_costs(found.name, content, asked.latest)))
        read = read_mapped(found.name, content, asked.mapping)
        items = [each if isinstance(each, Reading) else unreadable(*each) for each in read]
        return Fetched(*told, readings=(content_hash(content, asked.mapping), items))
    except Unavailable:
        raise
    except GradumenError as error:
        return Fetched(*told, problem=error.message)
