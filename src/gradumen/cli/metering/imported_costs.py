"""gradumen costs: what suppliers' files say that a month cost."""

import argparse
from datetime import date, datetime
from pathlib import Path
from typing import Any

from tqdm import tqdm

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.upload_words import state_words
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.exact import money
from gradumen.core.metering.uploads import UploadState
from gradumen.core.units import counted
from gradumen.wire.metering.imported_costs import CostDeliveryBody, CostMeterBody, ImportedCostBody
from gradumen.wire.metering.uploads import UploadBody

AT_ONCE = 1 << 18
"""Bytes of a file that comes by one call; a larger one comes in pieces."""
HEAD = ("ACCOUNT", "WHOSE", "FOR", "BILLED", "EFFECTIVE", "ESTIMATED", "CURRENCY", "DAYS", "FEED")


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "costs", "what suppliers' cost files (FOCUS) say that a month cost")
    listing = verbs.add("list", run_list, "by account and owner; what is nobody's first")
    listing.add_argument("month", help="the source's billing period, like 2026-11")
    add_organisation(listing)
    meter = verbs.add("meter", run_meter, "the meter that a feed's cost files state costs of")
    meter.add_argument("feed", metavar="ORGANISATION/FEED")
    meter.add_argument("--set", metavar="SERVICE/METER", help="say which; safe to repeat")
    counts = "whether what they say was used (ConsumedQuantity) counts as usage, by rules of kind"
    meter.add_argument("--quantities", action=argparse.BooleanOptionalAction, default=None, help=counts)
    lacks = "whether a day that is over costs what the last whole one did until a file states it"
    meter.add_argument("--estimates", action=argparse.BooleanOptionalAction, default=None, help=lacks)
    send = verbs.add("send", run_send, "send a cost file whole; again it changes nothing")
    files = "FOCUS 1.0 to 1.2 as CSV or Parquet, also packed with gzip; all files of one export, if it has several"
    send.add_argument("files", type=Path, nargs="+", metavar="file", help=files)
    send.add_argument("--feed", required=True, metavar="ORGANISATION/FEED")
    send.add_argument("--exported-at", type=datetime.fromisoformat, metavar="TIME", help="when the source wrote it")
    send.add_argument("--from", dest="first", type=date.fromisoformat, metavar="DAY", help="the first day it states")
    send.add_argument("--to", dest="last", type=date.fromisoformat, metavar="DAY", help="the last day it states")
    send.add_argument("--confirm", action="store_true", help="also where more than half of a day is gone then")


def _row(each: ImportedCostBody) -> tuple[str, ...]:
    currency = each.currency if each.converted else f"{each.currency}, no rate"
    guessed = money(each.estimated, each.currency) if each.estimated else ""
    amounts = (money(each.billed, each.currency), money(each.effective, each.currency), guessed)
    days = f"{each.first:%d %b}" if each.first == each.last else f"{each.first:%d %b} to {each.last:%d %b}"
    whose = each.owner or ("the supplier's" if each.category == "Tax" else "nobody")
    return each.account, whose, each.category, *amounts, currency, days, each.feed


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what a month cost."""
    found = client.imported_costs.list(own_organisation(arguments), arguments.month)
    out.body(found)
    out.table(HEAD, map(_row, found), right=("BILLED", "EFFECTIVE", "ESTIMATED"))
    if not found:
        out.say(f"no cost file states anything of {arguments.month}")
    return 0


def run_meter(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show a feed's meter, or set it."""
    found = client.imported_costs.meter(arguments.feed)
    more = {"quantities": arguments.quantities, "estimates": arguments.estimates}
    if arguments.set is None and not any(each is not None for each in more.values()):
        return _meter(found, out)
    return _meter(client.imported_costs.set_meter(arguments.feed, arguments.set or found.meter, **more), out)


def _meter(found: CostMeterBody, out: Out) -> int:
    out.body(found)
    if found.meter is None:
        out.say(f"{found.feed} takes no cost files; say which meter they are of: --set service/meter")
    else:
        out.say(f"cost files of {found.feed} are of {found.meter}, sold in {found.currency}")
        used = "counts as usage, as rules of kind read it" if found.quantities else "does not count"
        out.say(f"what they say was used {used}")
        lacking = "costs what the last whole day did" if found.estimates else "costs nothing"
        out.say(f"a day that is over {lacking} until a file states it")
    if found.without_times:
        rows = counted(found.without_times, "row")
        out.say(f"{rows} came before their times were kept: send the files again for what was used to count")
    return 0


def run_send(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Send a file, or all files of an export; large ones in pieces, from where it stopped."""
    files: list[Path] = arguments.files
    stated = {"exported_at": arguments.exported_at, "first": arguments.first, "last": arguments.last}
    try:
        if len(files) == 1 and files[0].stat().st_size <= AT_ONCE:
            content = files[0].read_bytes()
            return _told(
                client.imported_costs.send(
                    arguments.feed, files[0].name, content, confirmed=arguments.confirm, **stated
                ),
                out,
            )
        return _send_in_pieces(files, {**stated, "confirmed": arguments.confirm}, arguments.feed, client, out)
    except OSError as error:
        raise Invalid(f"cannot read {error.filename}: {error.strerror}", field="file") from error


def _told(found: CostDeliveryBody, out: Out) -> int:
    out.body(found)
    if found.again:
        out.say(f"{found.file} came before; nothing changed")
        return 0
    totals = " and ".join(f"{money(each.billed, each.currency)} {each.currency}" for each in found.totals) or "nothing"
    more = f", {found.estimated} estimated before" if found.estimated else ""
    more += f"; {found.older} stand in a later file" if found.older else ""
    out.say(f"{found.file}: {found.rows} rows, {totals} billed, of {found.days} days, {found.replaced} replaced{more}")
    return 0


def _send_in_pieces(files: list[Path], stated: dict[str, Any], feed: str, client: Client, out: Out) -> int:
    """Exit 1 where a file needs a person."""
    sent = []
    with tqdm(total=sum(each.stat().st_size for each in files), unit="B", unit_scale=True, **out.bar) as bar:
        done = 0
        for part, file in enumerate(files, 1):

            def tell(found: UploadBody, before: int = done) -> None:
                bar.n = before + found.size - min(len(found.missing) * found.piece_bytes, found.size)
                bar.refresh()

            sent.append(client.uploads.send(feed, file, tell=tell, part=part, parts=len(files), **stated))
            done += file.stat().st_size
    with tqdm(unit=" rows", **out.bar) as bar:

        def read(found: UploadBody) -> None:
            bar.n = found.rows
            bar.set_description(f"reading {found.name}")

        # The last that is read settles the export, so what became of the others is asked once all were.
        for each in sent:
            client.uploads.follow(each.id, tell=read)
    found = [client.uploads.get(each.id) for each in sent]
    out.body(found)
    for each in found:
        out.say(f"{each.name}: {state_words(each)}")
    return 1 if any(each.state == UploadState.REFUSED for each in found) else 0
