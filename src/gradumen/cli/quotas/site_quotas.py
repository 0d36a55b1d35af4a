"""gradumen site-quotas: limits at sites and of pools."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.places import MEASURES, limit, one_site
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.quotas.site_quotas import SiteQuotaBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "site-quotas", "limits at sites and of pools, within those of all sites")
    add_organisation(verbs.add("list", run_list, "what an organisation and its projects may have where"))
    grant = verbs.add("grant", run_grant, "set a limit at a site or of a pool there; safe to repeat")
    grant.add_argument("organisation", help="who gets it")
    grant.add_argument("site", help="slug or id of a site that it may use")
    grant.add_argument("measure", help=MEASURES)
    grant.add_argument("limit", type=limit, help="a number, or 'none' to take it away")
    grant.add_argument("--pool", help="slug or id of a pool there, yours or one that you have a limit of")
    grant.add_argument("--project", help="a project of the organisation")
    grant.add_argument("--label", help="what you call it")


HEAD = ("HOLDER", "WHERE", "MEASURE", "LIMIT", "PASSED ON", "LEFT", "UNIT")


def _show(found: list[SiteQuotaBody], out: Out) -> None:
    rows = [
        (
            f"{each.organisation}/{each.project}" if each.project else each.organisation,
            f"{each.site_slug}: {each.pool_name}" if each.pool_name else each.site_slug,
            each.measure,
            *(quantity(figure) for figure in (each.limit, each.granted, each.left)),
            each.unit,
        )
        for each in found
    ]
    out.table(HEAD, rows, right=("LIMIT", "PASSED ON", "LEFT"))


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show limits."""
    found = client.site_quotas.list(own_organisation(arguments))
    out.body(found)
    _show(found, out)
    if not found:
        out.say("nothing is limited at a single site")
    return 0


def run_grant(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set a limit."""
    organisation = arguments.organisation
    site = one_site(client, organisation, arguments.site)
    pool = None
    if arguments.pool:
        giver = own_organisation(argparse.Namespace(organisation=None, profile=arguments.profile))
        pools = {each.slug: each.id for each in client.pools.list(giver)}
        pools |= {each.pool_name or "": each.pool for each in client.site_quotas.list(giver) if each.pool}
        pool = next((id for name, id in pools.items() if arguments.pool in (name, str(id))), None)
        if pool is None:
            raise Invalid(f"no pool is called '{arguments.pool}'; see gradumen pools list", field="pool")
    made = client.site_quotas.grant(
        organisation,
        site.id,
        arguments.measure,
        arguments.limit,
        pool=pool,
        project=arguments.project,
        label=arguments.label,
    )
    out.body(made)
    _show([made], out)
    return 0
