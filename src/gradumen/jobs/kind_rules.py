"""Has read anew what changed rules of kind reach, feed by feed."""

from collections.abc import Iterator, Sequence

from gradumen.jobs.leases import Held, now
from gradumen.usecases.metering.kind_groups import Group, Segment
from gradumen.usecases.metering.read_again import (
    BATCH,
    MOST_GROUPS,
    feeds_to_read,
    groups_to_read,
    read_groups_again,
)


def read_again(held: Held) -> None:
    """Read all of it; what was read before it was stopped is not read again."""
    wanted = feeds_to_read(held.uow, lease=held.lease)
    done = total = 0
    for segment in wanted.segments:
        for feed in wanted.feeds:
            groups = groups_to_read(held.uow, lease=held.lease, feed=feed, segment=segment)
            total += sum(each.readings for each in groups)
            if groups:
                with held.step(f"readings from {segment[0]}", until=f"{segment[1]}") as step:
                    before = done
                    for some in _together(groups):
                        done += _read(held, feed, some, segment)
                        held.progress(done, total)
                    step.result["readings"] = done - before
    held.progress(done, done)


def _together(groups: Sequence[Group]) -> Iterator[list[Group]]:
    """Groups as they are read together: some of them, of not many more readings than one transaction has."""
    found: list[Group] = []
    readings = 0
    for each in groups:
        found.append(each)
        readings += each.readings
        if len(found) == MOST_GROUPS or readings >= BATCH:
            yield found
            found, readings = [], 0
    if found:
        yield found


def _read(held: Held, feed: int, groups: Sequence[Group], segment: Segment) -> int:
    """Read groups anew; gives how many readings."""
    count, after, more = 0, None, True
    while more:
        made, after = read_groups_again(
            held.uow, lease=held.lease, feed=feed, groups=groups, segment=segment, after=after, at=now()
        )
        count += made
        more = after is not None
    return count
