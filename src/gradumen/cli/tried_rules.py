"""Rules of ownership that are tried before they are set: what they would move, and what months would come to."""

from collections.abc import Sequence

from gradumen.cli.output import Out, in_words
from gradumen.client import Client
from gradumen.core.errors import Conflict
from gradumen.core.exact import money
from gradumen.core.units import counted
from gradumen.wire.billing.ownership_trials import LinkDifferenceBody, MonthDifferenceBody, OwnershipTrialBody
from gradumen.wire.metering.ownership_rules import CostBody, OwnershipPreviewBody, OwnershipRuleForm, QuantityBody

SHOWN = 40
"""Links that are shown, those that differ most."""


def cost_words(costs: Sequence[CostBody]) -> list[str]:
    """Amounts with their currencies."""
    return [f"{money(each.billed, each.currency)} {each.currency}" for each in costs]


def quantity_words(quantities: Sequence[QuantityBody]) -> str:
    """Usage by meter."""
    return "; ".join(" ".join((each.meter_name, *in_words(each.quantity, each.unit))) for each in quantities)


def tell_moves(preview: OwnershipPreviewBody, out: Out) -> None:
    """What would be somebody else's, a line each."""
    for each in preview.moves:
        costs = [f"costs of {one}" for one in cost_words(each.costs)]
        came = ([counted(each.readings, "reading")] if each.readings or not costs else []) + costs
        out.say(
            f"{counted(each.resources, 'resource')}, {', '.join(came)} from {each.first_day} to {each.last_day}: "
            f"{each.before or 'nobody'} -> {each.after or 'nobody'}; {quantity_words(each.quantities)}"
        )
    if preview.from_day is None:
        out.say("nothing changes")
    elif not preview.moves:
        out.say("nothing that came in is anybody else's by that")
    if preview.more:
        out.say("only the newest three months were looked at")
    if preview.from_day and preview.fixed_before and preview.from_day < preview.fixed_before:
        out.say(f"what was measured before {preview.fixed_before} is archived, and stays as it is")


def tell_months(trial: OwnershipTrialBody, out: Out) -> None:
    """What customers' months would come to, those that differ most first."""
    if trial.too_much:
        out.say("so much would move that what months would come to is not told")
        return
    out.table(
        ("MONTH", "CUSTOMER", "", "COMES TO", "WOULD COME TO", "DIFFERENCE", "BILLED"),
        [
            (each.period, each.buyer, each.currency, *_figures(each), _billed(each))
            for each in trial.links[:SHOWN]
        ],
        right=("COMES TO", "WOULD COME TO", "DIFFERENCE", "BILLED"),
    )  # fmt: skip
    if rest := len(trial.links[SHOWN:]) + trial.more_links:
        out.say(f"and {counted(rest, 'customer month')} more that differ less")
    for month in trial.months:
        if month.links:
            out.say(f"{month.period} in all: {_figures(month)[2]} {month.currency}")
    if any(each.billed is not None for each in trial.links):
        out.say("what differs of a month that is billed is settled on the customer's next document")
    for gap in trial.not_priced:
        out.say(f"{gap.period}: {gap.meter_name} of {gap.buyer} would not be priced: {gap.reason}")
    if not trial.links and not trial.not_priced:
        out.say("no customer's month would come to anything else")


def _figures(of: LinkDifferenceBody | MonthDifferenceBody) -> tuple[str, str, str]:
    more = "+" if of.difference > 0 else ""
    before, after, difference = (money(each, of.currency) for each in (of.before, of.after, of.difference))
    return before, after, more + difference


def _billed(link: LinkDifferenceBody) -> str:
    return "not yet" if link.billed is None else money(link.billed, link.currency)


def tried(
    client: Client,
    seller: str,
    rules: Sequence[OwnershipRuleForm],
    preview: OwnershipPreviewBody,
    out: Out,
    *,
    always: bool,
) -> OwnershipTrialBody | None:
    """What comes of a trial, where the rules reach months that are billed, or further back than a quick look.

    Raises:
        Conflict: it needs a hand.
    """
    if preview.from_day is None:
        return None
    if not (preview.more or always):
        since = min((each.first_day for each in preview.moves), default=None)
        if since is None or not client.billed_months.list(seller, since, preview.organisations):
            return None
    asked = client.ownership_trials.ask(seller, rules)
    with out.following() as tell:
        found = client.ownership_trials.wait(asked.id, tell=tell)
    if found.preview is None:
        raise Conflict(f"trial {str(found.id)[:8]} of these rules is {found.state}: {found.problem or 'look again'}")
    return found
