"""Accounts that several have together: what is measured in one, or states a supplier, is divided by rules of the day."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from decimal import Decimal
from fractions import Fraction
from random import Random
from typing import Any

from gradumen.client.metering.readings import reading_event
from gradumen.wire.metering.ownership_rules import ByUsageForm, OwnershipRuleForm
from tests.worlds.dividing import UTC, ByUsage, Places, Used, used_by
from tests.worlds.making import cost_more, make_moment
from tests.worlds.spans import day_start
from tests.worlds.used import Cost, Use
from tests.worlds.worlds import DAYS, FIRST, LAST, PROJECTS, QUARTER, Customer, Family, months_on

Said = Places | ByUsage
"""Weights by customer and project, or by what each used on the day."""


@dataclass
class Account:
    """Who has which share of what is used in it, from days of UTC on; before the first it is nobody's."""

    name: str
    rules: list[tuple[date, Said]]
    usage: list[Use] = field(default_factory=list)
    costs: list[Cost] = field(default_factory=list)

    def said(self, day: date) -> Said:
        """How what began on a day is divided."""
        return next((said for first, said in reversed(self.rules) if first <= day), {})


def make_account(random: Random, family: Family, number: int) -> Account:
    """One of some customers of a family, whose shares change on a day or not."""
    firsts = [months_on(FIRST, -1), FIRST + timedelta(days=random.randrange(1, DAYS))]
    rules = [(first, make_rule(random, family)) for first in firsts[random.choice([0, 0, 1]) :]]
    found = Account(f"together-{number}", rules)
    use_together(random, found, random.randint(2, 8))
    stand_in = Customer(found.name, [], [])
    cost_more(random, stand_in, random.randint(0, 5))
    found.costs = stand_in.costs
    return found


def make_rule(random: Random, family: Family) -> Said:
    """Shares of some projects of a family, or by what they, or all of everybody's, used."""
    places = [(customer.slug, project) for customer in family.customers for project in PROJECTS]
    some = random.sample(places, random.randint(2, len(places)))
    if random.random() < 0.5:
        return {place: Fraction(random.randint(1, 7)) for place in some}
    remainder = random.choice([None, random.choice(places)])
    whole = random.choice([0, 1, 20, 100]) if remainder else 0
    meter = random.choice(["running", "running", "daily", "highest", "mean"])
    return ByUsage(meter, tuple(some) if random.random() < 0.6 else (), whole, remainder)


def use_together(random: Random, account: Account, times: int) -> None:
    for _ in range(times):
        quantity, quarters = random.randint(1, 10 ** random.randint(6, 12)), random.choice([1, 4, 40])
        account.usage.append(Use(make_moment(random), quantity, "", "shared", quarters))


def divide(accounts: Sequence[Account], customers: Sequence[Customer]) -> None:
    """Say of each customer what it has of accounts, and nothing else."""
    by_slug = {each.slug: each for each in customers}
    used = used_by(customers)
    for each in customers:
        each.shared, each.shared_costs = [], []
    for account in accounts:
        for piece, said in ((piece, account.said(use.moment.date())) for use in account.usage for piece in by_day(use)):
            for (slug, project), part in parts(said, piece.moment.date(), used):
                by_slug[slug].shared.append(replace(piece, quantity=piece.quantity * part, project=project))
        for cost in account.costs:
            for (slug, project), part in parts(account.said(cost.day), cost.day, used):
                by_slug[slug].shared_costs.append(replace(cost, amount=cost.amount * part, project=project))


def by_day(use: Use) -> Iterator[Use]:
    """What of a use falls into each day of UTC."""
    end, moment = use.moment + use.quarters * QUARTER, use.moment
    while moment < end:
        until = min(end, day_start(moment.date() + timedelta(days=1), UTC))
        quarters = (until - moment) // QUARTER
        yield replace(use, moment=moment, quarters=quarters, quantity=Fraction(use.quantity * quarters, use.quarters))
        moment = until


def parts(said: Said, day: date, used: Used) -> list[tuple[tuple[str, str], Fraction]]:
    """Which part of a day's usage and costs each project has."""
    shares = said.shares(day, used) if isinstance(said, ByUsage) else said
    whole = sum(shares.values())
    return [(place, Fraction(each, whole)) for place, each in shares.items()]


def rules_of(account: Account) -> list[OwnershipRuleForm]:
    """Each up to the day of the next."""
    ends = [*(first for first, _ in account.rules[1:]), None]
    return [
        OwnershipRuleForm(name=f"{account.name} from {first}", starts_on=first, ends_on=end, **written(account, said))
        for (first, said), end in zip(account.rules, ends, strict=True)
    ]


def written(account: Account, said: Said) -> dict[str, Any]:
    """What a rule takes, and among whom it divides that."""
    conditions: dict[str, Any] = {"account": account.name}
    if not isinstance(said, ByUsage):
        shares = {f"{slug}/{project}": Decimal(int(each)) for (slug, project), each in said.items()}
        return {"conditions": conditions, "shares": shares}
    among = ["/".join(each) for each in said.among]
    whole = {"whole": Decimal(said.whole), "unit": said.unit} if said.whole else {}
    return {
        "conditions": {**conditions, "meter": ["network/egress", "network/bought"]},
        "by_usage": ByUsageForm(meter=f"network/{said.meter}", among=among, **whole),
        "remainder": "/".join(said.remainder) if said.remainder else None,
    }


def shared_events(account: Account, since: int = 0) -> list[dict[str, Any]]:
    """What was used in an account as readings, from the one of a number on."""
    return [
        reading_event(
            "/worlds",
            f"{account.name}-{number}",
            {
                "account": account.name,
                "resource": f"{account.name}-{use.resource}",
                "meter": "network/egress",
                "quantity": str(use.quantity),
                "unit": "byte",
                "start": use.moment.isoformat(),
                "end": (use.moment + use.quarters * QUARTER).isoformat(),
                "attributes": {},
            },
        )
        for number, use in enumerate(account.usage)
        if number >= since
    ]


def share_otherwise(random: Random, family: Family, account: Account) -> None:
    """Other shares from a day on, also of months that are billed, and something used more."""
    if random.random() < 0.6:
        first = FIRST + timedelta(days=random.randrange((LAST - FIRST).days))
        account.rules = [*(each for each in account.rules if each[0] < first), (first, make_rule(random, family))]
    use_together(random, account, random.randint(0, 2))
