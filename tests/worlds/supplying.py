"""What suppliers state of random customers, and what happens to their machines, as it is sent."""

import csv
import io
from collections.abc import Collection, Sequence
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any

from gradumen.client import Client
from gradumen.client.metering.readings import life_event, told_event
from gradumen.wire.metering.exchange_rates import ExchangeRateItem
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from tests.worlds.accounts import Account, rules_of
from tests.worlds.exchange import exchange_of
from tests.worlds.machines import TOLD_UNTIL
from tests.worlds.making import CURRENCIES
from tests.worlds.used import Cost
from tests.worlds.worlds import DAYS, FIRST, PROJECTS, Customer, months_on

FEED = "tarnwick/costs"


def agree_rates(client: Client, seller: str) -> None:
    """What currencies are worth to a seller."""
    items = [
        ExchangeRateItem(
            currency=currency, into=into, starts_on=day, source="Talk",
            rate=Decimal(rate.numerator) / Decimal(rate.denominator),
        )
        for (currency, into), rates in exchange_of(seller).items()
        for day, rate in rates
    ]  # fmt: skip
    client.exchange_rates.set(seller, items)


def await_costs(provider: Client) -> None:
    """A feed of costs."""
    provider.feeds.create("tarnwick", slug="costs", name="Costs")
    provider.imported_costs.set_meter(FEED, "network/bought")


def say_whose(provider: Client, customers: Sequence[Customer], accounts: Sequence[Account]) -> None:
    """Whose each account is, or who has which share of it."""
    own = [
        OwnershipRuleForm(
            name=f"{customer.slug} {project}", owner=f"{customer.slug}/{project}", starts_on=months_on(FIRST, -1),
            conditions={"account": f"{customer.slug}-{project}"},
        )
        for customer in customers
        for project in PROJECTS
    ]  # fmt: skip
    rules = [*own, *(rule for each in accounts for rule in rules_of(each))]
    version = provider.ownership_rules.get("tarnwick").version
    provider.ownership_rules.set("tarnwick", rules, version)
    for task in provider.tasks.list("tarnwick"):
        if task.kind == "owners by rule":
            assert provider.tasks.follow(task.id, seconds=60).state == "done"


def send_costs(provider: Client, of: Customer | Account, exported_at: datetime) -> None:
    """All that is known of somebody's costs by then, a file for each currency, in place of what was known before."""
    name = of.slug if isinstance(of, Customer) else of.name
    for currency in sorted(set(CURRENCIES)):
        rows = [
            cost_row(name, name if isinstance(of, Account) else f"{name}-{each.project}", each)
            for each in of.costs
            if each.currency == currency
        ]
        if not rows:
            continue
        file = io.StringIO()
        writer = csv.DictWriter(file, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
        provider.imported_costs.send(
            FEED, f"{name}-{currency}.csv", file.getvalue().encode(), exported_at=exported_at, confirmed=True,
            first=FIRST, last=FIRST + timedelta(days=DAYS),
        )  # fmt: skip


def cost_row(name: str, account: str, cost: Cost) -> dict[str, str]:
    amount = f"{Decimal(int(cost.amount)) / 100:.2f}"
    return {
        "BilledCost": amount,
        "EffectiveCost": amount,
        "ListCost": amount,
        "ContractedCost": amount,
        "BillingAccountId": f"{name}-{cost.currency}",
        "SubAccountId": account,
        "BillingCurrency": cost.currency,
        "BillingPeriodStart": f"{cost.month}T00:00:00Z",
        "BillingPeriodEnd": f"{months_on(cost.month, 1)}T00:00:00Z",
        "ChargeCategory": cost.category,
        "ChargePeriodStart": f"{cost.day}T00:00:00Z",
        "ChargePeriodEnd": f"{cost.day + timedelta(days=1)}T00:00:00Z",
        "ServiceName": "Machines",
        "ResourceId": cost.resource,
    }


def lives(customer: Customer, since: int = 0, again: Collection[int] = ()) -> list[dict[str, Any]]:
    """What is said of a customer's machines, from the number of one on, and that this is all."""
    found = [
        life_event(
            "phase-changed" if told.phase else "gone",
            "/worlds",
            f"{customer.slug}-told-{told.number:04}",
            {
                "owner": f"{customer.slug}/{told.project}",
                "resource": told.resource,
                "meter": "network/running",
                "at": told.moment.isoformat(),
                **({"phase": told.phase, "quantity": str(told.level), "unit": "piece"} if told.phase else {}),
                "sequence": told.sequence,
            },
        )
        for told in customer.told
        if told.number >= since or told.number in again
    ]
    return [*found, told_event("/worlds", f"{customer.slug}-all-{since}", TOLD_UNTIL)]
