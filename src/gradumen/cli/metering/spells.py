"""gradumen spells."""

import argparse
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, add_wait
from gradumen.cli.output import Out, in_short
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.catalogue.services import PHASE
from gradumen.wire.metering.spells import SpellBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "spells", "how long resources were there, and in which phase")
    listed = verbs.add("list", run_list, "the times of a month in which resources were as feeds say")
    listed.add_argument("--period", required=True, metavar="YYYY-MM")
    listed.add_argument("--resource", metavar="NAME", help="of this one only, with what was said of it")
    listed.add_argument("--limit", type=int, default=200)
    add_organisation(listed)
    add_wait(listed)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show spells, and of one resource what was said."""
    found = client.spells.list(
        own_organisation(arguments),
        arguments.period,
        resource=arguments.resource,
        limit=arguments.limit,
        wait=arguments.wait,
    )
    out.body(found)
    out.table(
        ("RESOURCE", "WHAT", "WHOSE", "AS", "LEVEL", "FROM (UTC)", "TO (UTC)"),
        [
            (
                each.resource,
                each.meter_name,
                each.project,
                _as(each.attributes),
                in_short(each.level, each.unit),
                "before" if each.from_before else _moment(each.start),
                _until(each),
            )
            for each in found.items
        ],
        # A moment that is cut short is another one.
        right=("LEVEL", "FROM (UTC)", "TO (UTC)"),
    )
    if found.said:
        out.say("")
        out.table(
            ("SAID OF (UTC)", "WHAT", "AS", "LEVEL", "BY", "EVENT", "CAME IN"),
            [
                (
                    _moment(each.at),
                    each.meter,
                    _as(each.attributes),
                    in_short(each.level, each.unit) if each.level else "gone",
                    each.feed,
                    each.event_id,
                    _moment(each.received_at),
                )
                for each in found.said
            ],
            right=("LEVEL", "SAID OF (UTC)", "CAME IN"),
        )
    if not found.items:
        out.say(f"nothing was there in {found.period} of which feeds say what happens to it")
    out.as_of(found)
    if found.more:
        out.note(f"only the first {arguments.limit}; ask for more with --limit")
    return 0


def _until(spell: SpellBody) -> str:
    after = ", goes on" if spell.goes_on else ", not listed after" if spell.inferred_end else ""
    return _moment(spell.end) + after


def _as(attributes: Mapping[str, str]) -> str:
    """The phase first, then the rest."""
    rest = [f"{name} {value}" for name, value in attributes.items() if name != PHASE]
    return ", ".join([*([attributes[PHASE]] if PHASE in attributes else []), *rest])


def _moment(at: datetime) -> str:
    return f"{at:%Y-%m-%d %H:%M}"
