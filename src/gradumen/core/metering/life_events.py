"""What happens to a resource, as it comes in from a feed: made, changed, in another phase, gone.

Each says all that is so from its moment on, so that one that is missing costs no more than the time until the next.
"""

from collections.abc import Mapping
from typing import Any

from gradumen.core.catalogue.services import PHASE
from gradumen.core.errors import Invalid
from gradumen.core.metering.readings import Reading, Told, read_moment, read_reading, read_text

MADE, CHANGED, PHASE_CHANGED, GONE = "made", "changed", "phase-changed", "gone"
EVENT_TYPES = {f"gradumen.resource.{each}.v1": each for each in (MADE, CHANGED, PHASE_CHANGED, GONE)}
TOLD_TYPE = "gradumen.feed.told.v1"
_AS_IN_READINGS = ("owner", "account", "resource", "meter", "sequence")
_FIELDS = frozenset((*_AS_IN_READINGS, "at", PHASE, "attributes", "quantity", "unit"))


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
