"""gradumen quotas."""

import argparse
from decimal import Decimal
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.places import MEASURES, limit
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.quotas.measures import unit_of
from gradumen.wire.quotas.quotas import QuotaBody, SoftLimit


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "quotas", "limits that flow down the chain")
    listing = verbs.add("list", run_list, "what an organisation has, has passed on to customers, and has left")
    listing.add_argument("--all", action="store_true", help="those without limit of which nothing is had, too")
    add_organisation(listing)
    history = verbs.add("history", run_history, "what an organisation and its projects might have when")
    history.add_argument("--measure", help=MEASURES)
    add_organisation(history)
    grant = verbs.add("grant", run_grant, "set a limit of an organisation or project; safe to repeat")
    grant.add_argument("organisation", help="who gets it")
    grant.add_argument("measure", help=MEASURES)
    grant.add_argument("limit", type=limit, help="a number, or 'none' for no limit")
    grant.add_argument("--project", help="a project of the organisation")
    grant.add_argument("--reservation", type=Decimal, help="kept for own use")
    grant.add_argument("--factor", type=Decimal, help="overbooking factor, 1 unless set")
    grant.add_argument("--label", help="what you call it")
    grant.add_argument(
        "--soft", type=limit, default=argparse.SUPPRESS, help="what use may exceed for some days, or 'none'"
    )
    grant.add_argument("--grace", type=int, metavar="DAYS", help="for how many; by default 0: it is told at once")


def _row(each: QuotaBody) -> tuple[str, ...]:
    name = f"{each.organisation}/{each.project}" if each.project else each.organisation
    own = max(each.reservation, each.own)
    figures = (quantity(each.limit), quantity(each.granted), quantity(own), quantity(each.left))
    per = {"monthly": " a month", "daily": " a day", "rate": " a second"}.get(each.kind, "")
    return (name, f"{each.measure}{per}", *figures, unit_of(each.unit, each.limit))


HEAD = ("HOLDER", "MEASURE", "LIMIT", "PASSED ON", "OWN", "LEFT", "UNIT")
RIGHT = ("LIMIT", "PASSED ON", "OWN", "LEFT")


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show quotas."""
    found = client.quotas.list(own_organisation(arguments))
    out.body(found)
    shown = found if arguments.all else [each for each in found if each.limit != 0 and _says_something(each)]
    out.table(HEAD, map(_row, shown), right=RIGHT)
    if not shown:
        out.say("no limits, and nothing that is had; all measures: gradumen quotas list --all")
    return 0


def run_history(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show changes."""
    slug = own_organisation(arguments)
    found = client.quotas.changes(slug, measure=arguments.measure)
    out.body(found)
    out.table(
        ("FROM, UTC", "HOLDER", "WHERE", "MEASURE", "LIMIT", "UNIT"),
        [
            (
                f"{each.changed_at:%Y-%m-%d %H:%M:%S}",
                f"{slug}/{each.project}" if each.project else slug,
                f"{each.site}: {each.pool}" if each.pool else each.site or "",
                each.measure,
                "given back" if each.released else quantity(each.limit),
                unit_of(each.unit, each.limit),
            )
            for each in found
        ],
        right=("LIMIT",),
    )
    if not found:
        out.say("no limit of it was ever set")
    return 0


def _says_something(each: QuotaBody) -> bool:
    return each.limit is not None or bool(each.granted or each.reservation or each.own)


def run_grant(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set a limit."""
    if "soft" not in arguments and arguments.grace is not None:
        raise Invalid("--grace is for a soft limit; say --soft too", field="grace", value=arguments.grace)
    soft = SoftLimit(limit=arguments.soft, grace_days=arguments.grace or 0) if "soft" in arguments else None
    made = client.quotas.grant(
        arguments.organisation,
        arguments.measure,
        arguments.limit,
        project=arguments.project,
        reservation=arguments.reservation,
        factor=arguments.factor,
        label=arguments.label,
        soft=soft,
    )
    out.body(made)
    out.table(HEAD, [_row(made)], right=RIGHT)
    return 0
