"""What happens to a resource, as it comes in from a feed: made, changed, in another phase, gone; and what is all there.

Each says all that is so from its moment on, so that one that is missing costs no more than the time until the next.
"""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from gradumen.core.catalogue.services import PHASE
from gradumen.core.errors import Invalid
from gradumen.core.metering.readings import Reading, Told, hash_of, read_moment, read_reading, read_text

MADE, CHANGED, PHASE_CHANGED, GONE = "made", "changed", "phase-changed", "gone"
LISTED = "listed"


def life_type(kind: str) -> str:
    """The type of an event of a resource.

    >>> life_type(GONE)
    'gradumen.resource.gone.v1'
    """
    return f"gradumen.resource.{kind}.v1"


EVENT_TYPES = {life_type(each): each for each in (MADE, CHANGED, PHASE_CHANGED, GONE)}
LISTING_TYPE, TOLD_TYPE = life_type(LISTED), "gradumen.feed.told.v1"
MOST_LISTED = 5000
"""Resources in one list."""
_AS_IN_READINGS = ("owner", "account", "resource", "meter", "sequence")
_FIELDS = frozenset((*_AS_IN_READINGS, "at", PHASE, "attributes", "quantity", "unit"))
_OF_LIST = ("meter", "at", "account")
_OF_ITEM = _FIELDS - {*_OF_LIST, "sequence"}


@dataclass(frozen=True, slots=True)
class Listing:
    """All that a source has of a meter, and of one account or without any, at a moment: what is not in it is gone."""

    source: str
    id: str
    meter: str
    account: str | None
    at: datetime
    readings: tuple[Reading, ...]
    content: bytes


def read_life_event(kind: str, source: object, identity: object, data: object) -> Reading:
    """Read what happened to a resource, as a reading of what holds from then on (`docs/formats.md`).

    Without a quantity it is one piece; what is gone is none.

    Raises:
        Invalid: names the field, the value, the limit and what to do.

    >>> event = {"meter": "compute/running", "resource": "vm-1", "at": "2026-10-01T08:00:00Z", "phase": "awake"}
    >>> reading = read_life_event("phase-changed", "/cloud", "e-1", event)
    >>> reading.start == reading.end, str(reading.quantity), reading.attributes
    (True, '1', (('phase', 'awake'),))
    """
    facts = _facts(data, _FIELDS, "meter, resource and at")
    found: dict[str, Any] = {name: facts[name] for name in _AS_IN_READINGS if name in facts}
    found["start"] = read_moment(facts.get("at"), "at").isoformat()
    if kind == GONE and "quantity" in facts:
        raise Invalid("what is gone has no quantity; leave it out", field="quantity", value=facts["quantity"])
    if kind == PHASE_CHANGED and facts.get(PHASE) is None:
        raise Invalid("phase is missing; say in which phase the resource is from then on", field=PHASE)
    found["quantity"] = 0 if kind == GONE else facts.get("quantity", 1)
    found["unit"] = facts.get("unit", "piece")
    attributes = facts.get("attributes") or {}
    if facts.get(PHASE) is not None:
        if not isinstance(attributes, Mapping) or PHASE in attributes:
            raise Invalid("phase stands beside attributes, once; leave it out of them", field="attributes")
        attributes = {**attributes, PHASE: read_text(facts[PHASE], PHASE)}
    reading = read_reading(source, identity, found | {"attributes": attributes})
    if kind != GONE and not reading.quantity:
        raise Invalid("quantity 0 is what is gone; send an event of that type", field="quantity", value=0)
    return reading


def read_listing(source: object, identity: object, data: object) -> Listing:
    """Read a list of all that is there, each as a reading of what holds from then on.

    Raises:
        Invalid: names the field, the value, the limit and what to do; of one of them which it is.
    """
    facts = _facts(data, frozenset((*_OF_LIST, "resources")), "meter, at and resources")
    listed = facts.get("resources")
    if not isinstance(listed, list) or len(listed) > MOST_LISTED:
        raise Invalid(
            f"resources is a list of at most {MOST_LISTED}; list accounts apart where there are more", field="resources"
        )
    common = {name: facts[name] for name in _OF_LIST if name in facts}
    found: list[Reading] = []
    for place, item in enumerate(listed):
        try:
            own = _facts(item, _OF_ITEM, "resource")
            found.append(read_life_event(LISTED, source, f"{identity}/{place}", {**own, **common}))
        except Invalid as problem:
            field = problem.facts.get("field", "resources")
            raise Invalid(f"resource {place + 1} of the list: {problem.message}", field=field) from None
    names = [each.resource for each in found]
    twice = next((each for each, count in Counter(names).items() if count > 1), None)
    if twice is not None:
        raise Invalid(f"resource '{twice}' stands twice in the list; keep one", field="resources", value=twice)
    meter, account = read_text(facts.get("meter"), "meter"), facts.get("account")
    account = None if account is None else read_text(account, "account")
    at = read_moment(facts.get("at"), "at")
    return listing_of(read_text(source, "source"), read_text(identity, "id"), meter, account, at, found)


def listing_of(
    source: str, identity: str, meter: str, account: str | None, at: datetime, readings: Sequence[Reading]
) -> Listing:
    """A list of what is there, each resource in it once."""
    content = hash_of(meter, account or "", at.isoformat(), *(each.content.hex() for each in readings))
    return Listing(source, identity, meter, account, at, tuple(readings), content)


def read_told(source: object, identity: object, data: object) -> Told:
    """Read that a source has sent all that it has to say up to a moment.

    Raises:
        Invalid: names the field, the value, the limit and what to do.
    """
    facts = _facts(data, frozenset({"until"}), "until")
    return Told(read_text(source, "source"), read_text(identity, "id"), read_moment(facts.get("until"), "until"))


def _facts(data: object, known: frozenset[str], needed: str) -> Mapping[str, Any]:
    if not isinstance(data, Mapping):
        raise Invalid(f"data must be an object with {needed}", field="data")
    unknown = set(data) - known
    if unknown:
        names = ", ".join(sorted(map(str, unknown)))[:100]
        raise Invalid(f"data has unknown fields {names}; remove them", field="data")
    return data
