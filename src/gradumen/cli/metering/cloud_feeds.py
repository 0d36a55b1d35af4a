"""gradumen cloud-feeds."""

import argparse
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.metering.cloud_feeds import CloudFeedBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(
        nouns, "cloud-feeds", "by which feed the usage of a cloud comes, of who has the account it is used in"
    )
    add_organisation(verbs.add("list", run_list, "the clouds of a seller and their feeds"))
    put = verbs.add("set", run_set, "let a cloud's usage come by a feed; its accounts get their rules; safe to repeat")
    put.add_argument("cloud", help="its slug or id")
    put.add_argument("feed", metavar="ORGANISATION/FEED")
    add_organisation(put)
    drop = verbs.add("drop", run_drop, "give accounts that come to nobody by themselves any more; safe to repeat")
    drop.add_argument("cloud", help="its slug or id")
    add_organisation(drop)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show them."""
    found = client.cloud_feeds.list(own_organisation(arguments))
    out.body(found)
    _show(out, found)
    if not found:
        out.say("no clouds yet: gradumen clouds add")
    return 0


def _show(out: Out, found: list[CloudFeedBody]) -> None:
    rows = [(each.cloud_name, each.feed or "none", str(each.accounts), str(each.owned)) for each in found]
    out.table(("CLOUD", "ITS USAGE COMES BY", "ACCOUNTS", "WITH A RULE"), rows, right=("ACCOUNTS", "WITH A RULE"))


def _one(arguments: argparse.Namespace, client: Client) -> UUID:
    organisation = own_organisation(arguments)
    found = [each for each in client.cloud_feeds.list(organisation) if arguments.cloud in (each.cloud, str(each.id))]
    if not found:
        said = f"{organisation} has no cloud called '{arguments.cloud}'; see gradumen cloud-feeds list"
        raise Invalid(said, field="cloud", value=arguments.cloud)
    return found[0].id


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Let it come by a feed."""
    made = client.cloud_feeds.set(_one(arguments, client), arguments.feed)
    out.body(made)
    _show(out, [made])
    return 0


def run_drop(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Let it come by none."""
    client.cloud_feeds.drop(_one(arguments, client))
    out.say("accounts that come get no rule by themselves any more; those that are there keep theirs")
    return 0
