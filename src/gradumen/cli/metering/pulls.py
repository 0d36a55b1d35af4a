"""gradumen pulls: feeds that the service fetches itself."""

import argparse
import sys
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import yaml
from pydantic import ValidationError

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.units import counted
from gradumen.wire.metering.deliveries import ReadingSeenBody
from gradumen.wire.metering.pulls import PullBody, PullFileBody, PullForm


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "pulls", "feeds whose usage the service fetches itself")
    add_organisation(verbs.add("list", run_list, "those of a seller, and how far they are"))
    show = verbs.add("show", run_show, "how one is fetched, in YAML")
    put = verbs.add("set", run_set, "fetch one as a file says from now on")
    trying = verbs.add("try", run_try, "ask for the last hour and show what it would give; nothing is taken in")
    for verb in (put, trying):
        verb.add_argument("file", type=Path, help="YAML, as `show` writes it (docs/feeds.md)")
        verb.add_argument("--secret-stdin", action="store_true", help="read token or password from standard input")
    pause = verbs.add("pause", run_pause, "let one rest; safe to repeat")
    resume = verbs.add("resume", run_resume, "let it go on: what was missed is fetched; safe to repeat")
    again = verbs.add("again", run_again, "fetch what is due at once, or all from an hour on once more")
    again.add_argument("--since", type=_hour, metavar="YYYY-MM-DDTHH:MMZ", help="from this hour on, once more")
    files = verbs.add("files", run_files, "the files that were fetched of one")
    files.add_argument("--refused", action="store_true", help="only those that were not taken")
    confirm = verbs.add("confirm", run_confirm, "take a file as it is that lacks a person's word alone; safe to repeat")
    confirm.add_argument("name", metavar="FILE")
    drop = verbs.add("drop", run_drop, "fetch one no more; what came stays; safe to repeat")
    for verb in (show, put, trying, pause, resume, again, files, confirm, drop):
        verb.add_argument("--feed", required=True, metavar="ORGANISATION/FEED")


def _hour(raw: str) -> datetime:
    found = datetime.fromisoformat(raw)
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show them."""
    found = client.pulls.list(own_organisation(arguments))
    out.body(found)
    out.table(
        ("FEED", "FROM", "HERE UNTIL, UTC", "FILES", "STATE"),
        [(each.feed, each.kind or "", _until(each), _files(each), _state(each)) for each in found],
    )
    if not found:
        out.say("the service fetches no feed; begin with: gradumen pulls set")
    return 0


def _until(pull: PullBody) -> str:
    return f"{pull.complete_until:%Y-%m-%d %H:%M}" if pull.complete_until else ""


def _from(pull: PullBody) -> str:
    return f", from {_until(pull)} UTC on" if pull.complete_until else ""


def _files(pull: PullBody) -> str:
    files = counted(pull.files, "file") if pull.files else ""
    return f"{files}, {pull.refused_files} refused" if pull.refused_files else files


def _state(pull: PullBody) -> str:
    if pull.paused:
        return "rests"
    said = "behind" if pull.behind else "as it should be"
    if pull.quiet_from is not None:
        said = f"nothing was measured from {pull.quiet_from:%Y-%m-%d %H:%M} on"
    return f"{said}: {pull.problem}" if pull.problem else said


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show one."""
    found = client.pulls.get(arguments.feed)
    out.body(found)
    if found.pull is None:
        out.say(f"'{found.feed}' is not fetched" if found.kind is None else _state(found))
        return 0
    # Of files nothing is asked by queries, at steps; of hours they have no names.
    others = {"names"} if found.pull.kind.measured else {"queries", "step_seconds"}
    told = found.pull.model_dump(mode="json", exclude_none=True, exclude=others)
    out.say(yaml.safe_dump(told, sort_keys=False).rstrip())
    secret = "has a secret" if found.has_secret else "has no secret"
    here = f"here until {_until(found)} UTC" if found.complete_until else _files(found)
    out.note(f"{secret}; {', '.join(each for each in (here, _state(found)) if each)}")
    return 0


def _read(file: Path) -> PullForm:
    try:
        return PullForm.model_validate(yaml.safe_load(file.read_text()))
    except OSError as error:
        raise Invalid(f"{file} cannot be read: {error.strerror}", field="file") from error
    except yaml.YAMLError as error:
        raise Invalid(f"{file} is no YAML: {error}", field="file") from error
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(map(str, first["loc"])) or "file"
        raise Invalid(f"{file}: {place}: {first['msg']}", field=place) from error


def _secret(arguments: argparse.Namespace) -> str | None:
    return sys.stdin.readline().strip() if arguments.secret_stdin else None


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set one."""
    before = client.pulls.get(arguments.feed)
    found = client.pulls.set(arguments.feed, _read(arguments.file), version=before.version, secret=_secret(arguments))
    out.body(found)
    out.say(f"{found.feed} is fetched{_from(found)}")
    return 0


def run_try(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Try one."""
    form = _read(arguments.file)
    found = client.pulls.attempt(arguments.feed, form, _secret(arguments))
    out.body(found)
    if not found.reached:
        out.say(f"not reached: {found.said}")
        return 1
    if form.kind.measured:
        out.say(f"reached: {found.said}; the last hour would give {found.count} readings")
        _tell_readings(found.readings, out)
    else:
        out.say(f"reached: {found.said}")
    for each in found.problems:
        out.note(f"refused: {each.reason}")
    if found.refused > len(found.problems):
        out.note(f"and {found.refused - len(found.problems)} more")
    return 0


def _tell_readings(readings: Sequence[ReadingSeenBody], out: Out) -> None:
    out.table(
        ("RESOURCE", "METER", "QUANTITY", "UNIT", "START, UTC", "END", "OWNER OR ACCOUNT"),
        [
            (
                each.resource,
                each.meter,
                each.quantity,
                each.unit,
                f"{each.start:%Y-%m-%d %H:%M}",
                f"{each.end:%H:%M}",
                each.owner or each.account or "",
            )
            for each in readings
        ],
        right=("QUANTITY",),
    )


def run_pause(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Let one rest."""
    out.body(client.pulls.pause(arguments.feed, paused=True))
    out.say("it rests")
    return 0


def run_resume(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Let it go on."""
    out.body(client.pulls.pause(arguments.feed, paused=False))
    out.say("it goes on, with what was missed")
    return 0


def run_again(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Fetch once more."""
    found = client.pulls.again(arguments.feed, arguments.since)
    out.body(found)
    out.say(f"it is fetched now{_from(found)}")
    return 0


def _told(each: PullFileBody) -> str | None:
    """What is wrong with a file, and what can be done about it."""
    if each.confirmed:
        return "confirmed; it is read again"
    hint = f" (gradumen pulls confirm '{each.name}')" if each.confirmable else ""
    return f"{each.problem}{hint}" if each.problem else None


def run_confirm(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Confirm a file."""
    found = client.pulls.confirm_file(arguments.feed, arguments.name)
    out.body(found)
    out.say(f"{found.name}: confirmed; it is read again")
    return 0


def run_files(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show files."""
    found = client.pulls.files(arguments.feed, refused=arguments.refused)
    out.body(found)
    out.table(
        ("FILE", "BYTES", "OF, UTC", "FETCHED", "WHAT OF IT"),
        [
            (
                each.name,
                str(each.size),
                f"{each.modified_at:%Y-%m-%d %H:%M}",
                f"{each.fetched_at:%Y-%m-%d %H:%M}",
                _told(each) or (f"delivery {str(each.delivery)[:8]}" if each.delivery else "nothing in it"),
            )
            for each in found
        ],
        right=("BYTES",),
    )
    if not found:
        out.say("no file was fetched yet" if not arguments.refused else "every file was taken")
    return 0


def run_drop(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Fetch one no more."""
    client.pulls.drop(arguments.feed)
    out.say("it is fetched no more; what came stays")
    return 0
