"""Rules of kind as they are written: conditions, and what a reading is that fulfils them."""

from collections.abc import Mapping
from datetime import date
from typing import Any

from gradumen.core.metering.kinds import KindRule
from gradumen.wire.metering.condition_forms import TogetherForm, conditions_of, read_conditions
from gradumen.wire.metering.told_forms import WrittenTold


class KindTogetherForm(TogetherForm):
    """All of these hold: as of ownership, and the unit that something was sent in, of a meter that is not published."""

    unit: WrittenTold | None = None


class KindForm(KindTogetherForm):
    """All of these hold, of ``any`` at least one, of ``none`` none: each is conditions that hold together."""

    any: list[KindTogetherForm] = []
    none: list[KindTogetherForm] = []


def read_kind_conditions(raw: object) -> dict[str, Any]:
    """Check the conditions of a rule, as written.

    Raises:
        Invalid: with ``path`` in its facts; a rule has at least one condition.
    """
    return read_conditions(KindForm, raw)


def kind_rule(
    name: str, starts_on: date, ends_on: date | None, conditions: Mapping[str, Any], kind: Mapping[str, Any]
) -> KindRule:
    """The rule of conditions that `read_kind_conditions` has checked, and of what it says, as it is kept."""
    return KindRule(
        name,
        starts_on,
        ends_on,
        conditions_of(conditions),
        kind["meter"],
        tuple(sorted(kind.get("attributes", {}).items())),
        tuple(sorted(kind.get("taken", {}).items())),
        kind.get("unit"),
        kind.get("times"),
    )


def kind_words(
    meter: str, attributes: Mapping[str, str], taken: Mapping[str, str], unit: str | None, times: str | None
) -> str:
    """What a rule says that readings are, in words.

    >>> kind_words("gpu/hours", {"tier": "fast"}, {"model": "card"}, "hour", "gpu_count")
    'gpu/hours with tier fast, model as card says, in hour, times gpu_count'
    """
    said = [f"{name} {value}" for name, value in sorted(attributes.items())]
    said += [f"{name} as {source} says" for name, source in sorted(taken.items())]
    if unit:
        said.append(f"in {unit}")
    if times:
        said.append(f"times {times}")
    return f"{meter} with {', '.join(said)}" if attributes or taken else ", ".join([meter, *said])
