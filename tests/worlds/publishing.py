"""What brings random customers in over the interface; imports ``client`` and ``wire`` only."""

from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import pairwise
from typing import Any
from uuid import UUID

from gradumen.client import Client
from gradumen.wire.catalogue.catalogue import CatalogueFile
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.assignment_rules import AssignmentRuleSet
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeCreate
from gradumen.wire.subscriptions.subscriptions import SpecialTermsAgree, SubscriptionChange, SubscriptionCreate
from tests.worlds.own_services import service_file
from tests.worlds.samplings import SAMPLED
from tests.worlds.worlds import (
    GIB,
    MINOR,
    PROJECTS,
    ByHand,
    CardAgreed,
    Customer,
    Family,
    Link,
    Move,
    Stretch,
    Subscription,
    Terms,
    Version,
    text,
)


def card_file(
    link: Link, plans: Sequence[str], version: Version, buyers: Sequence[str] = (), own_service: str = ""
) -> CatalogueFile:
    """A version as the file that publishes it; its fees are of these plans, and its card of the buyers that have it."""
    slug = f"{link.card}-named" if version.named else link.card
    suffix = "-named" if version.named else ""
    rate: dict[str, Any] = {"rate": "traffic", "meter": "network/egress", "per": "GiB", "over": link.over}
    blocks = [{"to": end, "price": text(each)} for end, each in zip(version.ends, version.prices, strict=False)]
    if version.kind == "flat":
        rate["price"] = text(version.prices[0])
    elif version.kind == "lot":
        rate["lots"] = {"of": version.ends[0], "price": text(version.prices[0])}
    else:
        rate["blocks"] = [*blocks, {"price": text(version.prices[-1])}]
        if version.kind == "whole":
            rate["at-reached-step"] = True
    for name in ("allowance", "committed"):
        if getattr(version, name):
            rate[name] = getattr(version, name)
    if version.minimum:
        rate["minimum"] = text(version.minimum)
    if version.cap is not None:
        rate["cap"] = text(version.cap)
    when = {"advance": "true"} if link.advance else {}
    fees = [each for plan in plans for each in fees_of(version, plan, when, f"-{plan}" if len(plans) > 1 else "")]
    spend = {"rate": "least", "commitment": text(version.spend), "over": link.least_over}
    least = [spend] if version.spend else []
    peaks = [
        {
            "rate": name,
            "meter": f"network/{name}",
            "per": SAMPLED[name].units[2],
            "price": text(price),
        }
        for name, price in version.peaks.items()
    ]
    rates = (
        rate,
        *windowed(version, link.over),
        *fees,
        *least,
        *peaks,
        *machines(version),
        *marked_up(version),
        *promises(version),
        *rents(version),
        *works(version, own_service),
    )
    lines = [f"  - {_flow({**each, 'rate': each['rate'] + suffix})}" for each in rates]
    who = "named" if version.named else f"{{organisations: [{', '.join(buyers)}]}}" if buyers else "own-use"
    head = [
        f"rate-card: {slug}",
        f"name: {slug}",
        f"for: {who}",
        f"currency: {link.currency}",
        f"starts-on: {version.day}",
        f"composites: {'components' if version.components else 'whole'}",
        *([f"overhead: {version.overhead}"] if version.overhead else []),
        *([f"at-renewal: {link.card}-named"] if link.renews and not version.named else []),
        "rates:",
    ]
    return CatalogueFile(name=f"{slug}.yaml", content="\n".join([*head, *lines, *discounts(version, suffix)]) + "\n")


def derived_file(link: Link, plans: Sequence[str], buyers: Sequence[str], own_service: str) -> CatalogueFile:
    """The first version of a card that follows another, with its own fees of these plans, and price of its own service."""
    how, first = link.derived, link.versions[0]
    assert how is not None
    on_top = {"percent": how.percent, "amount": text(how.amount)}
    base = {"base": f"{how.base.seller}/{how.base.card}", "on-top": on_top, "price-step": text(how.step)}
    when = {"advance": "true"} if link.advance else {}
    fees = [each for plan in plans for each in fees_of(first, plan, when, "")]
    fees += works(first, own_service if plans else "")
    lines = [
        f"rate-card: {link.card}",
        f"name: {link.card}",
        f"for: {{organisations: [{', '.join(buyers)}]}}",
        f"currency: {link.currency}",
        f"starts-on: {first.day}",
        f"composites: {'components' if first.components else 'whole'}",
        f"derived: {_flow(base)}",
        *([f"at-renewal: {link.card}-named"] if link.renews else []),
        *(["rates:", *(f"  - {_flow(fee)}" for fee in fees)] if fees else ["rates: []"]),
        *discounts(first, ""),
    ]
    return CatalogueFile(name=f"{link.card}.yaml", content="\n".join(lines) + "\n")


def discounts(version: Version, suffix: str) -> list[str]:
    of = [f"traffic{suffix}"]
    off = [{"discount": f"part{suffix}", "name": "Part", "percent": version.part, "rates": of}] if version.part else []
    off += [{"discount": f"off{suffix}", "name": "Off", "percent": version.off}] if version.off else []
    off += [{"discount": f"less{suffix}", "name": "Less", "amount": version.less}] if version.less else []
    return [f"discounts: {_flow(off)}"] if off else []


def fees_of(version: Version, plan: str, when: dict[str, str], suffix: str) -> Iterator[dict[str, Any]]:
    """The fees of a plan's tiers."""
    for tier, price in version.fees.items():
        yield {"rate": f"{tier}{suffix}", "fee": f"{plan}/{tier}", "price": text(price), **when}
    for every in ("once", "quarter"):
        if getattr(version, every):
            terms = {"every": every, "price": text(getattr(version, every)), **(when if every == "quarter" else {})}
            for tier in version.fees:
                yield {"rate": f"{every}-{tier}{suffix}", "fee": f"{plan}/{tier}", **terms}


def windowed(version: Version, over: str) -> list[dict[str, Any]]:
    """The rate of a version's window, if it has one."""
    if version.window is None:
        return []
    window, names = version.window, ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
    when: dict[str, Any] = {} if len(window.days) == 7 else {"days": [names[day] for day in window.days]}
    if (window.start, window.end) != (0, 24):
        when |= {"from": f'"{window.start:02d}:00"', "to": f'"{window.end:02d}:00"'}
    rate = {"rate": "window", "meter": "network/egress", "per": "GiB", "when": when}
    return [{**rate, "price": text(window.price), "over": over}]


def machines(version: Version) -> list[dict[str, Any]]:
    """The rates of machines' time."""
    rate = {"meter": "network/running", "per": "piece-hour"}
    found: list[dict[str, Any]] = []
    if version.awake is not None:
        more = {"where": {"phase": "awake"}, "started": version.step, "price": text(version.awake)}
        found.append({"rate": "awake", **rate, **more})
    if version.parked is not None:
        found.append({"rate": "parked", **rate, "where": {"phase": "parked"}, "price": text(version.parked)})
    return found


def marked_up(version: Version) -> list[dict[str, Any]]:
    """The rate of what a supplier states."""
    if version.markup is None:
        return []
    fixed = {"fixed": text(version.fixed)} if version.fixed else {}
    return [{"rate": "resold", "meter": "network/bought", "per": "EUR", "markup": {"percent": version.markup, **fixed}}]


def promises(version: Version) -> list[dict[str, Any]]:
    """The rate of what quotas promise."""
    if version.promised is None:
        return []
    return [{"rate": "promised", "meter": "promised/storage", "per": "GiB-month730", "price": text(version.promised)}]


def rents(version: Version) -> list[dict[str, Any]]:
    """The rate of a fixed cost."""
    return [{"rate": "rent", "spread": text(version.rent), "by": "network/egress"}] if version.rent else []


def works(version: Version, own_service: str) -> list[dict[str, Any]]:
    """The rate of a reseller's own service."""
    rate = {"rate": "worked", "meter": f"{own_service}/worked", "per": "hour", "price": text(version.worked)}
    return [rate] if own_service else []


def _flow(value: Any) -> str:
    if isinstance(value, dict):
        return "{" + ", ".join(f"{name}: {_flow(each)}" for name, each in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_flow, value)) + "]"
    return str(value)


def publish(sellers: dict[str, Client], family: Family) -> None:
    """Plan, offers and cards of a family by the clients of its sellers, its subscriptions, and who moves.

    What its customers subscribe to is changed after that or before.
    """
    owner = sellers[family.owner]
    if family.own_service:
        owner.catalogue.publish(family.owner, [service_file(family)])
        owner.feeds.create(family.owner, slug="own", name="Own")
    owner.catalogue.publish(family.owner, [plan_file(family, family.plan, family.allowances)])
    offer = CatalogueFile(name="offer.yaml", content=f"offer: {family.plan}\n")
    cards: dict[tuple[str, str], list[Link]] = {}
    for link in family.links:
        cards.setdefault((link.seller, link.card), []).append(link)
    later: list[tuple[str, CatalogueFile]] = []
    for (seller, _), alike in cards.items():
        plans = [] if family.is_foreign(alike[0]) else [family.plan]
        if plans:
            sellers[seller].catalogue.publish(seller, [offer])
        buyers, derived = [each.buyer for each in alike], alike[0].derived
        files = [
            card_file(alike[0], plans, version, buyers, family.own_service if plans else "")
            for version in alike[0].versions
        ]
        usual, named = ([files[at] for at in alike[0].numbers(named=named)] for named in (False, True))
        own_fees = plans if derived and family.is_foreign(derived.base) else []
        first = derived_file(alike[0], own_fees, buyers, family.own_service) if derived else usual[0]
        for file in (*named, first):
            sellers[seller].catalogue.publish(seller, [file])
        later += [(seller, each) for each in usual[1:] if not derived]
    # What follows does so by itself.
    for seller, file in later:
        sellers[seller].catalogue.publish(seller, [file])
    made = [
        (sellers[customer.seller], subscribe(sellers[customer.seller], customer, family.plan, each), each)
        for customer in family.customers
        for each in customer.subscriptions
    ]
    if family.later is not None:
        owner.catalogue.publish(family.owner, [plan_file(family, f"{family.plan} again", family.later)])
    for customer in family.customers:
        assign(sellers[customer.seller], customer)
    move = family.move or family.withdrawn
    early = move is not None and move.early
    if early:
        let_move(sellers["tarnwick"], family)
    for direct, id, each in made:
        for before, after in pairwise(each.stretches[1:] if each.stretches[0].trial else each.stretches):
            change(direct, id, before, after)
    if move and not early:
        let_move(sellers["tarnwick"], family)
    say_more(sellers, family, early=True)


def plan_file(family: Family, name: str, allowances: dict[str, int]) -> CatalogueFile:
    """A version of the family's plan, under a name."""
    tiers = []
    for tier in ("heath", "moor"):
        given = allowances.get(tier, 0) // GIB
        own = f", allowances: {{network/egress: {given} GiB}}" if given else ""
        tiers.append(f"{{tier: {tier}, name: {tier}{own}}}")
    trial = f"trial: {{days: {family.trial}}}\n" if family.trial else ""
    term = f"minimum-months: {family.months}\n" if family.months else ""
    services = ", ".join(["network", *([family.own_service] if family.own_service else [])])
    head = f"plan: {family.plan}\nname: {name}\nservices: [{services}]\n{trial}{term}"
    return CatalogueFile(name="plan.yaml", content=f"{head}tiers: [{', '.join(tiers)}]\n")


def let_move(provider: Client, family: Family) -> None:
    move = family.move or family.withdrawn
    assert move is not None
    told = provider.moves.plan(move.mover, move.later[-1].seller, move.day, "It moves.")
    assert told.state == "planned"
    if family.withdrawn:
        assert provider.moves.withdraw(move.mover, told.id).state == "withdrawn"


def let_back(provider: Client, move: Move) -> None:
    """Somebody goes back to whom it bought from, once it has moved."""
    assert move.back is not None
    assert provider.moves.plan(move.mover, move.left[-1].seller, move.back, "It moves back.").state == "planned"


def move_in(provider: Client, house: Family) -> None:
    """What the provider has for its own use, by its own card."""
    [customer] = house.customers
    for project in PROJECTS:
        provider.projects.create(customer.slug, slug=project, name=project)
    for each in customer.subscriptions:
        made = subscribe(provider, customer, house.plan, each)
        for before, after in pairwise(each.stretches[1:] if each.stretches[0].trial else each.stretches):
            change(provider, made, before, after)
    assign(provider, customer)


def subscribe(direct: Client, customer: Customer, plan: str, wanted: Subscription) -> UUID:
    """A subscription by its seller's client."""
    first = wanted.stretches[0]
    made = direct.subscriptions.create(
        SubscriptionCreate(
            organisation=customer.slug,
            project=wanted.project or None,
            plan=plan,
            tier=first.tier,
            name=wanted.name,
            quantity=first.quantity,
            starts_on=first.day,
            ends_on=wanted.ends_on,
            trial_until=wanted.stretches[1].day if first.trial else None,
        )
    )
    return made.id


def change(direct: Client, id: UUID, before: Stretch, after: Stretch) -> None:
    """A subscription from a stretch's first day on."""
    direct.subscriptions.change(
        id,
        SubscriptionChange(
            starts_on=after.day,
            tier=None if after.tier == before.tier else after.tier,
            quantity=None if after.quantity == before.quantity else after.quantity,
            paused=None if after.paused == before.paused else after.paused,
            plan_version=None if after.plan == before.plan else after.plan,
        ),
    )


def assign(direct: Client, customer: Customer) -> None:
    """What falls to which subscription, the first rule first."""
    for number, each in enumerate(customer.assigned):
        conditions = {"project": each.project} if each.project else {"resource": each.resource}
        body = AssignmentRuleSet(
            subscription=each.subscription,
            position=number,
            starts_on=each.starts_on,
            ends_on=each.ends_on,
            conditions=conditions,
        )
        direct.assignment_rules.set(customer.slug, f"rule-{number}", body)


def agree(seller: Client, each: Terms) -> None:
    [id] = [one.id for one in seller.subscriptions.list(each.customer) if one.name == each.subscription]
    allowances = {"network/egress": f"{each.allowance} GiB"}
    seller.subscriptions.agree(
        id, SpecialTermsAgree(seller=each.link.seller, starts_on=each.day, special_terms={"allowances": allowances})
    )


def agree_card(seller: Client, each: CardAgreed) -> None:
    [id] = [one.id for one in seller.subscriptions.list(each.customer) if one.name == each.subscription]
    card = f"{each.link.card}-named" if each.named else ""
    seller.subscriptions.agree(id, SpecialTermsAgree(seller=each.link.seller, starts_on=each.day, rate_card=card))


def say_more(sellers: dict[str, Client], family: Family, *, early: bool) -> None:
    """Own cards, terms and charges by hand: early of who sells already; who sells from a move on sees nobody before."""
    come = {link.seller for link in family.move.later[1:]} if family.move else set()
    for card in family.cards:
        if (card.link.seller in come) != early:
            agree_card(sellers[card.link.seller], card)
    for terms in family.terms:
        if (terms.link.seller in come) != early:
            agree(sellers[terms.link.seller], terms)
    for each in family.by_hand:
        if (each.link.seller in come) != early:
            charge(sellers[each.link.seller], each)


def charge(seller: Client, each: ByHand) -> None:
    seller.one_off_charges.enter(
        OneOffChargeCreate(
            seller=each.link.seller,
            organisation=each.customer,
            subscription=each.subscription,
            day=each.day,
            description="By hand",
            amount=text(Fraction(each.amount, 10 ** MINOR[each.link.currency])),
            currency=each.link.currency,
        )
    )


def organisation(parent: str, type: str, slug: str, currency: str, zone: str) -> OrganisationCreate:
    return OrganisationCreate(
        parent=parent, type=type, slug=slug, name=slug, country="IE", currency=currency, billing_zone=zone
    )
