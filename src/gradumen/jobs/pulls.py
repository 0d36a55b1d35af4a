"""Fetches the usage of a feed, hour by hour: asks outside of any transaction, takes in within one an hour."""

from gradumen.adapters.door import Door
from gradumen.adapters.folders import Directories
from gradumen.adapters.sources import source_of
from gradumen.core.errors import EditedMeanwhile, GradumenError, Unavailable
from gradumen.core.metering.readings import Reading
from gradumen.feeds.series_readings import hour_readings
from gradumen.jobs.leases import Held, now
from gradumen.jobs.pulled_files import fetch_files
from gradumen.jobs.pulled_servers import fetch_servers
from gradumen.usecases.metering.pull_runs import end_run, pull_to_do, take_hour
from gradumen.usecases.metering.pulls import Asking
from gradumen.usecases.metering.readings import unreadable
from gradumen.usecases.tasks import problem_of


def fetch(held: Held, door: Door, directories: Directories) -> None:
    """A run of a feed: hours, servers or files that are due. What goes wrong outside is told on it, and tried again."""
    problem, passing, more = None, False, False
    try:
        asking = pull_to_do(held.uow, lease=held.lease, at=now())
        if not asking.form.kind.measured:
            more = fetch_files(held, door, directories)
        elif not asking.form.kind.hourly:
            fetch_servers(held, door, asking)
        elif asking.windows:
            _hours(held, door, asking)
    except EditedMeanwhile:
        pass  # the next run does as it is set now
    except GradumenError as error:
        problem, passing = error.message, isinstance(error, Unavailable)
    except Exception as error:
        end_run(held.uow, lease=held.lease, problem=problem_of(error), passing=True, at=now())
        raise
    end_run(held.uow, lease=held.lease, problem=problem, passing=passing, more=more, at=now())


def _hours(held: Held, door: Door, asking: Asking) -> None:
    """Take the hours that are due."""
    accepted = refused = 0
    first = f"{asking.windows[0][0]:%Y-%m-%d %H:%M}"
    with (
        held.step("hours", first=first, hours=len(asking.windows)) as step,
        source_of(door.of(asking.seller), asking.form, asking.secret) as source,
    ):
        for count, window in enumerate(asking.windows):
            held.progress(count, len(asking.windows))
            found = hour_readings(source.over, asking.form, window)
            items = [each if isinstance(each, Reading) else unreadable(*each) for each in found]
            taken = take_hour(held.uow, lease=held.lease, asked=asking.form, window=window, items=items, at=now())
            accepted, refused = accepted + taken[0], refused + taken[1]
        step.result.update(accepted=accepted, refused=refused)
    held.progress(len(asking.windows), len(asking.windows))
