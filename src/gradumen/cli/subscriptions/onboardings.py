"""gradumen onboardings."""

import argparse
import hashlib
from pathlib import Path
from typing import Any
from uuid import UUID

from gradumen.cli.customer_files import check_slugs, check_whole, read_customers
from gradumen.cli.nouns import Verbs, add_organisation, by_beginning
from gradumen.cli.output import Out, in_short
from gradumen.cli.profiles import own_organisation
from gradumen.cli.signing import add_password, signed_in
from gradumen.client import Client
from gradumen.core.errors import Conflict
from gradumen.core.exact import AMOUNT_PLACES, figure, money, number
from gradumen.core.subscriptions.onboardings import OnboardingState
from gradumen.core.units import counted
from gradumen.wire.subscriptions.onboardings import (
    MOST,
    LinkedAccountBody,
    OnboardedBody,
    OnboardingBody,
    OnboardingCreate,
    OnboardingPolicyBody,
    OnboardingSketch,
)


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "onboardings", "bring customers on board: limits, projects, people and subscriptions at once")
    make = verbs.add("make", run_make, "bring those of a file on board: one of a .yaml file, or a line each of a .csv")
    make.add_argument("--check", action="store_true", help="only see whether they can be, and what it comes to")
    listing = verbs.add("list", run_list, "who is brought or was brought on board, and what waits")
    listing.add_argument("--state", choices=[*OnboardingState], help="only those")
    add_organisation(listing)
    show = verbs.add("show", run_show, "what would happen, or happened, in sentences")
    draft = verbs.add("draft", run_draft, "write a draft from a .yaml file, which others go on with")
    draft.add_argument("--over", metavar="ONBOARDING", help="over the draft that is there")
    submit = verbs.add("submit", run_submit, "bring the customer of a draft on board, or ask for it")
    approve = verbs.add("approve", run_approve, "approve what waits as it stands, which does it; safe to repeat")
    refuse = verbs.add("refuse", run_refuse, "refuse it; safe to repeat")
    back = verbs.add("ask-back", run_ask_back, "have it written otherwise first; safe to repeat")
    withdraw = verbs.add("withdraw", run_withdraw, "take back what waits, so that it is a draft again; safe to repeat")
    discard = verbs.add("discard", run_discard, "give a draft up; safe to repeat")
    undo = verbs.add(
        "undo", run_undo, "take back all that was made of one whose steps are not all done; safe to repeat"
    )
    for verb in (show, submit, approve, refuse, back, withdraw, discard, undo):
        verb.add_argument("onboarding", help="its id, or the beginning of it")
    for verb in (refuse, back):
        verb.add_argument("reason", help="why; the one who asked reads it")
    for verb in (make, draft):
        verb.add_argument("file", type=Path)
    for verb in (show, submit, approve, refuse, back, withdraw, discard, draft, undo):
        add_organisation(verb)
    for verb in (make, submit, approve):
        # Members are made, which a person does.
        verb.set_defaults(local=True)
        add_password(verb)
    add_organisation(make)
    add_organisation(verbs.add("policies", run_policies, "up to how much comes on board without another administrator"))
    policy = verbs.add("set-policy", run_set_policy, "say so, for fees in a currency or a measure; safe to repeat")
    policy.add_argument("subject", help="a currency or a measure")
    policy.add_argument("amount", help="in a month; any takes the bound away")
    add_organisation(policy)


def run_make(arguments: argparse.Namespace, out: Out) -> int:
    """Look at all of them first, then bring them on board, some at a time; as a person: members are made."""
    with signed_in(arguments) as client:
        customers = read_customers(arguments.file, OnboardingCreate, _measures(client))
        check_slugs(customers)
        return _run(arguments, client, customers, out)


def _measures(client: Client) -> list[str]:
    return [each.measure for each in client.measures.list()]


def _run(arguments: argparse.Namespace, client: Client, customers: list[OnboardingCreate], out: Out) -> int:
    seller = own_organisation(arguments)
    if len(customers) > MOST:
        customers = _to_come(client, seller, customers, out)
    portions = [customers[start : start + MOST] for start in range(0, len(customers), MOST)]
    had = {each.measure: each for each in client.quotas.list(seller)} if len(portions) > 1 else {}
    looked = [_make(client, seller, portion, place * MOST, out, check=True) for place, portion in enumerate(portions)]
    # Each portion was looked at by itself.
    check_whole(had, customers, looked)
    found = [each for portion in looked for each in portion]
    if not arguments.check:
        found = []
        for place, portion in enumerate(portions):
            found += _make(client, seller, portion, place * MOST, out, check=False)
    out.body(found)
    for each in found:
        out.say("\n".join(each.sentences))
        out.say("".join(f"  {money(one.amount, one.currency)} {one.currency} a month\n" for one in each.monthly))
        for sentence in _linked(each):
            out.say(sentence)
    waiting = [each for each in found if each.waits_because]
    for each in waiting:
        out.say(f"{each.name} waits for another administrator: {each.waits_because}")
    done = len(found) - len(waiting)
    out.say(f"{done} customers {'could come' if arguments.check else 'came'} on board")
    return 0


def _to_come(client: Client, seller: str, customers: list[OnboardingCreate], out: Out) -> list[OnboardingCreate]:
    """Those of a long file that an earlier try, which stopped on its way, did not bring on board."""
    begun = {each.wanted.model_dump_json() for each in client.onboardings.list(seller) if each.state in _BEGUN}
    left = [each for each in customers if OnboardingSketch(**each.model_dump()).model_dump_json() not in begun]
    if len(left) < len(customers):
        out.say(f"{len(customers) - len(left)} of {len(customers)} customers came on board, or wait, since before")
    return left


_BEGUN = (OnboardingState.WAITING, OnboardingState.RUNNING, OnboardingState.DONE)
HEAD = ("ONBOARDING", "CUSTOMER", "STATE", "A MONTH", "BY", "WHY")


def _row(each: OnboardingBody) -> tuple[str, ...]:
    monthly = " + ".join(f"{money(one.amount, one.currency)} {one.currency}" for one in each.monthly)
    said = each.waits_because or each.answer or ""
    return (str(each.id)[:8], each.wanted.name or "(no name yet)", each.state, monthly, each.changed_by, said)


def _show(each: OnboardingBody, out: Out) -> int:
    out.body(each)
    out.table(HEAD, [_row(each)], right=("A MONTH",))
    return 0


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show onboardings."""
    found = client.onboardings.list(own_organisation(arguments), state=arguments.state)
    out.body(found)
    # What waits for an answer first.
    rows = map(_row, sorted(found, key=lambda each: each.state is not OnboardingState.WAITING))
    out.table(HEAD, rows, right=("A MONTH",))
    if not found:
        out.say("nobody is being brought on board")
    return 0


def _one(arguments: argparse.Namespace, client: Client) -> OnboardingBody:
    def newest() -> list[UUID]:
        return [each.id for each in client.onboardings.list(own_organisation(arguments))]

    return client.onboardings.get(by_beginning(arguments.onboarding, newest, field="onboarding", noun="onboarding"))


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show one: what would happen now, or what did."""
    found = _one(arguments, client)
    if found.state not in (OnboardingState.DRAFT, OnboardingState.WAITING):
        out.say("\n".join(found.sentences))
        _steps(found, out)
        if found.state is OnboardingState.DONE and found.customer is not None:
            _measured(client, found.customer, out)
        return _show(found, out)
    told = client.onboardings.check(found.id)
    _say(told, out)
    return _show(found, out)


def _steps(found: OnboardingBody, out: Out) -> None:
    for step in found.task.steps if found.task else ():
        out.say(f"{step.started_at:%H:%M:%S}  {step.name}: {step.state}  {step.log}".rstrip())
    if found.task and found.task.problem:
        out.say(f"{found.task.state}: {found.task.problem}")


def _measured(client: Client, customer: str, out: Out) -> None:
    """The last step, which closes by itself: something was measured in each account."""
    for each in client.first_readings.list(customer):
        seen = "its cloud's usage comes by no feed" if not each.metered else "not yet"
        seen = seen if each.first_day is None else f"done, on {each.first_day}"
        out.say(f"first reading seen of {each.account} in {each.cloud_name}: {seen}")


def _say(told: OnboardedBody, out: Out) -> None:
    leaves = [f"That leaves {figure(one.left)} of your {figure(one.limit)} {one.unit}." for one in told.leaves]
    leaves += _linked(told)
    waits = [f"It waits for another administrator: {told.waits_because}."] if told.waits_because else []
    out.say("\n".join([*told.sentences, *leaves, *waits]))


def _linked(told: OnboardedBody) -> list[str]:
    """What is in accounts that are linked already, and what a month of that would cost."""
    if told.linked is None:
        return []
    said = [_in_account(each) for each in told.linked.accounts]
    said += [
        f"Next month: {money(each.amount, each.currency)} {each.currency} with fees, net, if it used the same."
        for each in told.linked.monthly
    ]
    return [*said, f"Not in that: {', '.join(told.linked.not_priced)}."] if told.linked.not_priced else said


def _in_account(found: LinkedAccountBody) -> str:
    where = f"Account {found.account} of {found.cloud_name}"
    if not found.measured:
        return f"{where}: no feed measures that cloud, so nothing is known of what is in it."
    if found.since is None:
        return f"{where}: nothing was used in it, as far as its feed measured."
    whose = ", ".join(found.owners) or "nobody's"
    used = "; ".join(f"{each.meter_name} {in_short(each.quantity, each.unit)}" for each in found.used)
    what = f"{counted(found.resources, 'resource')} since {found.since}, {whose} until now"
    return f"{where}: {what}. In 31 days: {used or 'nothing'}."


def run_draft(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Write a draft."""
    [wanted] = read_customers(arguments.file, OnboardingSketch, _measures(client))
    if arguments.over is None:
        return _show(client.onboardings.draft(own_organisation(arguments), wanted), out)
    arguments.onboarding = arguments.over
    before = _one(arguments, client)
    return _show(client.onboardings.save(before.id, before.version, wanted), out)


def run_submit(arguments: argparse.Namespace, out: Out) -> int:
    """Bring it on board, or ask for it."""
    with signed_in(arguments) as client:
        found = _one(arguments, client)
        return _show(client.onboardings.submit(found.id, found.version), out)


def run_approve(arguments: argparse.Namespace, out: Out) -> int:
    """Approve what would happen now, which is said first."""
    with signed_in(arguments) as client:
        found = _one(arguments, client)
        told = client.onboardings.check(found.id)
        _say(told, out)
        return _show(client.onboardings.approve(found.id, told.seal), out)


def run_refuse(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Refuse it."""
    return _show(client.onboardings.refuse(_one(arguments, client).id, arguments.reason), out)


def run_ask_back(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Ask back."""
    return _show(client.onboardings.ask_back(_one(arguments, client).id, arguments.reason), out)


def run_withdraw(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take it back."""
    return _show(client.onboardings.withdraw(_one(arguments, client).id), out)


def run_undo(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Take it back."""
    return _show(client.onboardings.undo(_one(arguments, client).id), out)


def run_discard(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Give it up."""
    found = _one(arguments, client)
    client.onboardings.discard(found.id)
    out.say(f"the draft of {found.wanted.name or 'a customer without name'} is given up")
    return 0


def run_policies(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the bounds."""
    found = client.onboardings.policies(own_organisation(arguments))
    _policies(found, out)
    out.say("what has no bound comes on board without another administrator")
    return 0


def _policies(found: list[OnboardingPolicyBody], out: Out) -> None:
    out.body(found)
    rows = [(each.subject, "any" if each.amount is None else figure(each.amount)) for each in found]
    out.table(("OF", "UP TO, A MONTH"), rows, right=("UP TO, A MONTH",))


def run_set_policy(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set a bound."""
    raw = arguments.amount
    amount = None if raw == "any" else number(raw, field="amount", places=AMOUNT_PLACES)
    _policies([client.onboardings.set_policy(own_organisation(arguments), arguments.subject, amount)], out)
    return 0


def _make(
    client: Client, seller: str, portion: list[OnboardingCreate], first: int, out: Out, *, check: bool
) -> list[OnboardedBody]:
    """One call; a file that is sent again after an answer was lost does nothing twice."""
    content = "".join(each.model_dump_json() for each in portion)
    key = hashlib.sha256(f"{seller} {check} {content}".encode()).hexdigest() if not check else None
    try:
        return client.onboardings.make(seller, portion, check=check, key=key).items
    except Conflict as refusal:
        for problem in refusal.facts.get("problems", []):
            place = problem["place"]
            out.say(f"customer {first + place + 1}, {portion[place].slug}: {problem['message']}")
        if first and not check:
            out.say(f"{first} customers came on board before these; mend this, and send the same file again to go on")
        raise
