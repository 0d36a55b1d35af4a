"""gradumen deliveries: files in any shape."""

import argparse
from pathlib import Path
from typing import Any
from uuid import UUID

import yaml
from pydantic import ValidationError

from gradumen.cli.nouns import Verbs, by_beginning
from gradumen.cli.output import Out
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.metering.deliveries import FileLookBody, FileMappingBody, FileMappingForm, GuessBody
from gradumen.wire.metering.readings import DeliveryBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "deliveries", "files of usage in any shape, and what feeds delivered")
    listing = verbs.add("list", run_list, "what a feed delivered, newest first")
    listing.add_argument("feed", metavar="ORGANISATION/FEED")
    listing.add_argument("--limit", type=int, default=20)
    mapping = verbs.add("mapping", run_mapping, "how a feed's files are mapped to readings, in YAML")
    mapping.add_argument("feed", metavar="ORGANISATION/FEED")
    mapping.add_argument("--set", type=Path, metavar="FILE.yaml", help="say it as this file does")
    look = verbs.add("look", run_look, "what a file is and would give; nothing is taken in")
    send = verbs.add("send", run_send, "send a file whole; again it changes nothing")
    for verb in (look, send):
        verb.add_argument("file", type=Path, help="CSV, JSON Lines or Parquet, also packed with gzip")
        verb.add_argument("--feed", required=True, metavar="ORGANISATION/FEED")
        verb.add_argument("--mapping", type=Path, metavar="FILE.yaml", help="read by this, not by the feed's own")
    back = verbs.add("take-back", run_take_back, "take all readings of a delivery back; safe to repeat")
    back.add_argument("delivery", help="its id, or how that begins")
    back.add_argument("--feed", required=True, metavar="ORGANISATION/FEED")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show deliveries."""
    found = client.feeds.deliveries(arguments.feed, limit=arguments.limit)
    out.body(found)
    out.table(
        ("DELIVERY", "RECEIVED", "FILE", "ACCEPTED", "KNOWN", "REFUSED", "WHAT OF IT"),
        [
            (
                str(each.id)[:8],
                f"{each.received_at:%Y-%m-%d %H:%M:%S}",
                each.file or "",
                str(each.accepted),
                str(each.known),
                str(each.refused),
                _fate(each),
            )
            for each in found
        ],
        right=("ACCEPTED", "KNOWN", "REFUSED"),
    )
    if not found:
        out.say("nothing delivered yet")
    return 0


def _fate(delivery: DeliveryBody) -> str:
    if delivery.taken_back_at is not None:
        return f"taken back {delivery.taken_back_at:%Y-%m-%d %H:%M}"
    if delivery.takes_back is not None:
        return f"takes {str(delivery.takes_back)[:8]} back"
    return delivery.first_refusal or ""


def run_mapping(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show a mapping, or set it."""
    found = client.deliveries.mapping(arguments.feed)
    if arguments.set is not None:
        found = client.deliveries.set_mapping(arguments.feed, _read(arguments.set), found.version)
    out.body(found)
    out.say(_written(found) if found.mapping else f"nobody has said yet how files of '{found.feed}' are mapped")
    return 0


def _written(found: FileMappingBody) -> str:
    assert found.mapping is not None
    told = found.mapping.model_dump(mode="json", exclude_defaults=True)
    return f"# version {found.version}\n{yaml.safe_dump(told, sort_keys=False, allow_unicode=True)}".rstrip()


def _read(path: Path) -> FileMappingForm:
    try:
        return FileMappingForm.model_validate(yaml.safe_load(path.read_text(encoding="utf-8")))
    except OSError as error:
        raise Invalid(f"cannot read {path}: {error.strerror}", field="file") from error
    except (ValidationError, yaml.YAMLError) as error:
        raise Invalid(f"{path} is no mapping: {error}", field="file", value=path.name) from error


def _content(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise Invalid(f"cannot read {path}: {error.strerror}", field="file") from error


def run_look(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what a file is; exit 1 where it has lines that cannot be read."""
    mapping = _read(arguments.mapping) if arguments.mapping else None
    found = client.deliveries.look(arguments.feed, arguments.file.name, _content(arguments.file), mapping)
    out.body(found)
    if found.guess is not None:
        _show_guess(found, found.guess, out)
        return 0
    out.table(
        ("LINE", "RESOURCE", "METER", "QUANTITY", "UNIT", "FROM", "TO", "WHOSE"),
        [
            (
                str(each.line),
                each.resource,
                each.meter,
                each.quantity,
                each.unit,
                f"{each.start:%Y-%m-%d %H:%M}",
                f"{each.end:%Y-%m-%d %H:%M}",
                each.owner or each.account or "",
            )
            for each in found.readings
        ],
        right=("LINE", "QUANTITY"),
    )
    out.say(f"{found.count} rows would give {found.given} readings; {found.refused} lines cannot be read")
    for problem in found.problems:
        out.note(f"  {problem.reason}")
    return 1 if found.refused else 0


def _show_guess(found: FileLookBody, guess: GuessBody, out: Out) -> None:
    """A mapping to begin with, to be saved, completed and set."""
    out.say(f"# {found.count} rows with the columns {', '.join(found.columns)}")
    for doubt in guess.doubts:
        out.say(f"# {doubt}")
    said: dict[str, Any] = {name: {"column": column} for name, column in guess.columns.items()}
    meter = said.pop("meter", {"text": "SERVICE/METER"})
    if guess.meters:
        meter["values"] = {text: stands or "SERVICE/METER" for text, stands in guess.meters.items()}
    said.pop("id", None)
    measured = {
        "quantity": said.pop("quantity", {"column": "COLUMN"}),
        "meter": meter,
        "unit": said.pop("unit", {"text": "UNIT"}),
    }
    rest = {name: said.pop(name, {"column": "COLUMN"}) for name in ("resource", "start")}
    more = {"lasts": guess.lasts, "times": guess.times, "decimal": "," if guess.decimal == "," else None}
    told = {
        "identity": guess.identity or ["COLUMN"],
        "measured": [measured],
        **rest,
        **said,
        **{name: str(value) for name, value in more.items() if value},
    }
    if guess.attributes:
        told["attributes"] = {name: {"column": column} for name, column in guess.attributes.items()}
    out.say(yaml.safe_dump(told, sort_keys=False, allow_unicode=True).rstrip())
    out.note("a mapping to begin with: save it, say what is written large, then look again with --mapping FILE.yaml")


def run_send(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Send a file; exit 1 when something was refused."""
    mapping = _read(arguments.mapping) if arguments.mapping else None
    found = client.deliveries.send(arguments.feed, arguments.file.name, _content(arguments.file), mapping)
    out.body(found)
    if found.again:
        out.say(f"{found.file} was here already, with {found.known} readings; nothing changed")
        return 0
    out.say(f"{found.file}: {found.accepted} accepted, {found.known} already known, {found.refused} refused")
    if found.unknown:
        out.note(f"{found.unknown} of them are of unknown kind; see: gradumen kind-rules unknown YYYY-MM")
    for item in found.refusals[:20]:
        out.note(f"  {item.reason}")
    if found.refused > 20:
        out.note(f"  ... and {found.refused - 20} more")
    return 1 if found.refused else 0


def run_take_back(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take a delivery back."""

    def newest() -> list[UUID]:
        return [each.id for each in client.feeds.deliveries(arguments.feed, limit=100)]

    delivery = by_beginning(arguments.delivery, newest, field="delivery", noun="delivery")
    found = client.deliveries.take_back(delivery)
    out.body(found)
    out.say(f"{found.file or 'it'} is taken back: {found.accepted} readings do not count any more")
    return 0
