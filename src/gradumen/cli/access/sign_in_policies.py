"""gradumen sign-in-policies."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.signing import add_password, signed_in
from gradumen.client import Client
from gradumen.wire.access.sign_in_policies import SignInPolicyBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "sign-in-policies", "of whom an organisation demands a second factor")
    show = verbs.add("show", run_show, "what an organisation demands")
    demand = verbs.add("set", run_set, "demand it of nobody, its members, or all below as well")
    demand.add_argument("second_factor", choices=["nobody", "members", "all below"])
    demand.set_defaults(local=True)
    add_password(demand)
    for each in (show, demand):
        add_organisation(each)


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show it."""
    return _say(client.sign_in_policies.get(own_organisation(arguments)), out)


def run_set(arguments: argparse.Namespace, out: Out) -> int:
    """Demand it."""
    with signed_in(arguments) as client:
        return _say(client.sign_in_policies.set(own_organisation(arguments), arguments.second_factor), out)


def _say(policy: SignInPolicyBody, out: Out) -> int:
    out.body(policy)
    above = ", and one above demands it of all below" if policy.demanded_above else ""
    out.say(f"{policy.organisation} demands a second factor of {policy.second_factor}{above}")
    out.say(f"{policy.without} of its members have none")
    return 0
