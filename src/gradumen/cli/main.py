"""The entry of the command line: nouns and verbs, exit codes 0, 1 (refused) and 2 (usage)."""

import argparse
import os
import sys
from collections.abc import Callable, Sequence

from gradumen.cli import audit_entries, backups, clock, messages, migrate, retentions, sealing, serve, tasks
from gradumen.cli.access import (
    invitations,
    members,
    programs,
    project_people,
    second_factors,
    sessions,
    sign_in_policies,
    tokens,
)
from gradumen.cli.billing import bill_runs, invoices, ownership_trials, tax_rates
from gradumen.cli.catalogue import catalogue, member_services
from gradumen.cli.metering import (
    archived_months,
    breaches,
    cloud_feeds,
    deliveries,
    exchange_rates,
    feed_arrivals,
    feed_precedences,
    feeds,
    imported_costs,
    kind_rules,
    loads,
    ownership_rules,
    pool_days,
    pulls,
    readings,
    refused_items,
    resource_facts,
    spells,
    uploads,
    usage,
    uses,
)
from gradumen.cli.organisations import clouds, details, organisations, projects, sites, states
from gradumen.cli.output import Out
from gradumen.cli.profiles import connect
from gradumen.cli.quotas import hosts, measures, pools, quota_matrices, quota_requests, quotas, site_quotas
from gradumen.cli.rating import charges, composites, estimates, what_ifs
from gradumen.cli.spend import feed_balances, spend, to_dos
from gradumen.cli.subscriptions import assignment_rules, moves, onboardings, one_off_charges, orders, subscriptions
from gradumen.client import Client
from gradumen.core.errors import GradumenError

Run = Callable[[argparse.Namespace, Client, Out], int]
NOUNS = (
    sessions,
    organisations,
    details,
    states,
    clouds,
    hosts,
    projects,
    project_people,
    sites,
    measures,
    pools,
    quotas,
    quota_matrices,
    quota_requests,
    site_quotas,
    catalogue,
    member_services,
    estimates,
    what_ifs,
    onboardings,
    moves,
    subscriptions,
    assignment_rules,
    one_off_charges,
    orders,
    cloud_feeds,
    feed_precedences,
    feeds,
    deliveries,
    pulls,
    imported_costs,
    uploads,
    exchange_rates,
    ownership_rules,
    ownership_trials,
    kind_rules,
    feed_arrivals,
    readings,
    refused_items,
    usage,
    resource_facts,
    spells,
    composites,
    loads,
    uses,
    pool_days,
    breaches,
    feed_balances,
    spend,
    to_dos,
    bill_runs,
    invoices,
    charges,
    tax_rates,
    members,
    invitations,
    second_factors,
    sign_in_policies,
    tokens,
    programs,
    tasks,
    messages,
    audit_entries,
    archived_months,
    retentions,
    clock,
    serve,
    migrate,
    backups,
    sealing,
)


def make_parser() -> argparse.ArgumentParser:
    """The whole parser, from which `docs/cli.md` is checked."""
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
    nouns = parser.add_subparsers(dest="noun", metavar="NOUN", required=True)
    for module in NOUNS:
        module.register(nouns)
    return parser


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; gives the exit code."""
    given = sys.argv[1:] if argv is None else list(argv)
    if any("\ud800" <= letter <= "\udfff" for each in given for letter in each):
        make_parser().error("an argument is not UTF-8; write it in UTF-8")
    arguments = make_parser().parse_args(given)
    out = Out(json=getattr(arguments, "json", False))
    try:
        if getattr(arguments, "local", False):
            result: int = arguments.run(arguments, out)
            return result
        with connect(arguments) as client:
            run: Run = arguments.run
            return run(arguments, client, out)
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
