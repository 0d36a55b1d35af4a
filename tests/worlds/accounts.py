"""Accounts that several have together: what is measured in one, or states a supplier, is divided by rules of the day."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from decimal import Decimal
from fractions import Fraction
from random import Random
from typing import Any

from gradumen.client.metering.readings import reading_event
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.worlds.making import cost_more, make_moment
from tests.worlds.used import Cost, Use
from tests.worlds.worlds import DAYS, FIRST, LAST, PROJECTS, QUARTER, Customer, Family, months_on

Shares = dict[tuple[str, str], int]
"""Weights by customer and project."""


@dataclass
class Account:
    """Who has which share of what is used in it, from days of UTC on; before the first it is nobody's."""

    name: str
    rules: list[tuple[date, Shares]]
    usage: list[Use] = field(default_factory=list)
    costs: list[Cost] = field(default_factory=list)

    def shares(self, day: date) -> Shares:
        return next((shares for first, shares in reversed(self.rules) if first <= day), {})


def make_account(random: Random, family: Family, number: int) -> Account:
    """One of some customers of a family, whose shares change on a day or not."""
    firsts = [months_on(FIRST, -1), FIRST + timedelta(days=random.randrange(1, DAYS))]
    rules = [(first, make_shares(random, family)) for first in firsts[random.choice([0, 0, 1]) :]]
    found = Account(f"together-{number}", rules)
    use_together(random, found, random.randint(2, 8))
    stand_in = Customer(found.name, [], [])
    cost_more(random, stand_in, random.randint(0, 5))
    found.costs = stand_in.costs
    return found


def make_shares(random: Random, family: Family) -> Shares:
    places = [(customer.slug, project) for customer in family.customers for project in PROJECTS]
    return {place: random.randint(1, 7) for place in random.sample(places, random.randint(2, len(places)))}


def use_together(random: Random, account: Account, times: int) -> None:
    for _ in range(times):
        quantity, quarters = random.randint(1, 10 ** random.randint(6, 12)), random.choice([1, 4, 40])
        account.usage.append(Use(make_moment(random), quantity, "", "shared", quarters))


def divide(account: Account, customers: Sequence[Customer]) -> None:
    """Say of each customer what it has of an account, and nothing else."""
    for customer in customers:
        customer.shared, customer.shared_costs = [], []
        for use in account.usage:
            for project, part in parts_of(account, customer, use.moment.date()):
                customer.shared.append(replace(use, quantity=use.quantity * part, project=project))
        for cost in account.costs:
            for project, part in parts_of(account, customer, cost.day):
                customer.shared_costs.append(replace(cost, amount=cost.amount * part, project=project))


def parts_of(account: Account, customer: Customer, day: date) -> list[tuple[str, Fraction]]:
    shares = account.shares(day)
    whole = sum(shares.values())
    return [(project, Fraction(each, whole)) for (slug, project), each in shares.items() if slug == customer.slug]


def rules_of(account: Account) -> list[OwnershipRuleForm]:
    """Each up to the day of the next."""
    ends = [*(first for first, _ in account.rules[1:]), None]
    return [
        OwnershipRuleForm(
            name=f"{account.name} from {first}", starts_on=first, ends_on=end, conditions={"account": account.name},
            shares={f"{slug}/{project}": Decimal(each) for (slug, project), each in shares.items()},
        )
        for (first, shares), end in zip(account.rules, ends, strict=True)
    ]  # fmt: skip


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
        account.rules = [*(each for each in account.rules if each[0] < first), (first, make_shares(random, family))]
    use_together(random, account, random.randint(0, 2))
