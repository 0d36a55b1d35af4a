"""gradumen clouds: where accounts of customers are made."""

import argparse
import sys
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.places import one_cloud, one_site
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.organisations.clouds import CloudKind
from gradumen.wire.organisations.clouds import CloudBody, CloudCreate


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "clouds", "clouds in which accounts of customers are made")
    add_organisation(verbs.add("list", run_list, "those that an organisation may have accounts made in"))
    add = verbs.add("add", run_add, "register one; its secret is read from standard input")
    add.add_argument("slug")
    add.add_argument("endpoint", help="its address; the operator lists what may be called in GRADUMEN_OUTBOUND")
    add.add_argument("--kind", choices=list(CloudKind), default=CloudKind.ACCOUNT_SERVICE, help="what it speaks")
    change = verbs.add("change", run_change, "change what is given of it")
    change.add_argument("--endpoint")
    change.add_argument("--secret-stdin", action="store_true", help="read another secret from standard input")
    for verb in (add, change):
        verb.add_argument("--name")
        verb.add_argument("--place", help="where it is, for people")
        verb.add_argument(
            "--site", help="slug or id of the site where it runs: who may use that one has accounts in it"
        )
        verb.add_argument(
            "--shared", action=argparse.BooleanOptionalAction, help="sellers that buy from you may use it too"
        )
        verb.add_argument("--set-aside-for", metavar="CUSTOMER", help="for whom alone it is, '' for all")
    trying = verbs.add("try", run_try, "look whether it is reached, and what is missing")
    retire = verbs.add("retire", run_retire, "make no new accounts in it any more; safe to repeat")
    for verb in (change, trying, retire):
        verb.add_argument("cloud", help="its slug or id")
    for verb in (add, change, trying, retire):
        add_organisation(verb)
    add_organisation(verbs.add("accounts", run_accounts, "the accounts that an organisation has in clouds"))


def _show(found: list[CloudBody], out: Out) -> None:
    rows = [
        (each.slug, each.name, each.site_name or each.place or "", each.endpoint or "", "yes" if each.shared else "no")
        for each in found
    ]
    out.table(("CLOUD", "NAME", "PLACE", "ADDRESS", "SHARED"), rows)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show clouds."""
    found = client.clouds.list(own_organisation(arguments))
    out.body(found)
    _show(found, out)
    if not found:
        out.say("no cloud yet")
    return 0


def _secret() -> str:
    return sys.stdin.readline().strip()


def run_add(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Register a cloud."""
    body = CloudCreate(
        slug=arguments.slug,
        name=arguments.name or arguments.slug,
        place=arguments.place,
        kind=arguments.kind,
        set_aside_for=arguments.set_aside_for or None,
        site=_site(arguments, client),
        endpoint=arguments.endpoint,
        secret=_secret(),
        shared=bool(arguments.shared),
    )
    made = client.clouds.register(own_organisation(arguments), body)
    out.body(made)
    _show([made], out)
    return 0


def _site(arguments: argparse.Namespace, client: Client) -> UUID | None:
    return one_site(client, own_organisation(arguments), arguments.site).id if arguments.site else None


def _one(arguments: argparse.Namespace, client: Client) -> CloudBody:
    return one_cloud(client, own_organisation(arguments), arguments.cloud)


def run_change(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Change a cloud."""
    before = _one(arguments, client)
    names = ("name", "place", "endpoint", "shared", "set_aside_for")
    given = {name: value for name in names if (value := getattr(arguments, name)) is not None}
    if arguments.site is not None:
        given["site"] = _site(arguments, client)
    if arguments.secret_stdin:
        given["secret"] = _secret()
    made = client.clouds.change(before.id, before.version, **given)
    out.body(made)
    _show([made], out)
    return 0


def run_try(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Try a cloud; 1 where it is not reached."""
    told = client.clouds.try_it(_one(arguments, client).id)
    out.body(told)
    out.say(f"reached: {told.said}" if told.reached else f"not reached: {told.said}")
    return 0 if told.reached else 1


def run_retire(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Retire a cloud."""
    found: UUID = _one(arguments, client).id
    client.clouds.retire(found)
    out.say(f"no new accounts are made in {arguments.cloud}; those in it stay")
    return 0


def run_accounts(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show accounts."""
    found = client.clouds.accounts(own_organisation(arguments))
    out.body(found)
    rows = [
        (each.cloud_name, each.name, each.external_id or "", each.state, ", ".join(each.kept) or "-") for each in found
    ]
    out.table(("CLOUD", "ACCOUNT", "ID THERE", "STATE", "HELD THERE TO ITS LIMITS OF"), rows)
    if not found:
        out.say("no account in any cloud")
    return 0
