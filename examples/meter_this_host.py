"""Measures the machine it runs on and sends that as readings, every few seconds.

CPU seconds, memory and disk of the service's and its database's processes, and bytes on the network, by psutil.
Each sample covers the whole seconds since the last one, on the service's business clock.
"""

import argparse
import json
import os
import sys
import time
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import psutil

from gradumen.client import Client
from gradumen.client.metering.readings import reading_event


def processes() -> dict[str, list[psutil.Process]]:
    """The service's and the database's processes on this machine."""
    found: dict[str, list[psutil.Process]] = {"service": [], "database": []}
    for process in psutil.process_iter(["cmdline"]):
        command = " ".join(process.info["cmdline"] or [])
        if "gradumen" in command and " serve" in command:
            found["service"].append(process)
        elif "mariadbd" in command:
            found["database"].append(process)
    return found


def measure(disk: Path) -> dict[tuple[str, str], float]:
    """Counters and levels now, by (part, meter)."""
    values: dict[tuple[str, str], float] = {}
    for part, members in processes().items():
        cpu = memory = 0.0
        for process in members:
            try:
                times = process.cpu_times()
                cpu += times.user + times.system
                memory += process.memory_info().rss
            except psutil.NoSuchProcess:
                continue
        values[part, "cpu"], values[part, "memory"] = cpu, memory
    network = psutil.net_io_counters()
    values["machine", "traffic"] = float(network.bytes_sent + network.bytes_recv)
    values["machine", "disk"] = float(psutil.disk_usage(str(disk)).used)
    return values


UNITS = {"cpu": "second", "memory": "byte", "disk": "byte", "traffic": "byte"}
COUNTERS = ("cpu", "traffic")


def events(
    before: dict[tuple[str, str], float], now: dict[tuple[str, str], float], start: datetime, end: datetime, owner: str
) -> list[dict[str, Any]]:
    """One reading for each value: the growth of counters, the level of the rest."""
    found = []
    for (part, meter), value in now.items():
        amount = max(value - before[part, meter], 0.0) if meter in COUNTERS else value
        data = {
            "owner": owner,
            "resource": os.uname().nodename,
            "meter": f"host/{meter}",
            "quantity": f"{amount:.3f}" if meter == "cpu" else f"{amount:.0f}",
            "unit": UNITS[meter],
            "start": start.isoformat(),
            "end": end.isoformat(),
            "attributes": {"part": part},
        }
        found.append(reading_event(f"/hosts/{os.uname().nodename}", f"{part}/{meter}/{start:%Y%m%dT%H%M%S}", data))
    return found


def main() -> int:
    """Measure and send until the time is over."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--credentials", type=Path, required=True, help='JSON file with "url" and "token"')
    parser.add_argument("--feed", required=True, metavar="ORGANISATION/FEED")
    parser.add_argument("--owner", required=True, metavar="ORGANISATION/PROJECT")
    parser.add_argument("--every", type=int, default=5, help="seconds between samples")
    parser.add_argument("--seconds", type=int, help="end after so long; by default never")
    parser.add_argument("--disk", type=Path, default=Path("/"))
    arguments = parser.parse_args()
    credentials = json.loads(arguments.credentials.read_text())
    with Client(credentials["url"], credentials["token"]) as client:
        ahead = client.clock.read().now - datetime.now().astimezone()

        def clock() -> datetime:
            return (datetime.now().astimezone() + ahead).replace(microsecond=0)

        before, start = measure(arguments.disk), clock()
        deadline = None if arguments.seconds is None else time.monotonic() + arguments.seconds
        while deadline is None or time.monotonic() < deadline:
            time.sleep(arguments.every)
            now, end = measure(arguments.disk), clock()
            if end - start < timedelta(seconds=1):
                continue
            outcome = client.readings.send(arguments.feed, events(before, now, start, end, arguments.owner))
            print(f"{end:%H:%M:%S} {outcome.accepted} accepted, {outcome.known} known, {outcome.refused} refused")
            if outcome.refused:
                reasons = {item.reason for item in outcome.outcomes if item.reason}
                print("; ".join(sorted(reasons)), file=sys.stderr)
                return 1
            before, start = now, end
    return 0


if __name__ == "__main__":
    sys.exit(main())
