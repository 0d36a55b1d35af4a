"""Random customers, billed over the interface, owe what plain fractions say: so far, on documents, and late."""

import os
from collections import defaultdict
from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime, timedelta
from fractions import Fraction
from functools import partial
from random import Random
from typing import Any

from gradumen.client import Client
from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.spend.feed_balances import FeedBalanceBody
from tests.conftest import Service, settle
from tests.worlds.accounts import divide, make_account, share_otherwise, shared_events
from tests.worlds.estimated import check_estimate
from tests.worlds.joining import begun, join
from tests.worlds.making import (
    change_late,
    cost_less,
    cost_more,
    hold_more,
    make_family,
    restate,
    tell_more,
    tell_otherwise,
    use_more,
)
from tests.worlds.owed import billed, differences, owed, owed_in_advance
from tests.worlds.own_cost import make_house, make_own, own_cost
from tests.worlds.own_services import cost_of_work, make_cost, publish_cost, work_events, work_more
from tests.worlds.priced_otherwise import check_other_prices
from tests.worlds.promised import give, plenty, promise_more
from tests.worlds.publishing import (
    card_file,
    change,
    let_back,
    move_in,
    organisation,
    publish,
    say_more,
)
from tests.worlds.readings import events, levels
from tests.worlds.samplings import SAMPLED
from tests.worlds.stored import differing_pairs, own_charges
from tests.worlds.supplying import agree_rates, await_costs, lives, say_whose, send_costs
from tests.worlds.taxed import TAXES, wrong_taxes
from tests.worlds.test_changes import at_rest
from tests.worlds.used import Month
from tests.worlds.worlds import FIRST, LAST, MINOR, MONTHS, PROJECTS, Customer, Family, Link, among, months_on

SERVICE = """
service: network
name: Network
category: Networking
subcategory: Network Infrastructure
phases: [parked, awake]
meters:
  running: {name: Running, unit: piece-second, combine: held}
  bought: {name: Bought, unit: micro-EUR, combine: sum}
  egress: {name: Data sent out, unit: byte, combine: sum}
"""
SERVICE += "".join(
    f"  {name}: {{name: {name}, unit: {how.units[0]}, statistic: {how.statistic}, window: {how.window}, "
    f"across: {how.across}}}\n"
    for name, how in SAMPLED.items()
)


def set_up(url: str) -> Client:
    provider = begun(url)
    provider.clock.set(moment(FIRST, -12), held=True)
    provider.catalogue.publish("tarnwick", [CatalogueFile(name="service.yaml", content=SERVICE)])
    provider.feeds.create("tarnwick", slug="all", name="All")
    return provider


def moment(day: date, more: int) -> datetime:
    """Midnight by UTC some days after another."""
    return datetime(day.year, day.month, day.day, tzinfo=UTC) + timedelta(days=more)


def bring_in(provider: Client, url: str, family: Family) -> dict[str, Client]:
    """The family's organisations, cards and subscriptions; gives the clients of its sellers."""
    sellers, links, depths = {"tarnwick": provider}, family.links, {"tarnwick": 0}
    move = family.move or family.withdrawn
    for link in links:
        if link.buyer in sellers or (move and link.buyer == move.mover and among(link, move.later)):
            continue
        following = [each for each in links if each.seller == link.buyer]
        type, zone = ("reseller", following[0].zone.key) if following else ("tenant", "UTC")
        seller = sellers[link.seller]
        seller.organisations.create(organisation(link.seller, type, link.buyer, link.currency, zone))
        if following:
            sellers[link.buyer] = join(seller, url, link.buyer)
            depths[link.buyer] = depths[link.seller] + 1
            seller.quotas.grant(link.buyer, "storage", plenty(depths[link.buyer]))
            set_tax(sellers[link.buyer], link.buyer)
            agree_rates(sellers[link.buyer], link.buyer)
    for customer in family.customers:
        for project in PROJECTS:
            sellers[customer.seller].projects.create(customer.slug, slug=project, name=project)
    publish(sellers, family)
    return sellers


Brought = Sequence[tuple[Family, dict[str, Client]]]


def pass_time(random: Random, service: Service, provider: Client, brought: Brought) -> None:
    """Let the months pass, in which limits are given, and who moved goes back."""
    planned: list[tuple[datetime, Callable[[], None]]] = []
    for family, sellers in brought:
        for customer in family.customers:
            promise_more(random, customer)
            planned += [(each.moment, partial(give, sellers, customer, each)) for each in customer.promises]
        if family.move and family.move.back:
            # Who sells in between sees nobody afterwards.
            planned.append((family.move.at + timedelta(hours=26), partial(say_more, sellers, family, early=False)))
            planned.append((family.move.at + timedelta(hours=30), partial(let_back, provider, family.move)))
    for at, carry_out in sorted(planned, key=lambda entry: entry[0]):
        provider.clock.set(at, held=True)
        at_rest(service)
        carry_out()


def set_tax(client: Client, seller: str) -> None:
    for first, percent in TAXES.items():
        client.tax_rates.set(seller, country="IE", percent=percent, starts_on=first, category="S")


def close(client: Client, seller: str, month: Month) -> list[InvoiceBody]:
    run = client.bill_runs.wait(client.bill_runs.start(seller, f"{month[0]:%Y-%m}").id)
    assert run.state == "done", run.problem
    drafts = client.invoices.list(state="draft", seller=seller)
    return [client.invoices.issue(draft.id) for draft in drafts]


def check(client: Client, family: Family, link: Link, seed: int, month: Month = MONTHS[0]) -> Fraction:
    """What a link's month comes to, after its lines were found right."""
    period = f"{month[0]:%Y-%m}"
    shown = [
        each
        for each in client.spend.period_so_far(link.seller, period, wait=60).links
        if (each.seller, each.buyer) == (link.seller, link.buyer)
    ]
    expected = owed(family, link, month)
    found = shown[0] if shown else None
    wrong = differences(expected, found, link.currency)
    assert wrong == [], f"seed {seed}, {period}, {link.seller} to {link.buyer}: {wrong} of {family}"
    spent = client.spend.show(link.seller, side="sold", by=["buyer"], first=month[0], end=month[1], top=1000, wait=60)
    rows = [row for each in spent.currencies if each.currency == link.currency for row in each.rows]
    amounts = [Fraction(row.amount) for row in rows if row.keys[0].id == link.buyer]
    net = sum((Fraction(line.amount) for line in found.lines), Fraction(0)) if found else Fraction(0)
    assert sum(amounts) == net, f"seed {seed}: spend of {family} on {link}"
    return net


def check_own_cost(service: Service, provider: Client, families: Sequence[Family], own: Link, seed: int) -> None:
    """What all that is used costs the provider, and that its margins have it, each line rounded once."""
    for month in MONTHS:
        period, expected = f"{month[0]:%Y-%m}", own_cost(families, own, month)
        margins = provider.spend.margins("tarnwick", period, wait=60)
        found = own_charges(service.uow, "tarnwick", period)
        wrong = {
            key: (found.get(key), float(expected.get(key, 0)))
            for key in {*found, *expected}
            if abs(Fraction(found.get(key, 0)) - expected.get(key, 0)) > Fraction(1, 10**6)
        }
        assert wrong == {}, f"seed {seed}, {period}: {wrong} of {own}"
        shown = sum((Fraction(cost.amount) for row in margins.rows for cost in row.costs), Fraction(0))
        assert abs(shown - sum(expected.values())) <= Fraction(len(expected), 20), f"seed {seed}, {period}"


def check_cost_of_work(service: Service, seller: Client, family: Family, cost: Link, seed: int) -> None:
    """What a reseller's own service costs it, whoever it was worked for."""
    for month in MONTHS:
        period, expected = f"{month[0]:%Y-%m}", cost_of_work(family, cost, month)
        seller.spend.margins(family.owner, period, wait=60)
        found = own_charges(service.uow, family.owner, period)
        wrong = {
            key: (found.get(key), float(expected.get(key, 0)))
            for key in {*found, *expected}
            if abs(Fraction(found.get(key, 0)) - expected.get(key, 0)) > Fraction(1, 10**6)
        }
        assert wrong == {}, f"seed {seed}, {period}: {wrong} of {family} by {cost}"


def cost_of_sold(client: Client, seller: str, month: Month, currency: str) -> Fraction:
    """What all that a reseller sold in a month cost it, in the currency in which it bought that."""
    spent = client.spend.show(seller, side="sold", by=["buyer"], first=month[0], end=month[1], top=1000, wait=60)
    costs = [cost for each in spent.currencies for cost in each.total.costs if cost.currency == currency]
    return sum((Fraction(each.amount) for each in costs), Fraction(0))


def send(client: Client, feed: str, batch: list[dict[str, Any]]) -> None:
    """Readings, if there are any, none of which is refused."""
    outcomes = client.readings.send(feed, batch).outcomes if batch else []
    assert [each for each in outcomes if each.status == "refused"] == []


def say_late(random: Random, provider: Client, customer: Customer) -> None:
    """What comes after the months were billed, some of it in place of what was said before."""
    before = (len(customer.usage), len(customer.levels), len(customer.told))
    again, otherwise = restate(random, customer), tell_otherwise(random, customer)
    use_more(random, customer, random.randint(0, 3))
    hold_more(random, customer, random.randint(0, 3))
    tell_more(random, customer, random.randint(0, 2))
    late = [*events(customer, before[0], again), *levels(customer, before[1]), *lives(customer, before[2], otherwise)]
    send(provider, "tarnwick/all", late)
    cost_less(random, customer)
    cost_more(random, customer, random.randint(1, 3))
    send_costs(provider, customer, moment(LAST, 7))


def unaccounted(client: Client, seller: str) -> list[FeedBalanceBody]:
    """The months of a seller's feeds of which something that came in is not accounted for; some came in."""
    months = [
        client.feed_balances.get(seller, f"{months_on(FIRST, at):%Y-%m}", wait=60) for at in range(-2, len(MONTHS) + 1)
    ]
    assert any(item.meters for month in months for item in month.items)
    return [item for month in months for item in month.items if "difference" in item.open]


def test_random_customers_owe_what_plain_fractions_say(service: Service) -> None:
    """So far before it is billed, on the first documents, and with late usage over both documents."""
    seed = int(os.environ.get("GRADUMEN_SEED", "20261125"))
    count = int(os.environ.get("GRADUMEN_WORLDS", "2"))
    random = Random(seed)
    provider = set_up(service.url)
    set_tax(provider, "tarnwick")
    agree_rates(provider, "tarnwick")
    families = [make_family(random, number) for number in range(count)]
    brought = [(family, bring_in(provider, service.url, family)) for family in families]
    own = make_own(random)
    for version in own.versions:
        card = card_file(own, [family.plan for family in families if family.owner == "tarnwick"], version)
        provider.catalogue.publish("tarnwick", [card])
    house = make_house(random, own, families[0])
    move_in(provider, house)
    costs = [(family, make_cost(random, family), sellers) for family, sellers in brought if family.own_service]
    for family, cost, sellers in costs:
        publish_cost(sellers[family.owner], family, cost)
    pass_time(random, service, provider, brought)
    provider.clock.set(moment(LAST, 4), held=True)
    for family, _, sellers in costs:
        for customer in family.customers:
            work_more(random, customer)
            work = work_events(family, customer)
            send(sellers[family.owner], f"{family.owner}/own", work)
    customers = [customer for family in (*families, house) for customer in family.customers]
    accounts = [(make_account(random, family, number), family) for number, family in enumerate(families)]
    await_costs(provider)
    say_whose(provider, customers, [each for each, _ in accounts])
    divide([each for each, _ in accounts], customers)
    for account, _ in accounts:
        send(provider, "tarnwick/all", shared_events(account))
        send_costs(provider, account, moment(LAST, 3))
    for customer in customers:
        batch = [*events(customer), *levels(customer), *lives(customer)]
        send(provider, "tarnwick/all", batch)
        send_costs(provider, customer, moment(LAST, 3))
    for family, sellers in brought:
        if not (family.move and family.move.back):
            say_more(sellers, family, early=False)
    sold = [(family, link, sellers[link.seller]) for family, sellers in brought for link in family.links]
    first: dict[tuple[str, str], Fraction] = {}
    bought: dict[tuple[str, Month, str], Fraction] = defaultdict(Fraction)
    clients = {link.seller: client for _, link, client in sold if link.seller != "tarnwick"}
    for family, link, client in sold:
        nets = {month: check(client, family, link, seed, month) for month in MONTHS}
        first[link.seller, link.buyer] = sum(nets.values(), owed_in_advance(family, link))
        for month, net in nets.items():
            bought[link.buyer, month, link.currency] += net
    for (buyer, month, currency), net in bought.items():
        if buyer in clients:
            more = [
                amount
                for family, cost, _ in costs
                if family.owner == buyer
                for amount in cost_of_work(family, cost, month).values()
            ]
            slack = Fraction(len(more) * len(PROJECTS), 2 * 10 ** MINOR[currency])
            assert abs(cost_of_sold(clients[buyer], buyer, month, currency) - net - sum(more)) <= slack, (
                f"seed {seed}: {buyer} {month}"
            )
    for family, sellers in brought:
        link = random.choice(family.links)
        check_other_prices(random, sellers[link.seller], family, link, random.choice(MONTHS), seed)
        customer = random.choice(family.customers)
        check_estimate(random, sellers[customer.last_seller], family, customer, seed)
    check_own_cost(service, provider, [*families, house], own, seed)
    for family, cost, sellers in costs:
        check_cost_of_work(service, sellers[family.owner], family, cost, seed)
    documents: list[InvoiceBody] = []
    for month in MONTHS:
        for seller, client in {(link.seller, client) for _, link, client in sold}:
            documents += close(client, seller, month)
    assert {link: billed(documents, *link) for link in first} == first, f"seed {seed}"
    provider.clock.set(moment(LAST, 8), held=True)

    for customer in customers:
        say_late(random, provider, customer)
    for account, family in accounts:
        told = len(account.usage)
        share_otherwise(random, family, account)
        late = shared_events(account, told)
        send(provider, "tarnwick/all", late)
    divide([each for each, _ in accounts], customers)
    say_whose(provider, customers, [each for each, _ in accounts])
    for family, sellers in (*brought, (house, {"tarnwick": provider})):
        for customer, each in change_late(random, family):
            direct = sellers[customer.last_seller].subscriptions
            [made] = [one for one in direct.list(customer.slug) if one.name == each.name]
            if each.ends_on:
                direct.end(made.id, each.ends_on)
            else:
                change(sellers[customer.last_seller], made.id, *each.stretches[-2:])
    for family, link, client in sold:
        for month in MONTHS:
            check(client, family, link, seed, month)
    check_own_cost(service, provider, [*families, house], own, seed)
    for seller, client in {(link.seller, client) for _, link, client in sold}:
        documents += close(client, seller, MONTHS[-1])
    for family, link, _ in sold:
        whole = sum((sum(owed(family, link, month).values()) for month in MONTHS), owed_in_advance(family, link))
        lines = sum(len(each.lines) for each in documents if (each.seller, each.buyer) == (link.seller, link.buyer))
        slack = Fraction(lines + 1, 2 * 10 ** MINOR[link.currency])
        assert abs(billed(documents, link.seller, link.buyer) - whole) <= slack, f"seed {seed}: {family} on {link}"
    assert wrong_taxes(documents) == [], f"seed {seed}"
    settle(service.uow.engine)
    assert differing_pairs(service.uow, alone=True) == {}, f"seed {seed}"
    assert unaccounted(provider, "tarnwick") == [], f"seed {seed}"
    for family, cost, sellers in costs:
        check_cost_of_work(service, sellers[family.owner], family, cost, seed)
        assert not family.worked or unaccounted(sellers[family.owner], family.owner) == [], f"seed {seed}"
    for client in {client for _, _, client in sold}:
        client.close()
