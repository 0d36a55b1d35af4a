"""gradumen ownership-rules."""

import argparse
import csv
from collections.abc import Sequence
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.rules import add_rule, add_settings, conditions_of, read_rules, without
from gradumen.cli.tried_rules import cost_words, quantity_words, tell_months, tell_moves, tried
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.exact import figure
from gradumen.core.metering.ownership import FACTS
from gradumen.wire.metering.condition_forms import condition_words
from gradumen.wire.metering.ownership_forms import rule_words
from gradumen.wire.metering.ownership_rules import (
    ByUsageForm,
    OwnershipRuleForm,
    OwnershipRulesBody,
)
from gradumen.wire.metering.resource_owners import because


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "ownership-rules", "whose usage is that names no owner")
    add_organisation(verbs.add("list", run_list, "the rules, in the order in which they are looked at"))
    unowned = verbs.add("unowned", run_unowned, "usage of a month that is nobody's, by feed and account")
    unowned.add_argument("period", help="YYYY-MM")
    add_organisation(unowned)
    of = verbs.add("of", run_of, "whose a resource of your feeds is in a month, and by which rule")
    of.add_argument("resource")
    of.add_argument("--period", required=True, metavar="YYYY-MM")
    add_organisation(of)
    add = verbs.add("add", run_add, "add a rule after the others; shows first what it changes")
    add.add_argument("name")
    add.add_argument("owner", nargs="?", metavar="ORGANISATION/PROJECT")
    add.add_argument(
        "--share",
        action="append",
        default=[],
        metavar="ORGANISATION/PROJECT=NUMBER",
        help="in place of one owner: what several have of it, in proportion to these numbers",
    )
    used = "in place of an owner: divide each UTC day, once it is over, by what each used of this meter on it"
    add.add_argument("--by-usage", metavar="METER", help=used)
    few = "with --by-usage: only of these projects (else of all), or only as this feed measured it (else all)"
    add.add_argument("--among", action="append", default=[], metavar="ORGANISATION/PROJECT", help=few)
    add.add_argument("--measured-by", action="append", default=[], metavar="FEED", help="see --among")
    whole = "with --by-usage: what all would come to, a level or an amount of a day; what lacks is the remainder's"
    add.add_argument("--whole", metavar="NUMBER [UNIT]", help=whole)
    rest = "who has what shares lack to 100, what usage lacks to the whole, or days on which nobody used any"
    add.add_argument("--remainder", metavar="ORGANISATION/PROJECT", help=rest)
    value = "in place of an owner, of what the value says whose it is: account, source, resource, feed or where.NAME"
    add.add_argument("--by", help=value)
    table = "with --by: a CSV file of values and owners; without it the value is ORGANISATION/PROJECT itself"
    add.add_argument("--owners", type=Path, metavar="FILE", help=table)
    add_rule(add, FACTS)
    priced = "also tell what each customer's months would come to, as where they are billed"
    for verb in add_settings(verbs, add, run_drop, run_apply):
        verb.add_argument("--priced", action="store_true", help=priced)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the rules."""
    return _show(client.ownership_rules.get(own_organisation(arguments)), out)


def _show(found: OwnershipRulesBody, out: Out) -> int:
    out.body(found)
    out.table(
        ("RULE", "FROM", "UNTIL", "WHAT", "IS OF"),
        [
            (
                each.name,
                str(each.starts_on),
                str(each.ends_on or ""),
                condition_words(each.conditions),
                rule_words(each),
            )
            for each in found.rules
        ],
    )
    if not found.rules:
        out.say("no rules: usage is of whom it names, and else of nobody")
    return 0


def run_unowned(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what is nobody's, and how many readings are whose."""
    found = client.ownership_rules.unowned(own_organisation(arguments), arguments.period)
    out.body(found)
    out.table(
        ("FEED", "ACCOUNT", "RESOURCES", "READINGS", "FROM", "TO", "COST", "USAGE"),
        [
            (
                each.feed,
                each.account or "none said",
                figure(each.resources),
                figure(each.readings),
                str(each.first_day),
                str(each.last_day),
                ", ".join(cost_words(each.costs)),
                quantity_words(each.quantities),
            )
            for each in found.items
        ],
        right=("RESOURCES", "READINGS", "COST"),
    )
    for each in found.feeds:
        out.say(
            f"{each.feed}: {figure(each.readings)} readings = {figure(each.owned)} somebody's + "
            f"{figure(each.nobodys)} nobody's{f' + {figure(each.gave_way)} that gave way' if each.gave_way else ''}"
        )
    if found.more:
        out.say("there is more than could be looked at; this is the first part of it")
    return 0


def run_of(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show whose a resource is, and why."""
    found = client.ownership_rules.of_resource(own_organisation(arguments), arguments.period, arguments.resource)
    out.body(found)
    out.table(
        ("FROM", "UNTIL", "METER", "READINGS", "IS OF", "BECAUSE"),
        [
            (
                str(each.first_day),
                str(each.last_day),
                each.meter,
                figure(each.readings),
                each.owner or "nobody",
                because(each),
            )
            for each in found.items
        ],
        right=("READINGS",),
    )
    if not found.items:
        out.say(f"nothing of {found.resource} came in by your feeds in {found.period}")
    if found.more:
        out.say("there is more than could be looked at; this is the first part of it")
    return 0


def run_add(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Add a rule."""
    rule = OwnershipRuleForm(
        name=arguments.name,
        owner=arguments.owner,
        shares=_shares(arguments.share),
        by_usage=_by_usage(arguments),
        remainder=arguments.remainder,
        by=arguments.by,
        owners=None if arguments.owners is None else _owners_of(arguments.owners),
        starts_on=arguments.starts_on,
        ends_on=arguments.ends_on,
        conditions=conditions_of(arguments, FACTS),
    )
    before = client.ownership_rules.get(own_organisation(arguments))
    return _set(arguments, client, out, before, [*before.rules, rule])


def _owners_of(file: Path) -> dict[str, str]:
    """Owners by value out of a CSV file, a value and its owner on each line.

    Raises:
        Invalid: a line has other cells, or a value stands twice; names the line.
    """
    found: dict[str, str] = {}
    with file.open(encoding="utf-8-sig", newline="") as lines:
        for number, row in enumerate(csv.reader(lines), 1):
            cells = [cell.strip() for cell in row]
            if cells in ([], ["value", "owner"]):
                continue
            if len(cells) != 2 or not all(cells) or cells[0] in found:
                told = "stands twice" if len(cells) == 2 and cells[0] in found else "is no value and its owner"
                raise Invalid(f"{file}:{number}: '{','.join(row)[:80]}' {told}", field="owners", value=number)
            found[cells[0]] = cells[1]
    return found


def _shares(written: Sequence[str]) -> dict[str, Decimal] | None:
    """Shares as they are written; None where there are none.

    Raises:
        Invalid: one has no number.
    """
    found = {}
    for each in written:
        path, _, number = each.partition("=")
        try:
            found[path] = Decimal(number)
        except InvalidOperation as error:
            raise Invalid(
                f"'{each}' is no share; write ORGANISATION/PROJECT=NUMBER", field="share", value=each
            ) from error
    return found or None


def _by_usage(arguments: argparse.Namespace) -> ByUsageForm | None:
    """By what usage is divided; None where it is not.

    Raises:
        Invalid: something is said of it, and not by what; or a whole is no number.
    """
    if arguments.by_usage is None:
        for name in ("among", "measured_by", "whole"):
            if getattr(arguments, name):
                option = f"--{name.replace('_', '-')}"
                raise Invalid(f"{option} is of --by-usage METER; say that too", field=name)
        return None
    number, _, unit = (arguments.whole or "").strip().partition(" ")
    try:
        whole = Decimal(number) if number else None
    except InvalidOperation as error:
        raise Invalid(f"'{number[:40]}' is no number", field="whole", value=number[:40]) from error
    return ByUsageForm(
        meter=arguments.by_usage,
        among=arguments.among,
        feeds=arguments.measured_by,
        whole=whole,
        unit=unit.strip() or None,
    )


def run_drop(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take a rule away."""
    before = client.ownership_rules.get(own_organisation(arguments))
    return _set(arguments, client, out, before, without(before.rules, arguments.name))


def run_apply(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set all rules."""
    rules = read_rules(arguments.file, OwnershipRuleForm)
    return _set(arguments, client, out, client.ownership_rules.get(own_organisation(arguments)), rules)


def _set(
    arguments: argparse.Namespace,
    client: Client,
    out: Out,
    before: OwnershipRulesBody,
    rules: Sequence[OwnershipRuleForm],
) -> int:
    preview = client.ownership_rules.preview(before.organisation, rules)
    trial = tried(client, before.organisation, rules, preview, out, always=arguments.priced)
    if trial is not None:
        preview = trial.preview or preview
    if arguments.check:
        out.body(trial or preview)
    tell_moves(preview, out)
    if trial is not None:
        tell_months(trial, out)
    if arguments.check:
        return 0
    return _show(client.ownership_rules.set(before.organisation, rules, before.version, seen=preview.seen), out)
