"""Reading CloudEvents: every digit of a number is kept, whatever its JSON form."""

import json
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid, TooLarge, WrongMediaType
from gradumen.core.metering.readings import Reading
from gradumen.feeds.cloudevents import BATCH, MOST_EVENTS, SINGLE, read_events
from gradumen.feeds.event_batches import read_plain
from tests.world import reading


@pytest.mark.parametrize("written", ['"12345678901234567890.123456"', "12345678901234567890.123456"])
def test_numbers_keep_every_digit(written: str) -> None:
    body = json.dumps(reading("a", quantity="QUANTITY")).replace('"QUANTITY"', written).encode()
    found = read_events(SINGLE, {}, body)[0]
    assert isinstance(found, Reading)
    assert found.quantity == Decimal("12345678901234567890.123456")


def test_binary_mode_takes_the_attributes_from_headers() -> None:
    event = reading("ignored")
    headers = {"ce-specversion": "1.0", "ce-type": "gradumen.reading.v1", "ce-source": "/sites/%C3%A9", "ce-id": "a b"}
    found = read_events("application/json; charset=utf-8", headers, json.dumps(event["data"]).encode())[0]
    assert isinstance(found, Reading)
    assert (found.source, found.id) == ("/sites/é", "a b")


def test_what_cannot_be_read_at_all_is_refused_whole() -> None:
    with pytest.raises(WrongMediaType):
        read_events("text/plain", {}, b"[]")
    with pytest.raises(Invalid):
        read_events(BATCH, {}, b"{}")
    with pytest.raises(TooLarge):
        read_events(BATCH, {}, json.dumps([{}] * (MOST_EVENTS + 1)).encode())
    assert read_events(BATCH, {}, b"[]") == []


def _same(body: bytes) -> bool:
    """Whether the quick way gives what the general one gives; and whether it was taken."""
    plain = read_plain(body)
    if plain is not None:
        assert plain == _each(body)
    return plain is not None


def _each(body: bytes) -> list[object]:
    """What the general way makes of a batch: each event by itself, as it stands in the text."""
    found = json.loads(body, parse_float=Decimal)
    return [read_events(SINGLE, {}, json.dumps(event, default=str).encode())[0] for event in found]


@pytest.mark.parametrize(
    "change",
    [
        {}, {"quantity": "0.50"}, {"account": "a-1"}, {"sequence": 7}, {"attributes": {}}, {"attributes": None},
        {"owner": None}, {"start": "2026-09-10T02:00:00+02:00"},
    ],
)  # fmt: skip
def test_a_plain_batch_is_read_as_its_events_are(change: dict[str, object]) -> None:
    events = [reading(str(n)) for n in range(3)]
    events[1]["data"].update(change)
    assert _same(json.dumps(events).encode())
    assert _same(json.dumps(events, indent=2).encode())


def test_a_number_that_is_no_text_is_plain_too() -> None:
    body = json.dumps([reading("a", quantity="QUANTITY")]).replace('"QUANTITY"', "12.50").encode()
    found = read_plain(body)
    assert found is not None
    assert found[0].quantity == Decimal("12.5")


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ('"id": "a"', '"id": "a", "id": "a"'),
        ('"id": "a"', '"id": "a", "i\\u0064": "b"'),
        ('"id": "a"', '"id" :"a", "id" :"a"'),
        ('"id": "a"', '"id": ""'),
        ('"id": "a"', '"id": "a", "extension": 1'),
        ('"owner": "', '"owner": "x/y", "owner": "'),
        ('"owner": "', '"owner": "\u200b'),
        ('"attributes": {', '"attributes": {"zone": "a", "zone": "b", '),
        ('"attributes": {', '"attributes": {"zone": 1, '),
        ('"quantity": "', '"quantity": "-'),
        ('"quantity": "', '"quantity": "x'),
        ('"quantity": ', '"sequence": 1.0, "quantity": '),
        ('"quantity": ', '"sequence": true, "quantity": '),
        ('"quantity": ', '"sequence": 1, "sequence": 2, "quantity": '),
        ('"specversion": "1.0"', '"specversion": "0.3"'),
        ('"start": "', '"start": "9'),
        ('"source": "', '"source": ":'),
    ],
)
def test_what_is_odd_goes_the_general_way(old: str, new: str) -> None:
    text = json.dumps([reading("a", attributes={"site": "north-fell"}), reading("b")])
    assert old in text
    assert not _same(text.replace(old, new, 1).encode())


@given(st.data())
def test_whatever_is_written_into_a_batch_both_ways_agree(data: st.DataObject) -> None:
    text = json.dumps([reading("a"), reading("b")])
    at = data.draw(st.integers(0, len(text)))
    cut = data.draw(st.integers(0, 6))
    written = data.draw(
        st.sampled_from(['"', ":", ",", "{", "}", "0", "-", ".5", "null", " ", "\t", "\x01", "é", "\\"])
    )
    body = (text[:at] + written + text[at + cut :]).encode()
    plain = read_plain(body)
    if plain is not None:
        assert plain == [read_events(SINGLE, {}, each)[0] for each in _split(body)]


def _split(body: bytes) -> list[bytes]:
    decoder, text, at, found = json.JSONDecoder(), body.decode().strip()[1:-1], 0, []
    while text[at:].strip(", \t\r\n"):
        at += len(text[at:]) - len(text[at:].lstrip(", \t\r\n"))
        _, end = decoder.raw_decode(text, at)
        found.append(text[at:end].encode())
        at = end
    return found
