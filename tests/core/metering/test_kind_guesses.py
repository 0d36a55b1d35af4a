"""What things of unknown kind look like: common words lead to a meter that reads them, and never to two."""

from collections.abc import Iterable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.catalogue.services import Combine, Meter
from gradumen.core.metering.kind_guesses import OTHER_NAMES, WORDS, Guess, guess_kind
from gradumen.core.metering.kinds import Catalogue, Sent
from gradumen.core.quotas.measures import Measure
from gradumen.core.units import parse_unit


def meter(slug: str, unit: str, combine: Combine, measure: Measure | None = None, counted: str | None = None) -> Meter:
    return Meter(slug, slug, parse_unit(unit, counted=counted), combine, counted=counted, measure=measure)


CORES = meter("compute/vcpu", "vCPU-second", Combine.LEVEL, Measure.PROCESSORS, "vCPU")
MEMORY = meter("compute/memory", "byte-second", Combine.LEVEL, Measure.MEMORY)
DISCS = meter("storage/discs", "byte-second", Combine.LEVEL, Measure.STORAGE)
OUT = meter("network/egress", "byte", Combine.SUM, Measure.EGRESS)
HELD = meter("compute/there", "piece-second", Combine.HELD)


def known(*meters: Meter) -> Catalogue:
    sizes = {"size": ("small", "large"), "region": ()}
    return Catalogue(
        {each.slug: each for each in meters}, {"compute": sizes, "storage": {}, "network": {}, "two": sizes}
    )


ALL = known(CORES, MEMORY, DISCS, OUT, HELD)


def look(name: str, unit: str, catalogue: Catalogue = ALL, **said: str) -> Guess | None:
    return guess_kind(Sent(name, unit, tuple(said.items())), {each: {value} for each, value in said.items()}, catalogue)


@pytest.mark.parametrize(
    ("name", "unit", "wanted", "read_as"),
    [
        ("vcpus", "vCPU", CORES, None),
        ("instance.cores", "cores", CORES, "vCPU"),
        ("CPUHours", "vCPU-hour", CORES, None),
        ("instance.memory.usage", "MiB", MEMORY, None),
        ("RAM", "GiB-Hours", MEMORY, None),
        ("disk.root.size", "GiB", DISCS, None),
        ("volumeUsage", "GB-Hours", DISCS, None),
        ("network.outgoing.bytes", "byte", OUT, None),
        ("BytesSent", "Bytes", OUT, None),
        ("something", "cores", CORES, "vCPU"),
    ],
)
def test_common_things_are_known_by_their_words(name: str, unit: str, wanted: Meter, read_as: str | None) -> None:
    found = look(name, unit)
    assert found is not None and (found.meter, found.unit) == (wanted.slug, read_as)


@pytest.mark.parametrize(
    ("name", "unit"),
    [("coffee", "cup"), ("network.outgoing.bytes", "packet"), ("memory", "vCPU"), ("", ""), ("instances", "piece")],
)
def test_what_no_meter_reads_looks_like_nothing(name: str, unit: str) -> None:
    assert look(name, unit) is None


def test_of_several_that_read_it_none_is_chosen() -> None:
    other = meter("two/vcpu", "vCPU-second", Combine.LEVEL, Measure.PROCESSORS, "vCPU")
    assert look("cores", "vCPU", known(CORES, other)) is None
    # One that counts the measure is meant rather than one that is only called so.
    called = meter("two/cpu", "vCPU-second", Combine.LEVEL, None, "vCPU")
    found = look("cores", "vCPU", known(CORES, called))
    assert found is not None and found.meter == "compute/vcpu"


def test_attributes_are_taken_from_other_names_where_their_values_are_known() -> None:
    def taken(**said: str) -> object:
        found = look("vcpus", "vCPU", **said)
        return found and found.taken

    assert taken(flavour="large", zone="north-2", colour="red") == {"size": "flavour", "region": "zone"}
    assert taken(flavour="enormous", size="small") == {}
    assert taken(flavour="enormous") == {}
    assert look("vcpus", "vCPU", size="enormous") is None, "it says a size that no rule could read"


def test_what_holds_until_the_next_looks_like_what_is_held() -> None:
    held = guess_kind(Sent("there", "piece", (), held=True), {}, ALL)
    assert held is None, "no common word"
    named = known(meter("compute/servers", "piece-second", Combine.HELD))
    found = guess_kind(Sent("servers", "piece", (), held=True), {}, named)
    assert found is not None and found.meter == "compute/servers"
    assert guess_kind(Sent("servers", "piece", ()), {}, named) is None


words = st.sampled_from(sorted({word for each in WORDS.values() for word in each} | {"of", "x", "hours", "Überlast"}))
units = st.sampled_from(["vCPU", "cores", "GiB", "byte", "GB-hour", "piece", "cups", "", "byte-hour"])
names = st.sampled_from(sorted({name for each in OTHER_NAMES.values() for name in each} | {*OTHER_NAMES, "colour"}))


@given(st.lists(words, max_size=4), units, st.dictionaries(names, st.sampled_from(["small", "large", "x"]), max_size=4))
def test_a_guess_is_always_one_that_reads_it(said: Iterable[str], unit: str, attributes: dict[str, str]) -> None:
    found = look(".".join(said), unit, **attributes)
    if found is not None:
        assert found.meter in ALL.meters
        assert set(found.taken.values()) <= set(attributes) and not set(found.taken) & set(attributes)
