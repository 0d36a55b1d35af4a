"""gradumen subscriptions."""

import argparse
from datetime import date
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation, day_after, last_day, pairs
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.subscriptions.subscriptions import (
    SpecialTermsAgree,
    SubscriptionBody,
    SubscriptionChange,
    SubscriptionCreate,
)


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "subscriptions", "who has which tier of which plan")
    listing = verbs.add("list", run_list, "subscriptions of an organisation and all below it")
    add_organisation(listing)
    create = verbs.add("create", run_create, "subscribe an organisation to a tier")
    create.add_argument("organisation")
    create.add_argument("plan", metavar="PLAN/TIER")
    create.add_argument("--name", help="the subscription's own name; by default the plan's")
    create.add_argument("--project")
    create.add_argument("--quantity", type=int, default=1)
    create.add_argument("--from", dest="starts_on", type=date.fromisoformat, required=True, metavar="DAY")
    create.add_argument("--last-day", type=date.fromisoformat, metavar="DAY", help="by default it goes on")
    create.add_argument("--rate-card", help="a card of the seller, instead of the one that fits the buyer")
    create.add_argument(
        "--trial-last-day",
        type=date.fromisoformat,
        metavar="DAY",
        help="free of charge until the end of this day; your own seller charges what is beyond the plan's own trial",
    )
    _add_accepting(create)
    change = verbs.add("change", run_change, "change what is subscribed, from a day on; safe to repeat")
    change.add_argument("organisation")
    change.add_argument("name", help="the subscription's own name")
    change.add_argument("--from", dest="starts_on", type=date.fromisoformat, required=True, metavar="DAY")
    change.add_argument("--tier")
    change.add_argument("--quantity", type=int)
    change.add_argument("--plan-version", type=int, help="move to that version of the plan")
    _add_accepting(change)
    pausing = change.add_mutually_exclusive_group()
    pausing.add_argument("--pause", dest="paused", action="store_const", const=True, help="no fees and allowances")
    pausing.add_argument("--resume", dest="paused", action="store_const", const=False)
    agree = verbs.add("agree", run_agree, "agree special terms: a card, allowances or levels for one subscription")
    agree.add_argument("customer", help="the subscriber")
    agree.add_argument("name", help="the subscription's own name")
    agree.add_argument("--from", dest="starts_on", type=date.fromisoformat, required=True, metavar="DAY")
    agree.add_argument("--rate-card", help="a card of yours; by-rule goes back to the one that fits the buyer")
    agree.add_argument("--allowance", action="append", default=[], metavar="METER=QUANTITY", help="may be repeated")
    agree.add_argument("--level", action="append", default=[], metavar="LEVEL=VALUE", help="may be repeated")
    agree.add_argument("--as-tier", action="store_true", help="allowances and levels of the tier again")
    add_organisation(agree)
    special_terms = verbs.add(
        "special-terms", run_special_terms, "where what you sell differs from your plans and rules"
    )
    add_organisation(special_terms)
    end = verbs.add("end", run_end, "set the last day of a subscription; safe to repeat")
    end.add_argument("organisation")
    end.add_argument("name", help="the subscription's own name")
    end.add_argument(
        "day", type=lambda raw: None if raw == "never" else date.fromisoformat(raw), help="the last day, or never"
    )


def _add_accepting(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("--choose", action="append", default=[], metavar="SERVICE/CHOICE=VALUE", help="may be repeated")
    verb.add_argument("--accept-terms", metavar="VERSION", help="the version of the plan's terms that is accepted")


def _show(found: list[SubscriptionBody], out: Out) -> None:
    out.table(
        ("ORGANISATION", "SUBSCRIPTION", "PLAN", "TIER", "FROM", "LAST DAY"),
        [
            (
                f"{each.organisation}/{each.project}" if each.project else each.organisation,
                each.name,
                each.plan or "(the seller's own)",
                each.tier or "",
                each.starts_on.isoformat(),
                last_day(each.ends_on),
            )
            for each in found
        ],
    )


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show subscriptions."""
    found = client.subscriptions.list(own_organisation(arguments), below=True)
    out.body(found)
    _show(found, out)
    if not found:
        out.say("no subscriptions yet; make one with: gradumen subscriptions create")
    return 0


def run_create(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Subscribe."""
    plan, _, tier = arguments.plan.partition("/")
    made = client.subscriptions.create(
        SubscriptionCreate(
            organisation=arguments.organisation,
            project=arguments.project,
            plan=plan,
            tier=tier,
            name=arguments.name or plan,
            quantity=arguments.quantity,
            starts_on=arguments.starts_on,
            ends_on=day_after(arguments.last_day),
            rate_card=arguments.rate_card,
            trial_until=day_after(arguments.trial_last_day),
            choices=pairs(arguments.choose, "choose") or None,
            accepted_terms=arguments.accept_terms,
        )
    )
    out.body(made)
    _show([made], out)
    return 0


def _find(organisation: str, name: str, client: Client) -> SubscriptionBody:
    found = [each for each in client.subscriptions.list(organisation) if each.name == name]
    if not found:
        message = f"'{organisation}' has no subscription '{name}'; see: gradumen subscriptions list"
        raise Invalid(message, field="name", value=name)
    return found[0]


def run_change(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Change."""
    found = _find(arguments.organisation, arguments.name, client)
    change = SubscriptionChange(
        starts_on=arguments.starts_on,
        tier=arguments.tier,
        quantity=arguments.quantity,
        paused=arguments.paused,
        plan_version=arguments.plan_version,
        choices=pairs(arguments.choose, "choose") or None,
        accepted_terms=arguments.accept_terms,
        version=found.version,
    )
    made = client.subscriptions.change(found.id, change)
    out.body(made)
    _stretches(made, out)
    return 0


def _stretches(made: SubscriptionBody, out: Out) -> None:
    out.table(
        ("FROM", "VERSION", "TIER", "QUANTITY", "", "OWN TERMS"),
        [
            (
                each.starts_on.isoformat(),
                str(each.plan_version),
                each.tier or "",
                str(each.quantity),
                "paused" if each.paused else "trial" if each.trial else "",
                ", ".join(f"{key} {value}" for group in each.special_terms.values() for key, value in group.items()),
            )
            for each in made.stretches
        ],
        right=("VERSION", "QUANTITY"),
    )


def run_agree(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Agree special terms."""
    seller = own_organisation(arguments)
    found = _find(arguments.customer, arguments.name, client)
    own = {
        "allowances": pairs(arguments.allowance, "allowance"),
        "levels": pairs(arguments.level, "level"),
    }
    special_terms: dict[str, Any] | None = {key: value for key, value in own.items() if value}
    made = client.subscriptions.agree(
        found.id,
        SpecialTermsAgree(
            seller=seller,
            starts_on=arguments.starts_on,
            rate_card="" if arguments.rate_card == "by-rule" else arguments.rate_card,
            special_terms=special_terms if special_terms or arguments.as_tier else None,
            version=found.version,
        ),
    )
    out.body(made)
    _stretches(made, out)
    return 0


_SAID = {"plan_version": "version of {}", "rate_card": "rate card for {}"}


def run_special_terms(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show special terms."""
    found = client.subscriptions.special_terms(own_organisation(arguments))
    out.body(found)
    out.table(
        ("CUSTOMER", "SUBSCRIPTION", "WHAT", "STANDARD", "OWN", "FROM"),
        [
            (
                each.organisation,
                each.subscription,
                _SAID.get(each.kind, "{}").format(each.what),
                each.standard or "—",
                each.own,
                each.starts_on.isoformat(),
            )
            for each in found
        ],
    )
    if not found:
        out.say("no special terms: every subscription is as its plan and your rules say")
    return 0


def run_end(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """End."""
    found = _find(arguments.organisation, arguments.name, client)
    made = client.subscriptions.end(found.id, day_after(arguments.day), version=found.version)
    out.body(made)
    _show([made], out)
    return 0
