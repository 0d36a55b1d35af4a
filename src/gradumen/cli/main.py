"""The entry of the command line: nouns and verbs, exit codes 0, 1 (refused) and 2 (usage)."""

import argparse
import importlib
import os
import sys
from collections.abc import Iterable, Sequence

from gradumen.cli.output import Out
from gradumen.core.errors import GradumenError

NOUNS = {
    "sign-in": "access.sessions",
    "sign-out": "access.sessions",
    "who-am-i": "access.sessions",
    "set-up": "access.sessions",
    "change-password": "access.sessions",
    "reset-password": "access.sessions",
    "organisations": "organisations.organisations",
    "details": "organisations.details",
    "states": "organisations.states",
    "clouds": "organisations.clouds",
    "hosts": "quotas.hosts",
    "projects": "organisations.projects",
    "project-people": "access.project_people",
    "sites": "organisations.sites",
    "measures": "quotas.measures",
    "pools": "quotas.pools",
    "quotas": "quotas.quotas",
    "quota-matrices": "quotas.quota_matrices",
    "quota-requests": "quotas.quota_requests",
    "site-quotas": "quotas.site_quotas",
    "catalogue": "catalogue.catalogue",
    "member-services": "catalogue.member_services",
    "estimates": "rating.estimates",
    "what-ifs": "rating.what_ifs",
    "onboardings": "subscriptions.onboardings",
    "moves": "subscriptions.moves",
    "subscriptions": "subscriptions.subscriptions",
    "assignment-rules": "subscriptions.assignment_rules",
    "one-off-charges": "subscriptions.one_off_charges",
    "orders": "subscriptions.orders",
    "cloud-feeds": "metering.cloud_feeds",
    "feed-precedences": "metering.feed_precedences",
    "feeds": "metering.feeds",
    "deliveries": "metering.deliveries",
    "pulls": "metering.pulls",
    "costs": "metering.imported_costs",
    "uploads": "metering.uploads",
    "exchange-rates": "metering.exchange_rates",
    "ownership-rules": "metering.ownership_rules",
    "ownership-trials": "billing.ownership_trials",
    "kind-rules": "metering.kind_rules",
    "feed-arrivals": "metering.feed_arrivals",
    "readings": "metering.readings",
    "refused-items": "metering.refused_items",
    "usage": "metering.usage",
    "resource-facts": "metering.resource_facts",
    "spells": "metering.spells",
    "composites": "rating.composites",
    "loads": "metering.loads",
    "uses": "metering.uses",
    "pool-days": "metering.pool_days",
    "breaches": "metering.breaches",
    "feed-balances": "spend.feed_balances",
    "spend": "spend.spend",
    "to-dos": "spend.to_dos",
    "bill-runs": "billing.bill_runs",
    "invoices": "billing.invoices",
    "charges": "rating.charges",
    "tax-rates": "billing.tax_rates",
    "members": "access.members",
    "invitations": "access.invitations",
    "second-factors": "access.second_factors",
    "sign-in-policies": "access.sign_in_policies",
    "tokens": "access.tokens",
    "programs": "access.programs",
    "tasks": "tasks",
    "messages": "messages",
    "audit-entries": "audit_entries",
    "archived-months": "metering.archived_months",
    "retentions": "retentions",
    "clock": "clock",
    "serve": "serve",
    "migrate": "migrate",
    "backup": "backups",
    "restore": "backups",
    "sealing": "sealing",
}
"""In which module of `gradumen.cli` each noun is, in the order in which they are told."""


def make_parser(nouns: Iterable[str] = NOUNS) -> argparse.ArgumentParser:
    """The parser of some nouns; of all, it is what `docs/cli.md` is checked by."""
    parser = argparse.ArgumentParser(
        prog="gradumen", description="Plans, quotas, metering, rating and invoices of cloud services."
    )
    parser.add_argument(
        "--profile",
        default=os.environ.get("GRADUMEN_PROFILE", "default"),
        help="which stored sign-in to use (GRADUMEN_PROFILE)",
    )
    parser.add_argument(
        "--url",
        default=os.environ.get("GRADUMEN_URL"),
        help="address of the service (GRADUMEN_URL); by default the profile's",
    )
    parsers = parser.add_subparsers(dest="noun", metavar="NOUN", required=True)
    for module in dict.fromkeys(NOUNS[noun] for noun in nouns):
        importlib.import_module(f"gradumen.cli.{module}").register(parsers)
    return parser


def _meant(given: Sequence[str]) -> Iterable[str]:
    """The nouns that a command can be about: to read and make the parsers of all takes longer than most commands."""
    words = iter(given)
    for word in words:
        if word in ("--profile", "--url"):
            next(words, None)
        elif not word.startswith("-"):
            # One that is the value of an option with a shortened name is no first word, so all that are nouns are kept.
            return [each for each in given if each in NOUNS] if word in NOUNS else NOUNS
    return NOUNS


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; gives the exit code."""
    given = sys.argv[1:] if argv is None else list(argv)
    if any("\ud800" <= letter <= "\udfff" for each in given for letter in each):
        make_parser().error("an argument is not UTF-8; write it in UTF-8")
    arguments = make_parser(_meant(given)).parse_args(given)
    out = Out(json=getattr(arguments, "json", False))
    try:
        if getattr(arguments, "local", False):
            return int(arguments.run(arguments, out))
        # What runs the service asks it nothing, and is there without all that it can be asked for.
        from gradumen.cli.profiles import connect

        with connect(arguments) as client:
            return int(arguments.run(arguments, client, out))
    except GradumenError as error:
        out.refuse(error)
        return 1
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    except KeyboardInterrupt:
        return 130


if __name__ == "__main__":
    sys.exit(main())
