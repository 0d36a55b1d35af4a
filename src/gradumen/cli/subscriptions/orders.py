"""gradumen orders: what customers order of their sellers."""

import argparse
from datetime import date, timedelta
from typing import Any
from uuid import UUID

from gradumen.cli.nouns import Verbs, add_organisation, by_beginning
from gradumen.cli.output import Out, money
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, number
from gradumen.core.subscriptions.orders import Approver, OrderKind
from gradumen.wire.subscriptions.orders import OrderBody, OrderCreate, OrderPolicyBody

ANY = "any"


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "orders", "what customers order by themselves, and what waits for approval")
    listing = verbs.add("list", run_list, "what an organisation ordered, and is ordered of it by its customers")
    listing.add_argument("--waiting", action="store_true", help="only what waits for approval")
    add_organisation(listing)
    new = verbs.add("subscribe", run_subscribe, "order a tier of what is offered to you")
    new.add_argument("plan", metavar="PLAN/TIER")
    new.add_argument("--name", help="the subscription's own name; by default the plan's slug")
    new.add_argument("--project")
    new.add_argument("--accept-terms", metavar="VERSION", help="the version of the plan's terms that is accepted")
    change = verbs.add("change", run_change, "order another tier, quantity or choice of a subscription")
    change.add_argument("name", help="the subscription's own name")
    change.add_argument("--tier")
    ending = verbs.add("end", run_end, "order the end of a subscription")
    ending.add_argument("name", help="the subscription's own name")
    for verb in (new, change):
        verb.add_argument("--quantity", type=int)
        verb.add_argument("--choose", action="append", default=[], metavar="SERVICE/CHOICE=VALUE", help="repeatable")
        verb.add_argument("--from", dest="day", type=date.fromisoformat, required=True, metavar="DAY")
    ending.add_argument("--last-day", type=date.fromisoformat, required=True, metavar="DAY")
    for verb in (new, change, ending):
        verb.add_argument("--purchase-order", metavar="NUMBER", help="your own number of it")
        verb.add_argument("--reason", help="for the one who approves")
        add_organisation(verb)
    for name, run, help in (
        ("approve", run_approve, "approve an order as it stands, which carries it out; safe to repeat"),
        ("refuse", run_refuse, "refuse it; safe to repeat"),
        ("withdraw", run_withdraw, "take your own order back while it waits; safe to repeat"),
    ):
        verb = verbs.add(name, run, help)
        verb.add_argument("order", help="its id, or the beginning of it")
        if name == "refuse":
            verb.add_argument("reason", help="why; the one who ordered reads it")
        if name == "approve":
            verb.add_argument("--changed", action="store_true", help="though its plan or prices are not as they were")
        add_organisation(verb)
    add_organisation(verbs.add("policies", run_policies, "up to which amount a month is ordered without approval"))
    policy = verbs.add("set-policy", run_set_policy, "say so, for customers billed in a currency; safe to repeat")
    policy.add_argument("currency")
    policy.add_argument("amount", help="a month, net; 0 lets every order wait, any lets none wait")
    policy.add_argument("--own", action="store_true", help="what your own people order without an administrator")
    add_organisation(policy)


HEAD = ("ORDER", "OF", "WHAT", "ADDS A MONTH", "STATE", "BY", "REASON")


def _row(each: OrderBody) -> tuple[str, ...]:
    said = each.answer or each.reason or ""
    number = f"{each.purchase_order}: " if each.purchase_order and said else each.purchase_order or ""
    adds = f"{money(each.amount, each.currency)} {each.currency}"
    return (str(each.id)[:8], each.organisation_name, each.what, adds, _state(each), each.asked_by, f"{number}{said}")


def _state(each: OrderBody) -> str:
    if each.waits_for is None:
        return each.state
    return "waits for you" if each.waits_for is Approver.OWN else f"waits for {each.seller}"


def _show(made: OrderBody, out: Out) -> int:
    out.body(made)
    out.table(HEAD, [_row(made)], right=("ADDS A MONTH",))
    if made.state == "waiting":
        approver = made.seller_name if made.waits_for is Approver.SELLER else "another administrator"
        out.say(f"it waits for the approval of {approver}; nothing is held until then")
    return 0


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show orders."""
    found = client.orders.list(own_organisation(arguments), state="waiting" if arguments.waiting else None)
    out.body(found)
    # What waits for an answer first.
    rows = map(_row, sorted(found, key=lambda each: each.state != "waiting"))
    out.table(HEAD, rows, right=("ADDS A MONTH",))
    for each in found:
        if each.changed:
            what = " and its ".join(each.changed)
            out.say(f"{str(each.id)[:8]}: its {what} changed since it was ordered; look, then: approve --changed")
    if not found:
        out.say("nothing waits" if arguments.waiting else "nobody ordered anything")
    return 0


def _choices(arguments: argparse.Namespace) -> dict[str, str] | None:
    for each in arguments.choose:
        if "=" not in each:
            raise Invalid(f"'{each}' is no choice; write SERVICE/CHOICE=VALUE", field="choose", value=each)
    return dict(each.split("=", 1) for each in arguments.choose) or None


def _place(arguments: argparse.Namespace, client: Client, out: Out, wanted: dict[str, Any]) -> int:
    body = OrderCreate(purchase_order=arguments.purchase_order, reason=arguments.reason, **wanted)
    return _show(client.orders.place(own_organisation(arguments), body), out)


def run_subscribe(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Order a tier."""
    plan, _, tier = arguments.plan.partition("/")
    wanted = {
        "kind": OrderKind.SUBSCRIBE,
        "day": arguments.day,
        "plan": plan,
        "tier": tier,
        "name": arguments.name or plan,
        "project": arguments.project,
        "quantity": arguments.quantity,
        "choices": _choices(arguments),
        "accepted_terms": arguments.accept_terms,
    }
    return _place(arguments, client, out, wanted)


def _subscription(arguments: argparse.Namespace, client: Client) -> UUID:
    """The subscription of that name."""
    organisation = own_organisation(arguments)
    found = [each for each in client.subscriptions.list(organisation) if each.name == arguments.name]
    if not found:
        raise Invalid(f"{organisation} has no subscription '{arguments.name}'", field="name", value=arguments.name)
    return found[0].id


def run_change(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Order a change."""
    wanted = {
        "kind": OrderKind.CHANGE,
        "day": arguments.day,
        "subscription": _subscription(arguments, client),
        "tier": arguments.tier,
        "quantity": arguments.quantity,
        "choices": _choices(arguments),
    }
    return _place(arguments, client, out, wanted)


def run_end(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Order an end."""
    day = arguments.last_day + timedelta(days=1)
    wanted = {"kind": OrderKind.END, "day": day, "subscription": _subscription(arguments, client)}
    return _place(arguments, client, out, wanted)


def _one(arguments: argparse.Namespace, client: Client) -> UUID:
    def newest() -> list[UUID]:
        return [each.id for each in client.orders.list(own_organisation(arguments))]

    return by_beginning(arguments.order, newest, field="order", noun="order")


def run_approve(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Approve an order at the amount that it shows."""
    wanted = _one(arguments, client)
    found = next(each for each in client.orders.list(own_organisation(arguments)) if each.id == wanted)
    return _show(client.orders.approve(wanted, found.amount, seal=found.seal if arguments.changed else None), out)


def run_refuse(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Refuse an order."""
    return _show(client.orders.refuse(_one(arguments, client), arguments.reason), out)


def run_withdraw(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take an order back."""
    return _show(client.orders.withdraw(_one(arguments, client)), out)


def _policies(found: list[OrderPolicyBody], out: Out) -> None:
    rows = [
        (
            "own people" if each.approver is Approver.OWN else "customers",
            each.currency,
            "any" if each.amount is None else money(each.amount, each.currency),
        )
        for each in found
    ]
    out.table(("ORDERED BY", "CURRENCY", "AT ONCE UP TO, A MONTH"), rows, right=("AT ONCE UP TO, A MONTH",))


def run_policies(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show policies."""
    found = client.orders.policies(own_organisation(arguments))
    out.body(found)
    _policies(found, out)
    out.say("where none is said, every order of a customer waits, and none of your own people")
    return 0


def run_set_policy(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set a policy."""
    amount = None if arguments.amount == ANY else number(arguments.amount, field="amount", places=AMOUNT_PLACES)
    approver = Approver.OWN if arguments.own else Approver.SELLER
    made = client.orders.set_policy(own_organisation(arguments), arguments.currency, amount, approver)
    out.body(made)
    _policies([made], out)
    return 0
