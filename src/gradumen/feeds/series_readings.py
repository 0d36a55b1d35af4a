"""Series of numbers over an hour, as readings: of counters what they rose by, of levels the spells that they held."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import datetime, timedelta
from decimal import Decimal

from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.core.metering.pulls import BEFORE, How, Sample, Series, Window, rise, sample_value, spells
from gradumen.core.metering.readings import Reading, read_reading
from gradumen.wire.metering.pulls import PullForm, PullQueryForm

Found = Reading | tuple[str, Invalid]
"""A reading, or the id of what cannot be one with why."""
Ask = Callable[[PullQueryForm, datetime, datetime, int], Iterable[Series]]
"""What a query gives from a moment up to another, both included, at steps of so many seconds."""


def hour_readings(ask: Ask, form: PullForm, window: Window) -> Iterator[Found]:
    """What the queries of a pull give for an hour.

    Raises:
        Conflict, Unavailable: as the source answers.
    """
    start, end = window
    for queried in form.queries:
        since = start - BEFORE if queried.how is How.COUNTER else start
        series = ask(queried, since, end, form.step_seconds)
        yield from series_readings(queried, series, window, timedelta(seconds=form.step_seconds), form.endpoint)


def series_readings(
    queried: PullQueryForm, series: Iterable[Series], window: Window, step: timedelta, source: str
) -> Iterator[Found]:
    """The readings of a query's series in an hour.

    An id is made of the query, the resource and the start: the same hour gives the same ids whenever it is asked for.
    Two series of one resource add up under ids of their own, told apart by their place in the order of their labels.

    Args:
        source: by which readings say where they come from, as the address that was asked.
    """
    times: dict[tuple[str, datetime], int] = {}
    for labels, raw in sorted(series, key=lambda each: sorted(each[0].items())):
        named = _named(queried, labels)
        try:
            resource = _resource(queried, labels)
            samples = [(at, sample_value(value)) for at, value in raw]
            quantities = list(_quantities(queried, samples, window, step))
        except Invalid as problem:
            yield f"{queried.name}/{named}/{window[0]:%Y-%m-%dT%H}", problem
            continue
        for start, end, quantity in quantities:
            nth = times[resource, start] = times.get((resource, start), 0) + 1
            several = f"/{nth}" if nth > 1 else ""
            identity = f"{queried.name}/{resource}/{start:%Y-%m-%dT%H:%M}{several}"
            yield _reading(queried, labels, resource, source, identity, (start, end, quantity))


def _named(queried: PullQueryForm, labels: Mapping[str, str]) -> str:
    return "/".join(labels.get(each, "?") for each in queried.resource)[:120]


def _resource(queried: PullQueryForm, labels: Mapping[str, str]) -> str:
    missing = [each for each in (*queried.resource, *queried.attributes.values()) if not labels.get(each)]
    if missing:
        has = ", ".join(sorted(labels))[:200] or "none"
        raise Invalid(f"a series of '{queried.name}' has no label {', '.join(missing)}; it has {has}", field="query")
    return "/".join(labels[each] for each in queried.resource)


def _quantities(
    queried: PullQueryForm, samples: list[Sample], window: Window, step: timedelta
) -> Iterator[tuple[datetime, datetime, Decimal]]:
    start, end = window
    if queried.how is How.LEVEL:
        yield from spells(samples, start, end, step)
        return
    rose = rise(samples, start, end)
    if rose:
        yield start, end, rose


def _reading(
    queried: PullQueryForm,
    labels: Mapping[str, str],
    resource: str,
    source: str,
    identity: str,
    held: tuple[datetime, datetime, Decimal],
) -> Found:
    start, end, quantity = held
    data = {
        "owner": labels.get(queried.owner) or None if queried.owner else None,
        "account": labels.get(queried.account) or None if queried.account else None,
        "resource": resource,
        "meter": queried.meter,
        "quantity": text(quantity),
        "unit": queried.unit,
        "start": start.isoformat(),
        "end": end.isoformat(),
        "attributes": {attribute: labels[label] for attribute, label in queried.attributes.items()},
    }
    try:
        return read_reading(source, identity, data)
    except Invalid as problem:
        return identity[:191], problem
