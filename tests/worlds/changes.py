"""What users of the market may do, each at random: some of it is refused."""

import csv
import io
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from random import Random
from typing import Any
from uuid import UUID

from gradumen.client import Client
from gradumen.client.metering.readings import life_event, reading_event, told_event
from gradumen.wire.metering.exchange_rates import ExchangeRateItem
from gradumen.wire.metering.feed_precedences import FeedFirst
from gradumen.wire.metering.kind_rules import KindRuleForm
from gradumen.wire.metering.ownership_rules import ByUsageForm, OwnershipRuleForm
from gradumen.wire.subscriptions.assignment_rules import AssignmentRuleSet
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeCreate
from gradumen.wire.subscriptions.subscriptions import SpecialTermsAgree, SubscriptionChange, SubscriptionCreate
from tests.worlds.market import CURRENCIES, TENANTS, cards, derived, publish

BEGIN = date(2026, 8, 1)


@dataclass
class Market:
    """The market as its users know it."""

    random: Random
    clients: dict[str, Client]
    today: date
    sent: list[tuple[str, str, dict[str, Any], int]] = field(default_factory=list)
    """Readings: feed, id, data, sequence."""
    by_hand: list[tuple[str, UUID]] = field(default_factory=list)
    files: list[UUID] = field(default_factory=list)
    moves: list[tuple[str, UUID]] = field(default_factory=list)

    @property
    def provider(self) -> Client:
        return self.clients["tarnwick"]

    def day(self, least: date = BEGIN, more: int = 0) -> date:
        """One up to today, or some days more."""
        return least + timedelta(days=self.random.randint(0, max(0, (self.today - least).days + more)))

    def seller(self, tenant: str) -> Client:
        """Of whom a tenant buys by now: the last one that sees it."""
        return self.clients[self.seller_of(tenant)]

    def seller_of(self, tenant: str) -> str:
        [found] = [each for each in self.provider.organisations.list(search=tenant) if each.slug == tenant]
        return str(found.parent)

    def owner(self) -> str | None:
        return self.random.choice(
            [None, "tarnwick/platform", *(f"{tenant}/{project}" for tenant in TENANTS for project in ("all", "barn"))]
        )


def send(market: Market) -> None:
    """Readings of any meter, of anybody."""
    random = market.random
    for _ in range(random.randint(1, 6)):
        start = datetime(2026, 8, 1, tzinfo=UTC) + timedelta(
            minutes=15 * random.randrange(max(1, (market.today - BEGIN).days * 96 - 96))
        )
        meter, unit = random.choice(
            [("network/egress", "GiB"), ("disks/stored", "GiB"), ("disks/peak", "GiB"), ("sent-out", "GiB")]
        )
        data = {
            "resource": f"r{random.randint(1, 3)}",
            "meter": meter,
            "quantity": str(random.randint(0, 90)),
            "unit": unit,
            "start": start.isoformat(),
            "end": (start + timedelta(minutes=15 * random.choice([1, 4, 8, 90]))).isoformat(),
            "attributes": {},
        }
        owner = market.owner()
        if owner:
            data["owner"] = owner
        else:
            data["account"] = f"acc-{random.randint(1, 3)}"
        if meter == "network/egress":
            data["attributes"] = {"site": random.choice(["north", "south"])}
        if random.random() < 0.2:
            data["attributes"] = {**data["attributes"], "component_of": f"r{random.randint(1, 3)}"}
        number = f"{len(market.sent)}"
        feed = random.choice(["tarnwick/main", "tarnwick/second"])
        if _send(market, feed, [reading_event("/m", number, data)]):
            market.sent.append((feed, number, data, 0))


def _send(market: Market, feed: str, events: list[dict[str, Any]]) -> bool:
    outcome = market.provider.readings.send(feed, events)
    return not outcome.refused


def replace_reading(market: Market) -> None:
    """One says something else now, or nothing."""
    if not market.sent:
        return
    random = market.random
    place = random.randrange(len(market.sent))
    feed, id, data, sequence = market.sent[place]
    data = dict(data)
    change = random.choice(["quantity", "owner", "resource", "time", "cancel"])
    if change == "quantity":
        data["quantity"] = str(random.randint(0, 200))
    elif change == "cancel":
        data["quantity"] = "0"
    elif change == "owner":
        data.pop("account", None)
        data["owner"] = f"{random.choice(list(TENANTS))}/barn"
    elif change == "resource":
        data["resource"] = f"r{random.randint(1, 4)}"
    else:
        start = datetime.fromisoformat(data["start"]) - timedelta(days=random.randint(0, 40))
        length = datetime.fromisoformat(data["end"]) - datetime.fromisoformat(data["start"])
        start = max(start, datetime(2026, 8, 1, tzinfo=UTC))
        data |= {"start": start.isoformat(), "end": (start + length).isoformat()}
    event = {**reading_event("/m", id, data), "data": {**data, "sequence": sequence + 1}}
    if _send(market, feed, [event]):
        market.sent[place] = (feed, id, data, sequence + 1)


def live(market: Market) -> None:
    """A machine is made, wakes, is gone; its source tells how far it told."""
    random = market.random
    at = datetime(2026, 8, 1, tzinfo=UTC) + timedelta(
        minutes=random.randrange(max(1, (market.today - BEGIN).days * 1440 - 1440))
    )
    kind = random.choice(["made", "phase-changed", "phase-changed", "gone"])
    data: dict[str, Any] = {
        "resource": f"m{random.randint(1, 2)}",
        "meter": "machines/time",
        "at": at.isoformat(),
        "owner": f"{random.choice(list(TENANTS))}/{random.choice(['all', 'barn'])}",
    }
    if kind != "gone":
        data["phase"] = random.choice(["parked", "awake"])
    number = f"life-{random.randrange(10**9)}"
    until = datetime(market.today.year, market.today.month, market.today.day, tzinfo=UTC) - timedelta(hours=2)
    _send(market, "tarnwick/main", [life_event(kind, "/l", number, data), told_event("/l", f"told-{number}", until)])


def own(market: Market) -> None:
    """Other rules of whose nobody's readings and costs are."""
    random, rules = market.random, []
    for number in range(random.randint(0, 3)):
        kind = random.choice(["owner", "owner", "shares", "by-usage"])
        form: dict[str, Any] = {
            "name": f"Rule {number}",
            "starts_on": market.day(more=5),
            "conditions": {"account": f"acc-{random.randint(1, 3)}"},
        }
        if kind == "owner":
            form["owner"] = f"{random.choice(list(TENANTS))}/all"
        elif kind == "shares":
            form["shares"] = {"ash/all": Decimal(3), "cedar/barn": Decimal(1)}
        else:
            form["by_usage"] = ByUsageForm(meter="disks/stored")
            form["remainder"] = "tarnwick/platform"
            form["conditions"] |= {"meter": "network/egress"}
        rules.append(OwnershipRuleForm(**form))
    current = market.provider.ownership_rules.get("tarnwick")
    market.provider.ownership_rules.set("tarnwick", rules, current.version)


def sort_kinds(market: Market) -> None:
    """What is sent under a name of the sender's own is of a meter, or is not any more."""
    random, rules = market.random, []
    for number in range(random.randint(0, 2)):
        rules.append(
            KindRuleForm(
                name=f"Kind {number}",
                starts_on=market.day(more=5),
                conditions={"meter": "sent-out"},
                meter=random.choice(["network/egress", "disks/stored"]),
            )
        )
    current = market.provider.kind_rules.get("tarnwick")
    market.provider.kind_rules.set("tarnwick", rules, current.version)


def assign(market: Market) -> None:
    """Which subscription something falls to, or a rule of that less."""
    tenant = market.random.choice(list(TENANTS))
    seller = market.seller(tenant)
    if market.random.random() < 0.3:
        seller.assignment_rules.delete(tenant, "one")
        return
    each = market.random.choice(seller.subscriptions.list(tenant))
    conditions = market.random.choice([{"service": "disks"}, {"project": "barn"}, {"resource": "r1"}])
    body = AssignmentRuleSet(subscription=each.name, starts_on=market.day(more=5), conditions=conditions)
    seller.assignment_rules.set(tenant, "one", body)


def subscribe(market: Market) -> None:
    tenant = market.random.choice(list(TENANTS))
    seller = market.seller_of(tenant)
    market.clients[seller].subscriptions.create(
        SubscriptionCreate(
            organisation=tenant,
            project=market.random.choice(["barn", None]),
            plan="open",
            tier=market.random.choice(["heath", "moor"]),
            name=f"More {market.random.randrange(10**6)}",
            starts_on=market.day(more=10),
            quantity=market.random.randint(1, 3),
            rate_card="friends" if seller == "oxbow" and market.random.random() < 0.3 else None,
        )
    )


def change(market: Market) -> None:
    tenant = market.random.choice(list(TENANTS))
    direct = market.seller(tenant).subscriptions
    each = market.random.choice(direct.list(tenant))
    day = market.day(more=10)
    kind = market.random.choice(["tier", "quantity", "pause", "end", "end", "agree", "agree-card"])
    if kind == "end":
        direct.end(each.id, market.random.choice([day, None]))
    elif kind == "agree":
        direct.agree(
            each.id,
            SpecialTermsAgree(
                seller=market.seller_of(tenant),
                starts_on=day,
                special_terms=market.random.choice([{"allowances": {"network/egress": "50 GiB"}}, {}]),
            ),
        )
    elif kind == "agree-card":
        direct.agree(
            each.id, SpecialTermsAgree(seller="oxbow", starts_on=day, rate_card=market.random.choice(["friends", ""]))
        )
    else:
        direct.change(
            each.id,
            SubscriptionChange(
                starts_on=day,
                tier=market.random.choice(["heath", "moor"]) if kind == "tier" else None,
                quantity=market.random.randint(1, 4) if kind == "quantity" else None,
                paused=market.random.random() < 0.6 if kind == "pause" else None,
            ),
        )


def charge_by_hand(market: Market) -> None:
    if market.by_hand and market.random.random() < 0.3:
        seller, id = market.by_hand.pop()
        market.clients[seller].one_off_charges.withdraw(id)
        return
    tenant = market.random.choice(list(TENANTS))
    seller = market.seller_of(tenant)
    each = market.random.choice(market.clients[seller].subscriptions.list(tenant))
    made = market.clients[seller].one_off_charges.enter(
        OneOffChargeCreate(
            seller=seller, organisation=tenant, subscription=each.name, day=market.day(), description="By hand",
            amount=str(market.random.randint(-50, 90) or 7), currency=CURRENCIES[tenant],
        )
    )  # fmt: skip
    market.by_hand.append((seller, made.id))


def move(market: Market) -> None:
    if market.moves and market.random.random() < 0.4:
        tenant, id = market.moves.pop()
        market.provider.moves.withdraw(tenant, id)
        return
    tenant = market.random.choice(list(TENANTS))
    to = market.random.choice(["tarnwick", "oxbow", "elder"])
    day = market.today + timedelta(days=market.random.randint(0, 12))
    made = market.provider.moves.plan(tenant, to, day, "It moves.")
    market.moves.append((tenant, made.id))


def publish_cards(market: Market) -> None:
    """A version of some cards from a day ahead on."""
    day = market.today + timedelta(days=market.random.randint(1, 12))
    price = Decimal(market.random.randint(1, 90)) / 100
    if market.random.random() < 0.2:
        publish(market.clients["elder"], "elder", derived(day, market.random.randint(5, 60)))
        return
    seller, of_seller = market.random.choice(list(cards(day, price).items()))
    publish(market.clients[seller], seller, market.random.choice(of_seller)[1])


def send_costs(market: Market) -> None:
    """A supplier's file of some days, or one is taken back."""
    random = market.random
    if market.files and random.random() < 0.3:
        market.provider.deliveries.take_back(market.files.pop(random.randrange(len(market.files))))
        return
    file, currency = io.StringIO(), random.choice(["EUR", "EUR", "GBP"])
    writer: Any = None
    first = market.day(more=-3)
    for number in range(random.randint(1, 4)):
        day = first + timedelta(days=number % 2)
        period = day.replace(day=1)
        following = (period + timedelta(days=32)).replace(day=1)
        cost = f"{random.randint(-2000, 9000) / 100:.2f}"
        row = {
            "BilledCost": cost, "EffectiveCost": cost, "ListCost": cost, "ContractedCost": cost,
            "BillingAccountId": f"B-{currency}", "SubAccountId": f"acc-{random.randint(1, 3)}",
            "BillingCurrency": currency, "BillingPeriodStart": f"{period}T00:00:00Z",
            "BillingPeriodEnd": f"{following}T00:00:00Z", "ChargeCategory": "Usage",
            "ChargePeriodStart": f"{day}T00:00:00Z", "ChargePeriodEnd": f"{day + timedelta(days=1)}T00:00:00Z",
            "ServiceName": "Machines", "ResourceId": f"vm-{number}", "RegionId": "west", "Tags": "",
            "ChargeClass": "", "CommitmentDiscountId": "", "ConsumedQuantity": "", "ConsumedUnit": "", "InvoiceId": "",
        }  # fmt: skip
        if writer is None:
            writer = csv.DictWriter(file, list(row))
            writer.writeheader()
        writer.writerow(row)
    exported = datetime(market.today.year, market.today.month, market.today.day, tzinfo=UTC)
    exported += timedelta(seconds=random.randrange(3600) - 3600)
    made = market.provider.imported_costs.send(
        "tarnwick/costs", "c.csv", file.getvalue().encode(), exported_at=exported, confirmed=True
    )
    market.files.append(made.delivery_id)


def exchange(market: Market) -> None:
    seller = market.random.choice(["tarnwick", "oxbow", "elder"])
    currency, into = market.random.choice([("EUR", "GBP"), ("GBP", "EUR")])
    rate = Decimal(market.random.randint(70, 130)) / 100
    item = ExchangeRateItem(currency=currency, into=into, starts_on=market.day(more=5), rate=rate, source="Talk")
    market.clients[seller].exchange_rates.set(seller, [item])


def promise(market: Market) -> None:
    tenant = market.random.choice(list(TENANTS))
    seller = market.seller_of(tenant)
    limit = Decimal(market.random.randint(0, 400))
    if seller != "tarnwick" and market.random.random() < 0.5:
        market.provider.quotas.grant(seller, "storage", limit * 5)
    project = market.random.choice([None, None, "barn"])
    market.clients[seller].quotas.grant(tenant, "storage", limit, project=project)


def sort_customers(market: Market) -> None:
    tenant = market.random.choice(list(TENANTS))
    market.seller(tenant).organisations.change(tenant, segment=market.random.choice(["education", "trade"]))


def place_project(market: Market) -> None:
    tenant = market.random.choice(list(TENANTS))
    [barn] = [each for each in market.seller(tenant).projects.list(tenant) if each.slug == "barn"]
    market.seller(tenant).projects.change(
        tenant, "barn", version=barn.version, parent=None if barn.parent else "all",
        cost_centre=market.random.choice(["cc-1", "cc-2"]),
    )  # fmt: skip


def give_way(market: Market) -> None:
    to = [FeedFirst(feed="tarnwick/main", starts_on=market.day(more=5))] if market.random.random() < 0.7 else []
    market.provider.feed_precedences.set("tarnwick/second", to)


def suspend(market: Market) -> None:
    tenant = market.random.choice(list(TENANTS))
    state = market.random.choice(["suspended", "active"])
    market.seller(tenant).states.change(tenant, state, reason="Talk")


def close(market: Market) -> None:
    """The month before is billed, by some seller."""
    seller = market.random.choice(["tarnwick", "oxbow", "elder"])
    period = f"{market.today.replace(day=1) - timedelta(days=1):%Y-%m}"
    client = market.clients[seller]
    run = client.bill_runs.wait(client.bill_runs.start(seller, period, reason="Talk").id)
    assert run.state == "done", run.problem
    for draft in client.invoices.list(state="draft", seller=seller):
        if market.random.random() < 0.7:
            client.invoices.issue(draft.id)


def wait(market: Market) -> None:
    market.today += timedelta(days=market.random.randint(1, 6))
    moment = datetime(market.today.year, market.today.month, market.today.day, 9, tzinfo=UTC)
    market.provider.clock.set(moment, held=True)


Change = Callable[[Market], None]
CHANGES: list[Change] = [
    send, send, send, replace_reading, replace_reading, live, live, own, sort_kinds, assign, subscribe, change, change,
    change, charge_by_hand, move, publish_cards, publish_cards, send_costs, send_costs, exchange, promise,
    sort_customers, place_project, give_way, suspend, close, wait, wait,
]  # fmt: skip
