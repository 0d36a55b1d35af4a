"""Reading CloudEvents: every digit of a number is kept, whatever its JSON form."""

import json
from decimal import Decimal

import pytest

from gradumen.core.errors import Invalid, TooLarge, WrongMediaType
from gradumen.core.metering.readings import Reading
from gradumen.feeds.cloudevents import BATCH, MOST_EVENTS, SINGLE, read_events
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
