"""gradumen ownership-rules."""

import argparse
import csv
from collections.abc import Sequence
from datetime import date
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

import yaml
from pydantic import ValidationError

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, in_words
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.exact import figure, money
from gradumen.wire.metering.ownership_forms import condition_words, value_words, whose_words
from gradumen.wire.metering.ownership_rules import (
    OwnershipPreviewBody,
    OwnershipRuleForm,
    OwnershipRulesBody,
    QuantityBody,
)


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "ownership-rules", "whose usage is that names no owner")
    add_organisation(verbs.add("list", run_list, "the rules, in the order in which they are looked at"))
    unowned = verbs.add("unowned", run_unowned, "usage of a month that is nobody's, by feed and account")
    unowned.add_argument("period", help="YYYY-MM")
    add_organisation(unowned)
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
    value = "in place of an owner, of what the value says whose it is: account, source, resource, feed or where.NAME"
    add.add_argument("--by", help=value)
    table = "with --by: a CSV file of values and owners; without it the value is ORGANISATION/PROJECT itself"
    add.add_argument("--owners", type=Path, metavar="FILE", help=table)
    add.add_argument("--from", dest="starts_on", required=True, type=date.fromisoformat, metavar="DAY")
    add.add_argument("--until", dest="ends_on", type=date.fromisoformat, metavar="DAY", help="the first day it is over")
    for fact in ("feed", "account", "source", "resource", "meter"):
        add.add_argument(f"--{fact}", help=f"only of this {fact}; with a * at its end, what begins so")
    add.add_argument("--where", action="append", default=[], metavar="ATTRIBUTE=VALUE")
    drop = verbs.add("drop", run_drop, "take a rule away by its name; shows first what that changes")
    drop.add_argument("name")
    apply = verbs.add("apply", run_apply, "set all rules from a YAML file")
    apply.add_argument("file", type=Path)
    for verb in (add, drop, apply):
        verb.add_argument("--check", action="store_true", help="only show what it changes")
        add_organisation(verb)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the rules."""
    return _show(client.ownership_rules.get(own_organisation(arguments)), out)


def _show(found: OwnershipRulesBody, out: Out) -> int:
    out.body(found)
    out.table(
        ("RULE", "FROM", "UNTIL", "WHAT", "IS OF"),
        [
            (each.name, str(each.starts_on), str(each.ends_on or ""), condition_words(each.conditions), _owners(each))
            for each in found.rules
        ],
    )
    if not found.rules:
        out.say("no rules: usage is of whom it names, and else of nobody")
    return 0


def _owners(rule: OwnershipRuleForm) -> str:
    """Whose what a rule takes is; where it is divided, with the share of each."""
    if rule.by:
        return value_words(rule.by, rule.owners)
    return rule.owner or whose_words(rule.shares or {})


def run_unowned(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what is nobody's, and how many readings are whose."""
    found = client.ownership_rules.unowned(own_organisation(arguments), arguments.period)
    out.body(found)
    out.table(
        ("FEED", "ACCOUNT", "RESOURCES", "READINGS", "FROM", "TO", "USAGE"),
        [
            (
                each.feed,
                each.account or "none said",
                figure(each.resources),
                figure(each.readings),
                str(each.first_day),
                str(each.last_day),
                _quantities(each.quantities),
            )
            for each in found.items
        ],
        right=("RESOURCES", "READINGS"),
    )
    for each in found.feeds:
        out.say(
            f"{each.feed}: {figure(each.readings)} readings = {figure(each.owned)} somebody's + "
            f"{figure(each.nobodys)} nobody's{f' + {figure(each.gave_way)} that gave way' if each.gave_way else ''}"
        )
    if found.more:
        out.say("there is more than could be looked at; this is the first part of it")
    return 0


def _quantities(quantities: Sequence[QuantityBody]) -> str:
    return "; ".join(" ".join((each.meter_name, *in_words(each.quantity, each.unit))) for each in quantities)


def run_add(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Add a rule."""
    conditions: dict[str, Any] = {
        fact: _written(value)
        for fact in ("feed", "account", "source", "resource", "meter")
        if (value := getattr(arguments, fact)) is not None
    }
    for each in arguments.where:
        name, equals, value = each.partition("=")
        if not equals:
            raise Invalid(f"'{each}' is no condition; write ATTRIBUTE=VALUE", field="where", value=each)
        conditions.setdefault("where", {})[name] = _written(value)
    rule = OwnershipRuleForm(
        name=arguments.name,
        owner=arguments.owner,
        shares=_shares(arguments.share),
        by=arguments.by,
        owners=None if arguments.owners is None else _owners_of(arguments.owners),
        starts_on=arguments.starts_on,
        ends_on=arguments.ends_on,
        conditions=conditions,
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


def _written(value: str) -> Any:
    return {"prefix": value[:-1]} if value.endswith("*") else value


def run_drop(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take a rule away."""
    before = client.ownership_rules.get(own_organisation(arguments))
    left = [each for each in before.rules if each.name != arguments.name]
    if len(left) == len(before.rules):
        known = ", ".join(each.name for each in before.rules) or "none"
        raise Invalid(f"no rule is called '{arguments.name}'; there are: {known}", field="name", value=arguments.name)
    return _set(arguments, client, out, before, left)


def run_apply(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set all rules."""
    rules = _read(arguments.file)
    return _set(arguments, client, out, client.ownership_rules.get(own_organisation(arguments)), rules)


def _read(file: Path) -> list[OwnershipRuleForm]:
    """The rules of a file (`docs/formats.md`).

    Raises:
        Invalid: it is no list of rules; names the rule and its field.
    """
    try:
        told = yaml.load(file.read_text(encoding="utf-8-sig"), Loader=yaml.BaseLoader)
    except yaml.YAMLError as error:
        raise Invalid(f"{file} is no YAML: {error}", field=str(file)) from error
    if not isinstance(told, list):
        raise Invalid(f"{file} is no list of rules", field=str(file))
    found = []
    for place, each in enumerate(told, 1):
        named = {str(key).replace("-", "_"): value for key, value in each.items()} if isinstance(each, dict) else each
        try:
            found.append(OwnershipRuleForm.model_validate(named))
        except ValidationError as error:
            wrong = error.errors()[0]
            field = ".".join(map(str, wrong["loc"]))
            raise Invalid(f"rule {place}, {field or 'all of it'}: {wrong['msg'].lower()}", field=field) from error
    return found


def _set(
    arguments: argparse.Namespace,
    client: Client,
    out: Out,
    before: OwnershipRulesBody,
    rules: Sequence[OwnershipRuleForm],
) -> int:
    preview = client.ownership_rules.preview(before.organisation, rules)
    if arguments.check:
        out.body(preview)
        _tell(preview, out)
        return 0
    _tell(preview, out)
    return _show(client.ownership_rules.set(before.organisation, rules, before.version), out)


def _tell(preview: OwnershipPreviewBody, out: Out) -> None:
    for each in preview.moves:
        costs = [f"costs of {money(one.billed, one.currency)} {one.currency}" for one in each.costs]
        came = ([f"{figure(each.readings)} readings"] if each.readings or not costs else []) + costs
        out.say(
            f"{figure(each.resources)} resources, {', '.join(came)} from {each.first_day} to {each.last_day}: "
            f"{each.before or 'nobody'} -> {each.after or 'nobody'}; {_quantities(each.quantities)}"
        )
    if preview.from_day is None:
        out.say("nothing changes")
    elif not preview.moves:
        out.say("nothing that came in is anybody else's by that")
    if preview.more:
        out.say("only the newest three months were looked at")
