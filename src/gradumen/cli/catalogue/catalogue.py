"""gradumen catalogue: files of services, plans and rate cards."""

import argparse
import json
from datetime import date
from pathlib import Path
from typing import Any

from gradumen.cli.files import load
from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.catalogue.catalogue import ChangeBody
from gradumen.wire.catalogue.forms.offers import OfferForm
from gradumen.wire.catalogue.forms.schema import catalogue_schema


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "catalogue", "services, plans and rate cards, written as YAML files")
    for name, run, help in (
        ("check", run_check, "find mistakes in files, with file, line and remedy"),
        ("compare", run_compare, "show what publishing the files would change"),
        ("publish", run_publish, "publish the files, all or none; safe to repeat"),
    ):
        verb = verbs.add(name, run, help)
        verb.add_argument("files", type=Path, nargs="+", metavar="FILE", help="YAML files, or folders of them")
        add_organisation(verb)
    cards = verbs.add("rate-cards", run_rate_cards, "rate cards that you sell by or buy by")
    cards.add_argument("--file", metavar="SELLER/CARD", help="print one as the YAML that publishes it")
    offers = verbs.add("offers", run_offers, "what a seller offers to whom")
    add_organisation(offers)
    margins = verbs.add("margins", run_margins, "buy price, sell price and margin of each rate of a card of yours")
    margins.add_argument("card", metavar="SELLER/CARD")
    margins.add_argument("--against", metavar="SELLER/CARD", help="the card to buy by; by default the one most used")
    verbs.add("price-changes", run_price_changes, "prices that you pay and that are about to change")
    differences = verbs.add("differences", run_differences, "what differs between two versions of a plan or rate card")
    differences.add_argument("name", metavar="PLAN|SELLER/CARD")
    differences.add_argument("before", type=int)
    differences.add_argument("after", type=int)
    unpublished = verbs.add("unpublished", run_unpublished, "changes to services, plans and rate cards being written")
    add_organisation(unpublished)
    withdraw = verbs.add("withdraw", run_withdraw, "withdraw a tier from sale from a day on; who has it keeps it")
    withdraw.add_argument("plan", metavar="PLAN/TIER")
    withdraw.add_argument("day", type=_day_or_never, help="first day not sold, or never to take it back")
    withdraw.add_argument("--retire", type=date.fromisoformat, metavar="DAY", help="from then on nobody may have it")
    schema = verbs.add("schema", run_schema, "the JSON Schema of catalogue files, for editors")
    schema.set_defaults(local=True)
    verbs.add("plans", run_plans, "plans on offer, with their tiers")


def run_check(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Check only."""
    changes = client.catalogue.compare(own_organisation(arguments), load(arguments.files))
    out.body(changes)
    out.say(f"{len(changes)} documents, no mistakes")
    return 0


def run_schema(_: argparse.Namespace, out: Out) -> int:
    """Print the schema."""
    out.stream.write(json.dumps(catalogue_schema(), indent=2, ensure_ascii=False) + "\n")
    return 0


def run_compare(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show what would change."""
    _show(client.catalogue.compare(own_organisation(arguments), load(arguments.files)), out)
    return 0


def run_publish(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Publish."""
    _show(client.catalogue.publish(own_organisation(arguments), load(arguments.files)), out)
    return 0


def _show(changes: list[ChangeBody], out: Out) -> None:
    out.body(changes)
    out.table(
        ("KIND", "NAME", "CHANGE", "VERSION"),
        [(each.kind, each.slug, each.change, str(each.version)) for each in changes],
        right=("VERSION",),
    )
    for each in changes:
        for difference in each.differences:
            out.say(f"  {each.slug}: {difference.words}")


def run_rate_cards(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show rate cards."""
    if arguments.file:
        seller, _, slug = arguments.file.partition("/")
        out.say(client.catalogue.rate_card_file(seller, slug).rstrip())
        return 0
    found = client.catalogue.rate_cards()
    out.body(found)
    rows = [
        (
            f"{card.seller}/{card.slug}",
            card.name,
            card.currency,
            card.buyers,
            str(version.number),
            version.starts_on.isoformat(),
            "in force" if version.in_force else "",
        )
        for card in found
        for version in card.versions
    ]
    out.table(("RATE CARD", "NAME", "CURRENCY", "FOR", "VERSION", "FROM", ""), rows, right=("VERSION",))
    if not found:
        out.say("no rate cards yet; publish one with: gradumen catalogue publish")
    return 0


def _day_or_never(raw: str) -> date | None:
    return None if raw == "never" else date.fromisoformat(raw)


def run_withdraw(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Withdraw."""
    plan, _, tier = arguments.plan.partition("/")
    found = client.catalogue.set_tier_sale(plan, tier, withdrawn_on=arguments.day, retired_on=arguments.retire)
    out.body(found)
    if found.withdrawn_on is None:
        out.say(f"{plan}/{tier} is on sale")
    else:
        out.say(f"{plan}/{tier} is not sold from {found.withdrawn_on} on; {found.subscriptions} subscriptions keep it")
    if found.retired_on is not None:
        out.say(f"it is retired on {found.retired_on}")
    return 0


def run_differences(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show differences."""
    seller, slash, slug = arguments.name.rpartition("/")
    if slash:
        found = client.catalogue.rate_card_differences(seller, slug, arguments.before, arguments.after)
    else:
        found = client.catalogue.plan_differences(slug, arguments.before, arguments.after)
    out.body(found)
    for each in found:
        out.say(each.words)
    if not found:
        out.say("these versions do not differ")
    return 0


def run_offers(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show offers."""
    found = client.catalogue.offers(own_organisation(arguments))
    out.body(found)
    out.table(
        ("PLAN", "NAME", "TO", "TIERS", "RECOMMENDED", "LAPSED"),
        [
            (
                each.plan,
                each.form.name or each.plan,
                each.form.to if isinstance(each.form.to, str) else ", ".join(each.form.to) or "nobody",
                ", ".join(_tiers(each.form).values()),
                _tiers(each.form).get(each.form.recommended or "", ""),
                ", ".join(each.lapsed),
            )
            for each in found
        ],
    )
    if not found:
        out.say("nothing is offered yet, so nobody can order; publish documents that begin with: offer")
    return 0


def run_margins(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show margins."""
    seller, _, slug = arguments.card.partition("/")
    found = client.catalogue.margins(seller, slug, against=arguments.against)
    out.body(found)
    out.say(f"{found.sells_by} sold, {found.buys_by} bought, in {found.currency}; prices of the first unit")
    out.table(
        ("RATE", "PER", "BUY", "SELL", "MARGIN", "%", "% LOWEST"),
        [
            (
                each.rate,
                each.unit,
                "—" if each.buy is None else quantity(each.buy),
                quantity(each.sell),
                "—" if each.margin is None else quantity(each.margin),
                "—" if each.percent is None else quantity(each.percent),
                "—" if each.percent_lowest is None else quantity(each.percent_lowest),
            )
            for each in found.rates
        ],
        right=("BUY", "SELL", "MARGIN", "%", "% LOWEST"),
    )
    return 0


def run_price_changes(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show coming prices."""
    found = client.catalogue.price_changes()
    out.body(found)
    for each in found:
        out.say(
            f"from {each.starts_on}: {each.seller}/{each.rate_card} ({each.currency}), for {each.subscriptions} "
            f"subscriptions of {each.buyer}"
        )
        for difference in each.differences:
            out.say(f"  {difference.words}")
    if not found:
        out.say("no prices that you pay are about to change")
    return 0


def run_unpublished(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show unpublished changes."""
    found = client.unpublished_changes.list(own_organisation(arguments))
    out.body(found)
    out.table(
        ("KIND", "NAME", "VERSION", "SAVED BY", "AT"),
        [
            (each.kind, each.slug, str(each.version), each.edited_by, f"{each.edited_at:%Y-%m-%d %H:%M}")
            for each in found
        ],
        right=("VERSION",),
    )
    if not found:
        out.say("no unpublished changes; the console's catalogue pages make them")
    return 0


def run_plans(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show plans."""
    found = client.catalogue.plans()
    out.body(found)
    rows = [
        (plan.slug, plan.form.name, tier.tier, tier.name, ", ".join(plan.form.services))
        for plan in found
        for tier in plan.form.tiers
    ]
    out.table(("PLAN", "NAME", "TIER", "TIER NAME", "SERVICES"), rows)
    if not found:
        out.say("no plans yet; publish one with: gradumen catalogue publish")
    return 0


def _tiers(offer: OfferForm) -> dict[str, str]:
    """The tiers on offer with their names; what is published has every name written out."""
    return {slug: str(name) for slug, name in offer.tiers.items()} if isinstance(offer.tiers, dict) else {}
