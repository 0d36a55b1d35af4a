"""gradumen kind-rules."""

import argparse
import shlex
from collections.abc import Sequence
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, pairs
from gradumen.cli.output import Out, in_words
from gradumen.cli.profiles import own_organisation
from gradumen.cli.rules import add_rule, add_settings, conditions_of, read_rules, without
from gradumen.client import Client
from gradumen.core.exact import figure, text
from gradumen.core.metering.kinds import FACTS
from gradumen.core.units import counted
from gradumen.wire.metering.condition_forms import condition_words
from gradumen.wire.metering.kind_forms import kind_words
from gradumen.wire.metering.kind_rules import (
    KindGuessBody,
    KindMoveBody,
    KindPreviewBody,
    KindRuleForm,
    KindRulesBody,
    ReadingTrial,
    UnknownKindBody,
)


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "kind-rules", "of which meter something is that is sent under another name")
    add_organisation(verbs.add("list", run_list, "the rules, in the order in which they are looked at"))
    unknown = verbs.add("unknown", run_unknown, "what of a month nothing says what it is, by feed, meter and unit")
    unknown.add_argument("period", help="YYYY-MM")
    add_organisation(unknown)
    add = verbs.add("add", run_add, "add a rule; shows first what it changes")
    add.add_argument("name")
    add.add_argument("kind", metavar="SERVICE/METER")
    for name, form, said in (
        ("attribute", "ATTRIBUTE=VALUE", "an attribute that it has"),
        ("take", "ATTRIBUTE=NAME", "an attribute whose value is sent under another name"),
    ):
        add.add_argument(f"--{name}", action="append", default=[], metavar=form, help=said)
    add.add_argument("--as", dest="read_as", metavar="UNIT", help="the unit that it is in, in place of the one sent")
    add.add_argument("--times", metavar="NAME", help="it counts as often as the number says that is sent so")
    add_rule(add, FACTS)
    add_settings(verbs, add, run_drop, run_apply)
    _register_trial(verbs)


def _register_trial(verbs: Verbs) -> None:
    trial = verbs.add("try", run_try, "what one reading would be and whose, and by which rules; nothing is sent")
    for fact in ("feed", "resource", "meter", "unit"):
        trial.add_argument(f"--{fact}", required=True)
    for fact in ("account", "source"):
        trial.add_argument(f"--{fact}")
    trial.add_argument("--quantity", default="1")
    trial.add_argument("--on", type=date.fromisoformat, metavar="DAY", help="the day it starts on; by default today")
    trial.add_argument("--held", action="store_true", help="it holds until the next reading says otherwise")
    trial.add_argument("--with", dest="attributes", action="append", default=[], metavar="NAME=VALUE")
    add_organisation(trial)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the rules."""
    return _show(client.kind_rules.get(own_organisation(arguments)), out)


def _show(found: KindRulesBody, out: Out) -> int:
    out.body(found)
    out.table(
        ("RULE", "FROM", "UNTIL", "WHAT", "IS"),
        [
            (each.name, str(each.starts_on), str(each.ends_on or ""), condition_words(each.conditions), _kind(each))
            for each in (found.rules[place] for place in found.order)
        ],
    )
    if not found.rules:
        out.say("no rules: what is sent is the meter that it names, and else of unknown kind")
    return 0


def _kind(rule: KindRuleForm) -> str:
    return kind_words(rule.meter, rule.attributes, rule.taken, rule.unit, rule.times)


def run_unknown(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what is of unknown kind."""
    found = client.kind_rules.unknown(own_organisation(arguments), arguments.period)
    out.body(found)
    out.table(
        ("FEED", "SENT AS", "SO MUCH", "RESOURCES", "READINGS", "FROM", "TO"),
        [
            (
                each.feed,
                each.sent_meter,
                f"{text(each.quantity)} {each.sent_unit}",
                figure(each.resources),
                figure(each.readings),
                str(each.first_day),
                str(each.last_day),
            )
            for each in found.items
        ],
        right=("SO MUCH", "RESOURCES", "READINGS"),
    )
    for each in found.items:
        out.say(f"{each.sent_meter} in {each.sent_unit}: {each.why}; sent with {_attributes(each) or 'nothing else'}")
        if each.guess is not None:
            out.say(f"  it looks like {_guessed(each, each.guess)}")
    if not found.items:
        out.say("all that came in is of a known kind")
    if found.more:
        out.say("there is more than could be looked at; this is the first part of it")
    if found.waiting:
        out.say("some of it is being read anew now; look again in a moment")
    return 0


def _attributes(each: UnknownKindBody) -> str:
    return "; ".join(f"{name} {', '.join(said)}" for name, said in each.attributes.items())


def _guessed(each: UnknownKindBody, guess: KindGuessBody) -> str:
    """What something looks like, with what confirms that."""
    words = ["gradumen", "kind-rules", "add", each.sent_meter, guess.meter]
    words += ["--as", guess.unit] if guess.unit else []
    for name, source in guess.attributes.items():
        words += ["--take", f"{name}={source}"]
    words += ["--feed", each.feed.partition("/")[2], "--meter", each.sent_meter, "--unit", each.sent_unit]
    return f"{guess.meter}; to have it so: {shlex.join([*words, '--from', f'{each.first_day}'])}"


def run_add(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Add a rule."""
    rule = KindRuleForm(
        name=arguments.name,
        meter=arguments.kind,
        attributes=pairs(arguments.attribute, "attribute"),
        taken=pairs(arguments.take, "take"),
        unit=arguments.read_as,
        times=arguments.times,
        starts_on=arguments.starts_on,
        ends_on=arguments.ends_on,
        conditions=conditions_of(arguments, FACTS),
    )
    before = client.kind_rules.get(own_organisation(arguments))
    return _set(arguments, client, out, before, [*before.rules, rule])


def run_drop(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take a rule away."""
    before = client.kind_rules.get(own_organisation(arguments))
    return _set(arguments, client, out, before, without(before.rules, arguments.name))


def run_apply(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set all rules."""
    rules = read_rules(arguments.file, KindRuleForm)
    return _set(arguments, client, out, client.kind_rules.get(own_organisation(arguments)), rules)


def _set(
    arguments: argparse.Namespace, client: Client, out: Out, before: KindRulesBody, rules: Sequence[KindRuleForm]
) -> int:
    preview = client.kind_rules.preview(before.organisation, rules)
    if arguments.check:
        out.body(preview)
    _tell(preview, out)
    if arguments.check:
        return 0
    return _show(client.kind_rules.set(before.organisation, rules, before.version), out)


def _tell(preview: KindPreviewBody, out: Out) -> None:
    for each in preview.moves:
        what = f"{counted(each.readings, 'reading')} of {counted(each.resources, 'resource')}"
        days = f"from {each.first_day} to {each.last_day}"
        way = f"{each.before or 'unknown'} -> {_after(each)}"
        out.say(f"{what}, sent as {each.sent_meter} in {each.sent_unit}, {days}: {way}")
    if preview.from_day is None:
        out.say("nothing changes")
    elif not preview.moves:
        out.say("nothing that came in is of another kind by that")
    if preview.unknown:
        out.say(f"of unknown kind would be {counted(preview.unknown, 'reading')}")
    if preview.more:
        out.say("only the newest three months were looked at")
    if preview.from_day and preview.fixed_before and preview.from_day < preview.fixed_before:
        out.say(f"what was measured before {preview.fixed_before} is archived, and stays as it is")


def _after(move: KindMoveBody) -> str:
    if move.after is None:
        return f"unknown: {move.why}"
    total = f", {' '.join(in_words(move.quantity.quantity, move.quantity.unit))}" if move.quantity else ""
    sets = [", ".join(f"{name} {value}" for name, value in each.items()) for each in move.attributes if each]
    said = f" with {' or with '.join(sets)}" if sets else ""
    return f"{move.after}{said}{total}"


def run_try(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what a reading would be."""
    day = arguments.on or datetime.now(UTC).date()
    trial = ReadingTrial(
        feed=arguments.feed,
        source=arguments.source or "-",
        account=arguments.account,
        resource=arguments.resource,
        meter=arguments.meter,
        unit=arguments.unit,
        quantity=Decimal(arguments.quantity),
        start=datetime(day.year, day.month, day.day, tzinfo=UTC),
        held=arguments.held,
        attributes=pairs(arguments.attributes, "with"),
    )
    found = client.kind_rules.try_reading(own_organisation(arguments), trial)
    out.body(found)
    if found.quantity is None:
        out.say(f"unknown: {found.why}")
    else:
        said = ", ".join(f"{name} {value}" for name, value in found.attributes.items())
        total = " ".join(in_words(found.quantity.quantity, found.quantity.unit))
        out.say(f"{found.meter}{f' with {said}' if said else ''}: {total}")
    for place, each in enumerate(found.taken_by):
        counts = "counts" if place == 0 else "takes it too, and is less specific"
        out.say(f"rule '{each.name}' ({counted(each.conditions, 'condition')}) {counts}")
    if not found.taken_by:
        out.say("no rule takes it")
    out.say(f"of {found.owner}, by rule '{found.owner_rule}'" if found.owner else "nobody's, where it names no owner")
    return 0
