"""As `ingest`, of readings in words of their sender's own: kind and owner by 200 rules each, many sets of metadata."""

from datetime import UTC, date, datetime, timedelta
from typing import Any

import ingest

from gradumen.client.metering.readings import reading_event
from gradumen.demo.history import History
from gradumen.wire.metering.kind_rules import KindRuleForm
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm

RULES = 200
ROWS_OF_SET = 20
"""Readings that share a set of metadata: 50,000 sets of a million."""
OWNERS = ("saltmarsh/booking", "quillstone/archive", "gannet/tracking", "kestrel-row/edit")


def run(rows: int) -> dict[str, Any]:
    """As `ingest.run`, with how many rules there are and how many sets of metadata come in."""
    found = ingest.run(rows, _events, _rules)
    return {**found, "rules": 2 * RULES, "metadata_sets": -(-rows // ROWS_OF_SET)}


def _events(rows: int, run: int) -> list[dict[str, Any]]:
    """Hourly samples of many machines, in the order of time; each set of metadata is of one machine."""
    start = datetime(2026, 9, 1, tzinfo=UTC)
    machines = max(1, -(-rows // 600))
    found = []
    for n in range(rows):
        hour, machine = divmod(n, machines)
        begin = start + timedelta(hours=hour)
        metadata = {
            "flavour": f"f-{machine % RULES}", "zone": "north-2", "host": f"host-{machine % 97}",
            "revision": str(hour // ROWS_OF_SET), "name": f"{run}-{machine}",
        }  # fmt: skip
        data = {
            "account": f"acc-{machine % RULES}", "resource": f"machine-{run}-{machine}", "meter": "instance.cores",
            "quantity": str(1 + n % 32), "unit": "cores", "start": begin.isoformat(),
            "end": (begin + timedelta(hours=1)).isoformat(), "attributes": metadata,
        }  # fmt: skip
        found.append(reading_event("/clouds/elsewhere", f"run-{run}-{n}", data))
    return found


def _rules(history: History) -> None:
    first = date(2026, 9, 1)
    kinds = [
        KindRuleForm(
            name=f"Flavour {number}", starts_on=first, meter="compute/vcpu", unit="vCPU",
            attributes={"site": "north-fell", "size": ("small", "medium", "large")[number % 3]},
            conditions={"meter": "instance.cores", "where": {"flavour": f"f-{number}"}},
        )
        for number in range(RULES)
    ]  # fmt: skip
    owners = [
        OwnershipRuleForm(
            name=f"Account {number}", owner=OWNERS[number % len(OWNERS)], starts_on=first,
            conditions={"account": f"acc-{number}"},
        )
        for number in range(RULES)
    ]  # fmt: skip
    history.mara.kind_rules.set("tarnwick", kinds, 0)
    history.mara.ownership_rules.set("tarnwick", owners, 0)
