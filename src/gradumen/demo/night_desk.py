"""Quillstone's machines on call: woken at dusk, parked at dawn, as the site tells what happens to them."""

import random
from collections.abc import Iterator
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from gradumen.client import Client
from gradumen.client.metering.readings import life_event, told_event
from gradumen.demo.fleet import SEED
from gradumen.demo.scenario import PROVIDER

FEED, NAME, SOURCE = "night-desk", "Machines on call at South Quay", "/sites/south-quay/on-call"
MACHINES = ("measuring-1", "measuring-2")
DUSK, DAWN = time(17, 10, tzinfo=UTC), time(6, 5, tzinfo=UTC)


def connect(mara: Client, first: date, now: datetime) -> int:
    """Its feed, and what happened since a day; gives how many events that were."""
    mara.feeds.create(PROVIDER, slug=FEED, name=NAME)
    return send(mara, first, now)


def send(mara: Client, since: date, now: datetime) -> int:
    """What happened since a day; what is known already does no harm."""
    told = now.replace(minute=0, second=0, microsecond=0)
    events = [
        each
        for each in happenings(since.replace(day=1), now.date())
        if datetime.fromisoformat(each["data"]["at"]) <= told
    ]
    events = [each for each in events if datetime.fromisoformat(each["data"]["at"]).date() >= since]
    outcomes = mara.readings.send_all(f"{PROVIDER}/{FEED}", [*events, told_event(SOURCE, f"told-{told}", told)])
    return sum(len(outcome.outcomes) for outcome in outcomes)


def happenings(first: date, last: date) -> Iterator[dict[str, Any]]:
    """What happens to each machine: it is made on the first day, and woken for most nights, the second for fewer."""
    for number, machine in enumerate(MACHINES):
        yield _event("made", machine, datetime.combine(first, time(9, 30, tzinfo=UTC)), "parked")
        for ordinal in range(first.toordinal(), last.toordinal() + 1):
            day = date.fromordinal(ordinal)
            chance = random.Random(f"{SEED}/{machine}/{day}")
            if number and chance.random() < 0.3:
                continue
            dusk = datetime.combine(day, DUSK) + timedelta(minutes=chance.randint(0, 50))
            dawn = datetime.combine(day + timedelta(days=1), DAWN) + timedelta(minutes=chance.randint(-40, 40))
            yield _event("phase-changed", machine, dusk, "awake")
            yield _event("phase-changed", machine, dawn, "parked")


def _event(kind: str, machine: str, at: datetime, phase: str) -> dict[str, Any]:
    said = {"meter": "on-call/time", "resource": machine, "owner": "quillstone/survey", "phase": phase}
    return life_event(kind, SOURCE, f"{machine}-{kind}-{at:%Y%m%dT%H%M}", {**said, "at": f"{at:%Y-%m-%dT%H:%M:%SZ}"})
