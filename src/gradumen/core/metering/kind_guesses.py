"""What something of unknown kind looks like: common words for common things, as a rule that somebody may confirm.

Nothing is read by a guess: it is shown beside what nothing knows, and becomes a rule once somebody makes one of it.
"""

import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from datetime import date

from gradumen.core.catalogue.services import Meter
from gradumen.core.metering.kinds import Catalogue, Facts, KindRule, Kinds, Sent
from gradumen.core.metering.told_conditions import AllOf, Conditions
from gradumen.core.quotas.measures import Measure

WORDS: Mapping[Measure, frozenset[str]] = {
    Measure.PROCESSORS: frozenset(["vcpu", "vcpus", "cpu", "cpus", "core", "cores", "processor", "processors"]),
    Measure.MEMORY: frozenset(["memory", "mem", "ram"]),
    Measure.STORAGE: frozenset(["storage", "disk", "disks", "disc", "discs", "volume", "volumes", "block", "blocks"]),
    Measure.EGRESS: frozenset(["egress", "outgoing", "outbound", "sent", "transmitted"]),
    Measure.INGEST: frozenset(["ingest", "ingested"]),
    Measure.ADDRESSES: frozenset(["address", "addresses", "ip", "ips"]),
    Measure.MACHINES: frozenset(["instance", "instances", "server", "servers", "machine", "machines", "vm", "vms"]),
}
"""Words for what is measured; who is of whom (an instance's cores) is said last, so machines are looked for last."""
OTHER_NAMES: Mapping[str, tuple[str, ...]] = {
    "size": ("flavor", "flavour", "instance_type", "machine_type", "type"),
    "region": ("zone", "location", "availability_zone", "site"),
    "site": ("region", "zone", "location", "availability_zone"),
    "class": ("disk_class", "storage_class", "volume_type", "tier"),
}
"""What an attribute is called elsewhere."""
_PARTS = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")
_DAY = date(2000, 1, 1)


@dataclass(frozen=True, slots=True)
class Guess:
    """A meter, the unit that its quantity is read in where that is another, and attributes by names that were sent."""

    meter: str
    unit: str | None
    taken: Mapping[str, str]


def guess_kind(sent: Sent, values: Mapping[str, Collection[str]], catalogue: Catalogue) -> Guess | None:
    """What meter something looks like that was sent, of those of a catalogue; None where none does, or several.

    Args:
        values: that its attributes have, as far as they are known.

    >>> from gradumen.core.catalogue.services import Combine
    >>> from gradumen.core.units import parse_unit
    >>> cores = Meter("compute/vcpu", "Processors", parse_unit("vCPU-second", counted="vCPU"), Combine.LEVEL,
    ...               counted="vCPU", measure=Measure.PROCESSORS)
    >>> known = Catalogue({"compute/vcpu": cores}, {"compute": {"size": ("small", "large")}})
    >>> guess_kind(Sent("instance.cores", "cores", (("flavour", "small"),)), {"flavour": {"small"}}, known)
    Guess(meter='compute/vcpu', unit='vCPU', taken={'size': 'flavour'})
    >>> guess_kind(Sent("coffee", "cups", ()), {}, known)
    """
    for measure in _things(sent):
        found = [guess for meter in _meters(measure, catalogue) if (guess := _read(sent, meter, values, catalogue))]
        if found:
            return found[0] if len(found) == 1 else None
    return None


def words_of(text: str) -> list[str]:
    """The words of a name, in small letters.

    >>> words_of("disk.root.size"), words_of("VCPUHours"), words_of("bytesSent")
    (['disk', 'root', 'size'], ['vcpu', 'hours'], ['bytes', 'sent'])
    """
    return [each.lower() for each in _PARTS.findall(text)]


def _things(sent: Sent) -> Iterator[Measure]:
    """What something may be, the likeliest first: what it is called, then what it is counted in."""
    called = _said(sent.meter)
    yield from called
    if not {*called} - {Measure.MACHINES}:
        yield from _said(sent.unit)


def _said(text: str) -> list[Measure]:
    words = {*words_of(text)}
    return [measure for measure, known in WORDS.items() if known & words]


def _meters(measure: Measure, catalogue: Catalogue) -> list[Meter]:
    """Meters that count a measure; else those that are called like it."""
    counting = [each for each in catalogue.meters.values() if each.measure == measure]
    return counting or [
        each for each in catalogue.meters.values() if WORDS[measure] & {*words_of(each.slug.partition("/")[2])}
    ]


def _read(sent: Sent, meter: Meter, values: Mapping[str, Collection[str]], catalogue: Catalogue) -> Guess | None:
    """The guess by which a meter reads what was sent; None where none does."""
    taken = dict(_taken(values, catalogue.allowed(meter.slug)))
    units = (None, meter.counted) if meter.counted else (None,)
    guesses = (Guess(meter.slug, unit, taken) for unit in units)
    return next((each for each in guesses if _reads(each, sent, catalogue)), None)


def _taken(values: Mapping[str, Collection[str]], allowed: Mapping[str, tuple[str, ...]]) -> Iterator[tuple[str, str]]:
    """Attributes of a service that were sent under another name, with that."""
    for name, known in allowed.items():
        if name not in values:
            for other in OTHER_NAMES.get(name, ()):
                if other in values and (not known or set(values[other]) <= set(known)):
                    yield name, other
                    break


def _reads(guess: Guess, sent: Sent, catalogue: Catalogue) -> bool:
    everything = Conditions(AllOf((), ()))
    rule = KindRule("guess", _DAY, None, everything, guess.meter, (), tuple(guess.taken.items()), guess.unit)
    return Kinds([rule], catalogue).find(Facts("", None, "", ""), sent, _DAY).kind is not None
