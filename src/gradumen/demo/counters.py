"""Counters of South Quay: what its switches and stores measure, which the service fetches itself, hour by hour."""

import random
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta

from gradumen.client import Client
from gradumen.core.metering.pulls import How
from gradumen.demo.fleet import SEED
from gradumen.demo.metrics import SimulatedMetrics, Value
from gradumen.demo.scenario import PROVIDER
from gradumen.wire.metering.pulls import PullForm, PullQueryForm

FEED, NAME = "quay-counters", "Counters of South Quay"
TOKEN = "token-of-the-simulated-metrics"
SENT, STORED = "sum by (port, project, site) (port_sent_bytes_total)", "bucket_bytes"
PORTS: tuple[tuple[Mapping[str, str], int], ...] = (
    ({"port": "quay-3/14", "project": "kestrel-row/edit", "site": "south-quay"}, 52_000_000),
    ({"port": "quay-1/02", "project": "quillstone/survey", "site": "south-quay"}, 9_400_000),
)
"""Ports of switches, and bytes that they send in a minute, about."""
BUCKETS: tuple[tuple[Mapping[str, str], int], ...] = (
    ({"bucket": "tile-cache", "project": "dunlin/tiles", "site": "south-quay"}, 410_000_000_000),
)
_BEGAN = datetime(2026, 1, 1, tzinfo=UTC)


def fill(metrics: SimulatedMetrics) -> None:
    """Give a metrics server its series."""
    metrics.series[SENT] = [(labels, _rising(f"{SEED}/{labels['port']}", each)) for labels, each in PORTS]
    metrics.series[STORED] = [(labels, _level(f"{SEED}/{labels['bucket']}", each)) for labels, each in BUCKETS]


def _rising(seed: str, each: int) -> Value:
    def value(at: datetime) -> str:
        minutes = (at - _BEGAN) // timedelta(minutes=1)
        # Never lower than a minute before: less than one minute's share is left to chance.
        return str(minutes * each + random.Random(f"{seed}/{minutes}").randrange(each))

    return value


def _level(seed: str, each: int) -> Value:
    def value(at: datetime) -> str:
        return str(each + random.Random(f"{seed}/{at:%Y-%m-%d}").randrange(each // 8))

    return value


def connect(mara: Client, address: str, now: datetime) -> None:
    """Its feed, fetched from two days ago on."""
    mara.feeds.create(PROVIDER, slug=FEED, name=NAME)
    form = pull_form(address, now - timedelta(days=2))
    mara.pulls.set(f"{PROVIDER}/{FEED}", form, version=0, secret=TOKEN)


def pull_form(address: str, starts_at: datetime) -> PullForm:
    """How it is fetched."""
    queries = [
        PullQueryForm(
            name="sent", query=SENT, meter="network/egress", unit="byte", how=How.COUNTER, resource=["port"],
            owner="project", attributes={"site": "site"},
        ),
        PullQueryForm(
            name="stored", query=STORED, meter="object-storage/stored", unit="byte", how=How.LEVEL,
            resource=["bucket"], owner="project", attributes={"site": "site"},
        ),
    ]  # fmt: skip
    return PullForm(endpoint=address, queries=queries, step_seconds=300, starts_at=starts_at)
