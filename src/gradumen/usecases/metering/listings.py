"""Lists of all that is there come in: whole or not at all; what one misses ended when it was last said to be there."""

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any

from gradumen.core.catalogue.services import Combine
from gradumen.core.errors import Conflict, Invalid
from gradumen.core.metering.life_events import Listing
from gradumen.core.metering.readings import Reading
from gradumen.store.metering import listings as store
from gradumen.store.metering.stale_usage import mark_stale
from gradumen.store.metering.tables import FeedRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.metering.stored_readings import ACCEPTED, KNOWN, REFUSED, Checked, Outcome

MOST_AT_ONCE = 20_000


class Listings:
    """The lists of a batch, and what they say of each resource: ``readings``, which come after its items."""

    def __init__(
        self, tx: Session, feed: FeedRow, items: Sequence[Any], first: int, outcomes: dict[int, Outcome], now: datetime
    ) -> None:
        """Those that are known already, or cannot be, get their outcomes at once."""
        found = [(index, each) for index, each in enumerate(items, first) if isinstance(each, Listing)]
        known = store.known_listings(tx, feed.id, {(each.source, each.id) for _, each in found}) if found else {}
        self._tx, self._feed = tx, feed
        self._published = load_published(tx) if found else None
        self.readings: list[Reading] = []
        self._new: list[tuple[int, Listing, range]] = []
        """Each with its place, and those of what it says of each resource."""
        for index, each in found:
            if (each.source, each.id) in known:
                same = known[each.source, each.id] == each.content
                why = None if same else f"id '{each.id}' is known with other content; a list stands, send a new one"
                outcomes[index] = Outcome(each.id, KNOWN if same else REFUSED, why, None if same else "id")
                continue
            try:
                self._check(each, now)
            except Invalid as problem:
                outcomes[index] = Outcome(each.id, REFUSED, problem.message, problem.facts.get("field"))
                continue
            if len(self.readings) + len(each.readings) > MOST_AT_ONCE:
                said = f"lists of one call have at most {MOST_AT_ONCE} resources together; send this one by itself"
                outcomes[index] = Outcome(each.id, REFUSED, said, "resources")
                continue
            known[each.source, each.id] = each.content
            begins = first + len(items) + len(self.readings)
            self._new.append((index, each, range(begins, begins + len(each.readings))))
            self.readings += each.readings

    def _check(self, listing: Listing, now: datetime) -> None:
        """Check what an empty list says too.

        Raises:
            Invalid: its meter counts nothing that holds until it changes, or it is of the future.
        """
        meter = self._published.meters.get(listing.meter) if self._published else None
        if meter is None or meter.combine is not Combine.HELD:
            raise Invalid(
                f"meter '{listing.meter}' is none that counts what holds until it changes; only of such all is listed",
                field="meter",
                value=listing.meter,
            )
        if listing.at > now:
            said = f"at {listing.at.isoformat()} is in the future; it is {now.isoformat(timespec='seconds')} here"
            raise Invalid(said, field="at", value=listing.at)

    def whole(self, checked: list[Checked], outcomes: dict[int, Outcome]) -> list[Checked]:
        """What was checked, without all of a list of which something is refused."""
        gone: set[int] = set()
        for index, listing, places in self._new:
            wrong = next((each for each in places if each in outcomes and outcomes[each].status == REFUSED), None)
            if wrong is not None:
                resource, why = listing.readings[wrong - places.start].resource, outcomes[wrong]
                outcomes[index] = Outcome(listing.id, REFUSED, f"resource '{resource}': {why.reason}", why.field)
                gone.update(places)
        self._new = [each for each in self._new if each[0] not in outcomes]
        return [each for each in checked if each.index not in gone]

    @property
    def told(self) -> Iterator[tuple[str, datetime]]:
        """A list tells all up to its moment."""
        return ((each.source, each.at) for _, each, _ in self._new)

    def keep(self, delivery: int, outcomes: dict[int, Outcome], at: datetime) -> None:
        """Keep the new lists, and have made again what is missing in them.

        Raises:
            Conflict: an id that a list gives to one of its resources is another reading's; nothing is taken in.
        """
        for index, listing, places in self._new:
            taken = next((each for each in places if each in outcomes and outcomes[each].status == REFUSED), None)
            if taken is not None or self._published is None:
                raise Conflict(f"ids that begin with '{listing.id}/' are known already; give the list another id")
            meter = self._published.meter_ids[listing.meter]
            values = {
                "feed_id": self._feed.id,
                "source": listing.source,
                "event_id": listing.id,
                "content": listing.content,
                "delivery_id": delivery,
                "meter_id": meter,
                "account": listing.account,
                "listed_at": listing.at,
            }
            if not store.add_listing(self._tx, values):
                outcomes[index] = Outcome(listing.id, KNOWN)
                continue
            names = {each.resource for each in listing.readings}
            mark_stale(self._tx, store.missing_in(self._tx, self._feed.id, meter, listing.at, names), at)
            outcomes[index] = Outcome(listing.id, ACCEPTED)
