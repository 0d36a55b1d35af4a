"""Up to when all is here that feeds tell or are asked for: what is closed before that lacks something."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from gradumen.core.metering.pulls import PullKind
from gradumen.core.periods import midnight
from gradumen.store.metering.cost_estimates import estimated_before
from gradumen.store.metering.pulls import pulls_of
from gradumen.store.metering.spells import sources_behind
from gradumen.store.organisations.tables import OrganisationRow, Tree
from gradumen.store.unit_of_work import Session
from gradumen.wire.metering.pulls import PullForm


@dataclass(frozen=True, slots=True)
class Lacking:
    """What a feed lacks of a span of time: ``until`` is up to when all is here."""

    feed: str
    until: datetime
    why: str


def lacking(tx: Session, seller: OrganisationRow, tree: Tree, end: datetime) -> list[Lacking]:
    """The feeds of a seller by which something from before a moment may still come.

    Of feeds of those above it, whose services it sells, it is told no more than that.
    """
    found = list(_of(tx, seller.id, seller.slug, end))
    above = [each for one in tree.chain(seller.id)[1:] for each in _of(tx, one, "", end)]
    if above:
        found.append(Lacking("", min(each.until for each in above), "not all that your supplier measures is here"))
    return found


def _of(tx: Session, seller: UUID, slug: str, end: datetime) -> Iterator[Lacking]:
    for feed, pull in pulls_of(tx, seller):
        form = PullForm.model_validate(pull.form)
        if PullKind(pull.kind).measured and form.starts_at < end and pull.complete_until < end:
            why = "it is paused" if pull.paused else pull.problem or "later hours are still to be fetched"
            yield Lacking(f"{slug}/{feed.slug}", pull.complete_until, why)
    for each in estimated_before(tx, seller, end):
        days = "a day are an estimate" if each.days == 1 else f"{each.days} days are estimates"
        yield Lacking(f"{slug}/{each.feed}", midnight(each.first), f"costs of {days}")
    for feed_slug, source, until, count in sources_behind(tx, seller, end):
        goes_on = "a resource is" if count == 1 else f"{count} resources are"
        yield Lacking(f"{slug}/{feed_slug}", until, f"{goes_on} still there of which {source} has told no more")


def in_words(found: list[Lacking]) -> str:
    """What is lacking, feed by feed.

    >>> from datetime import UTC
    >>> in_words([Lacking("tarnwick/a", datetime(2026, 11, 30, 22, tzinfo=UTC), "it is paused")])
    'feed tarnwick/a: all is here until 2026-11-30 22:00 UTC, it is paused'
    """
    return "; ".join(
        f"{f'feed {each.feed}: ' if each.feed else ''}all is here until {each.until:%Y-%m-%d %H:%M} UTC, {each.why}"
        for each in found
    )
