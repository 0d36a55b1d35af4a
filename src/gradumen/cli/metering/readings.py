"""gradumen readings send."""

import argparse
from pathlib import Path
from typing import Any

from tqdm import tqdm

from gradumen.cli.nouns import Verbs
from gradumen.cli.output import Out
from gradumen.client import Client
from gradumen.client.metering.reading_files import read_file
from gradumen.core.errors import Invalid
from gradumen.wire.metering.readings import DeliveryOutcomeBody

SHOWN = 20


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "readings", "measured facts that become usage")
    send = verbs.add("send", run_send, "send a CSV or JSON Lines file; safe to repeat")
    send.add_argument("file", type=Path)
    send.add_argument("--feed", required=True, metavar="ORGANISATION/FEED")
    send.add_argument("--source", help="source of rows that have none; by default the file's name")
    send.add_argument("--batch", type=int, default=2000, help="readings a call, at most 5000")


def run_send(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Send a file with a progress bar; exit 1 when something was refused."""
    try:
        events = list(read_file(arguments.file, source=arguments.source))
    except OSError as error:
        raise Invalid(f"cannot read {arguments.file}: {error.strerror}", field="file") from error
    outcomes: list[DeliveryOutcomeBody] = []
    with tqdm(total=len(events), unit=" readings", **out.bar) as bar:
        for outcome in client.readings.send_all(arguments.feed, events, batch=arguments.batch):
            outcomes.append(outcome)
            bar.update(len(outcome.outcomes))
    out.body(outcomes)
    refused = [item for outcome in outcomes for item in outcome.outcomes if item.status == "refused"]
    accepted, known = sum(each.accepted for each in outcomes), sum(each.known for each in outcomes)
    out.say(f"{len(events)} readings: {accepted} accepted, {known} already known, {len(refused)} refused")
    unknown = [item for outcome in outcomes for item in outcome.outcomes if item.status == "accepted" and item.reason]
    if unknown:
        out.note(f"  {len(unknown)} of unknown kind, as {unknown[0].id}: {unknown[0].reason}")
    for item in refused[:SHOWN]:
        out.note(f"  {item.id}: {item.reason}")
    if len(refused) > SHOWN:
        out.note(f"  ... and {len(refused) - SHOWN} more; --json lists all")
    return 1 if refused else 0
