"""What can be written of a feed that the service fetches itself."""

from datetime import datetime, timedelta

from gradumen.core.catalogue.services import Combine
from gradumen.core.errors import Invalid
from gradumen.core.metering.pulls import (
    COUNTED,
    LEAST_EVERY,
    MOST_EVERY,
    MOST_SETTLES,
    How,
    PullKind,
    check_step,
    hour_of,
)
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.wire.metering.pulls import PullForm, PullQueryForm


def checked_form(tx: Session, form: PullForm, now: datetime) -> PullForm:
    """A pull that can be, its first hour a whole one.

    Raises:
        Invalid: it cannot be; names the field, the value and the limit.
    """
    check_step(form.step_seconds)
    for field, least, most in (("every_minutes", LEAST_EVERY, MOST_EVERY), ("settles_minutes", 0, MOST_SETTLES)):
        value = getattr(form, field)
        if not least <= value <= most:
            raise Invalid(f"{field} lies between {least} and {most}; got {value}", field=field, value=value)
    if form.starts_at.tzinfo is None or not now - timedelta(days=400) <= form.starts_at <= now + timedelta(days=31):
        raise Invalid(
            "starts_at is a time with zone, at most 400 days back and 31 days ahead", field="starts_at",
            value=form.starts_at,
        )  # fmt: skip
    if form.kind.measured is not bool(form.queries):
        raise Invalid(
            "say what is asked: at least one query" if form.kind.measured else "files are fetched without queries",
            field="queries",
        )
    names = [each.name for each in form.queries]
    twice = next((each for each in names if names.count(each) > 1), None)
    if twice is not None:
        raise Invalid(f"two queries are called '{twice}'; give each its own name", field="queries", value=twice)
    published = load_published(tx)
    for place, each in enumerate(form.queries):
        if each.meter not in published.meters:
            raise Invalid(
                f"meter '{each.meter[:60]}' is not known; use service/meter of a published service",
                field=f"queries[{place}].meter",
                value=each.meter,
            )
        _check_how(form.kind, each, published, place)
    meters = [each.meter for each in form.queries]
    twice = next((each for each in meters if meters.count(each) > 1), None)
    if form.kind is PullKind.OPENSTACK_SERVERS and twice is not None:
        raise Invalid(
            f"two queries count meter '{twice}', which would count each server twice; drop one", field="queries"
        )
    return form.model_copy(update={"starts_at": hour_of(form.starts_at)})


def _check_how(kind: PullKind, queried: PullQueryForm, published: Published, place: int) -> None:
    """Check that what a query counts is what is told, and what its meter counts.

    Raises:
        Invalid: it is not, or its servers could not be told apart.
    """

    def wrong(field: str, said: str) -> Invalid:
        return Invalid(said, field=f"queries[{place}].{field}", value=getattr(queried, field))

    meter = published.meters[queried.meter]
    of_servers, held = kind is PullKind.OPENSTACK_SERVERS, meter.combine is Combine.HELD
    if of_servers is not (queried.how is How.HELD):
        kinds = "of servers is told what holds; how is 'held'" if of_servers else "'held' is told of servers alone"
        raise wrong("how", kinds)
    if of_servers is not held:
        needed = "one that counts what holds until it changes" if of_servers else "one of readings that have an end"
        raise wrong("meter", f"meter '{queried.meter}' does not fit: {needed} is needed")
    if not of_servers:
        if queried.phases:
            raise wrong("phases", "phases are those of servers; leave them out")
        return
    if queried.query not in COUNTED:
        raise wrong("query", f"of servers is counted one of {', '.join(COUNTED)}; got '{queried.query[:60]}'")
    unit = COUNTED[queried.query] or meter.counted
    if unit is None:
        raise wrong("query", f"meter '{queried.meter}' counts no {queried.query}: it does not say what is counted")
    if queried.unit != unit:
        raise wrong("unit", f"{queried.query} are told in {unit}; got '{queried.unit}'")
    if "id" not in queried.resource:
        raise wrong("resource", "names of servers repeat; have the label id among those of the resource")
    phases = published.services[queried.meter.partition("/")[0]].phases
    unknown = next((each for each in queried.phases.values() if each not in phases), None)
    if unknown is not None:
        raise wrong("phases", f"phase '{unknown[:60]}' is none of its service's: {', '.join(phases) or 'it has none'}")
