"""What quotas promise is charged: to the second, down the tree, once, and told where there is nothing to charge."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal

import pytest
from sqlalchemy import Engine

from gradumen.core.errors import CatalogueInvalid
from gradumen.wire.organisations.sites import SiteCreate
from gradumen.wire.quotas.pools import PoolCreate
from gradumen.wire.spend.period_so_far import LinkPeriodBody
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate
from tests.conftest import Service, settle
from tests.world import World, files, moment, rate_card
from tests.worlds.stored import differing_pairs

NOVEMBER = "2026-11"
START, END = moment("2026-11-01"), moment("2026-12-01")
RATE = "  - {rate: held, meter: promised/processors, per: vCPU-hour, price: 0.01}\n"


def publish(world: World, *, at: str = "2026-11-01", extra: str = RATE, seller: str = "tarnwick") -> None:
    """Cards for resellers and tenants that price what quotas promise; the clock stands before they begin."""
    world.mara.clock.set(moment("2026-10-06"), held=True)
    user, cards = {
        "tarnwick": ("mara", [("resellers-gbp", "GBP", "resellers", "0.7"), ("tenants-eur", "EUR", "tenants", "1")]),
        "oxbow": ("edda", [("oxbow-gbp", "GBP", "any", "0.95")]),
    }[seller]
    world.user(user).catalogue.publish(seller, files(*(rate_card(*each, at) + extra for each in cards)))


def grant(world: World, at: str, user: str, holder: str, limit: str | None, project: str | None = None) -> None:
    world.mara.clock.set(moment(at), held=True)
    value = None if limit is None else Decimal(limit)
    world.user(user).quotas.grant(holder, "processors", value, project=project)


def links(world: World, user: str, organisation: str, period: str = NOVEMBER) -> dict[tuple[str, str], LinkPeriodBody]:
    found = world.user(user).spend.period_so_far(organisation, period, wait=60).links
    return {(link.seller, link.buyer): link for link in found}


def held(link: LinkPeriodBody) -> dict[tuple[str, str | None], tuple[Decimal, Decimal]]:
    """Promised vCPU-hours and what they cost, by whose subscription and which project."""
    return {
        (line.organisation, line.project): (line.quantity, line.amount) for line in link.lines if line.rate == "held"
    }


def hours(spans: Sequence[tuple[str, int]]) -> Decimal:
    """Level x hours of November, of levels from moments on."""
    moments = [max(START, moment(at)) for at, _ in spans]
    seconds = [
        level * int((until - since).total_seconds())
        for (_, level), since, until in zip(spans, moments, [*moments[1:], END], strict=True)
    ]
    return Decimal(sum(seconds)) / 3600


def test_a_limit_is_charged_to_the_second_from_when_it_was_given(world: World) -> None:
    publish(world)
    grant(world, "2026-10-25", "mara", "quillstone", "40")
    grant(world, "2026-11-16 12:00:30", "mara", "quillstone", "64.5")
    grant(world, "2026-11-20 09:30", "mara", "quillstone", "10")

    link = links(world, "una", "quillstone")["tarnwick", "quillstone"]
    expected = hours([("2026-10-25", 400), ("2026-11-16 12:00:30", 645), ("2026-11-20 09:30", 100)]) / 10
    [(quantity, amount)] = held(link).values()
    assert abs(quantity - expected) <= Decimal("0.0000005")
    assert amount == (expected / 100).quantize(Decimal("0.01"))
    [line] = [each for each in link.lines if each.rate == "held"]
    assert (line.description, line.unit, line.service) == ("Promised processors", "vCPU-hour", "promised")


def test_down_the_tree_each_has_its_own_share_and_no_more_than_the_whole_is_charged(world: World) -> None:
    """Oxbow passed some of its 400 on; what is thistledown's, who subscribes to nothing, is on Oxbow's own line."""
    publish(world)
    publish(world, seller="oxbow")
    grant(world, "2026-10-25", "mara", "oxbow", "400")
    grant(world, "2026-10-26", "edda", "saltmarsh", "100")
    grant(world, "2026-10-26", "edda", "thistledown", "50")
    grant(world, "2026-10-26", "ines", "saltmarsh", "30", project="booking")
    whole = hours([("2026-10-25", 1)])

    upper = held(links(world, "finn", "tarnwick")["tarnwick", "oxbow"])
    lower = held(links(world, "ines", "saltmarsh")["oxbow", "saltmarsh"])
    assert {key: quantity for key, (quantity, _) in upper.items()} == {
        ("saltmarsh", "booking"): 30 * whole,
        ("saltmarsh", None): 70 * whole,
    }
    assert lower == upper
    wanted = SubscriptionCreate(
        organisation="oxbow", plan="open-range", tier="moor", name="Own", starts_on=date(2026, 11, 1)
    )
    world.mara.subscriptions.create(wanted)
    upper = held(links(world, "finn", "tarnwick")["tarnwick", "oxbow"])
    assert upper["oxbow", None] == (300 * whole, 3 * whole)
    assert sum(quantity for quantity, _ in upper.values()) == 400 * whole
    # What a customer's reseller charges it is not among what the provider sees.
    assert ("oxbow", "saltmarsh") not in links(world, "finn", "tarnwick")


def test_what_projects_are_promised_follows_where_they_are_in_the_tree(
    world: World, service: Service, owner: Engine
) -> None:
    """A project's own share is its limit less those of the projects right below it: harbour's is under booking now."""
    publish(world)
    grant(world, "2026-10-25", "mara", "oxbow", "400")
    grant(world, "2026-10-26", "edda", "saltmarsh", "100")
    grant(world, "2026-10-26", "ines", "saltmarsh", "50", project="booking")
    grant(world, "2026-10-26", "ines", "saltmarsh", "20", project="harbour")
    ines, whole = world.user("ines"), hours([("2026-10-25", 1)])

    def shares() -> dict[str | None, Decimal]:
        found = held(links(world, "finn", "tarnwick")["tarnwick", "oxbow"])
        return {project: quantity / whole for (_, project), (quantity, _) in found.items()}

    assert shares() == {None: 30, "booking": 50, "harbour": 20}
    [harbour] = [each for each in ines.projects.list("saltmarsh") if each.slug == "harbour"]
    ines.projects.change("saltmarsh", "harbour", version=harbour.version, parent="booking")
    assert shares() == {None: 50, "booking": 30, "harbour": 20}
    settle(owner)
    assert differing_pairs(service.uow) == {}


def test_a_pause_is_not_charged_and_a_tier_that_ends_neither(world: World) -> None:
    publish(world)
    grant(world, "2026-10-25", "mara", "quillstone", "40")
    [subscription] = world.mara.subscriptions.list("quillstone")
    world.mara.subscriptions.change(subscription.id, SubscriptionChange(starts_on=date(2026, 11, 11), paused=True))
    world.mara.subscriptions.change(subscription.id, SubscriptionChange(starts_on=date(2026, 11, 21), paused=False))
    world.mara.subscriptions.end(subscription.id, date(2026, 11, 30))
    link = links(world, "una", "quillstone")["tarnwick", "quillstone"]
    assert [line.quantity for line in link.lines if line.rate == "held"] == [40 * 10 * 24, 40 * 9 * 24]


def test_without_a_limit_there_is_nothing_to_charge_and_that_is_told(world: World) -> None:
    publish(world)
    told = {
        (each.meter, each.organisation, each.reason)
        for each in links(world, "una", "quillstone")["tarnwick", "quillstone"].not_priced
    }
    assert told == {("promised/processors", "quillstone", "no limit")}
    seen = [each for each in world.mara.spend.not_priced("tarnwick", NOVEMBER).items if each.reason == "no limit"]
    assert {(each.meter_name, each.organisation, each.unit, each.resources) for each in seen} == {
        ("Promised processors", "quillstone", "vCPU-second", 0),
        ("Promised processors", "saltmarsh", "vCPU-second", 0),
    }
    grant(world, "2026-11-02", "mara", "quillstone", "1")
    assert links(world, "una", "quillstone")["tarnwick", "quillstone"].not_priced == []
    grant(world, "2026-11-03", "mara", "quillstone", None)
    assert links(world, "una", "quillstone")["tarnwick", "quillstone"].not_priced[0].reason == "no limit"


def test_blocks_and_sites_price_it_like_any_quantity(world: World) -> None:
    """At North Fell it costs more; what the limit there leaves of the whole is at no site."""
    extra = (
        "  - {rate: held, meter: promised/processors, per: vCPU-hour, blocks: [{to: 10000, price: 0.01}, {price: 0.005}]}\n"
        "  - {rate: north, meter: promised/processors, where: {site: north-fell}, per: vCPU-hour, price: 0.03}\n"
    )
    publish(world, extra=extra)
    north = world.mara.sites.register("tarnwick", SiteCreate(slug="north-fell", name="North Fell"))
    world.mara.pools.make(
        "tarnwick",
        PoolCreate(site=north.id, slug="hall", name="Hall", measure="processors", capacity=Decimal(500), behind="Rack"),
    )
    grant(world, "2026-10-25", "mara", "quillstone", "40")
    world.mara.site_quotas.grant("quillstone", north.id, "processors", Decimal(15))
    lines = {
        line.rate: (line.quantity, line.amount)
        for line in links(world, "una", "quillstone")["tarnwick", "quillstone"].lines
        if line.service == "promised"
    }
    month = 720
    assert lines == {
        "held": (25 * month, 100 + (25 * month - 10000) * Decimal("0.005")),
        "north": (15 * month, 15 * month * Decimal("0.03")),
    }


def test_a_charge_leads_to_the_limits_that_it_was_made_from(world: World) -> None:
    publish(world)
    grant(world, "2026-10-25", "mara", "oxbow", "400")
    grant(world, "2026-10-26", "edda", "saltmarsh", "100.5")
    grant(world, "2026-11-16 12:00:30", "edda", "saltmarsh", "64")
    grant(world, "2026-11-17", "ines", "saltmarsh", "30", project="booking")
    links(world, "finn", "tarnwick")
    sought = {"first": date(2026, 11, 1), "end": date(2026, 12, 1), "only": ["service:promised"]}
    [charge] = world.user("finn").spend.charges("tarnwick", **sought).items
    why = world.user("finn").spend.explain(charge.id).explanation
    assert why.limits is not None and why.kind == "allocation"
    assert [(each.holder, each.limit, each.unit, each.start, each.end) for each in why.limits] == [
        ("saltmarsh", Decimal("100.5"), "vCPU", START, moment("2026-11-16 12:00:30")),
        ("saltmarsh", Decimal(64), "vCPU", moment("2026-11-16 12:00:30"), END),
        ("saltmarsh/booking", Decimal(30), "vCPU", moment("2026-11-17"), END),
    ]
    world.mara.clock.set(moment("2026-12-02"), held=True)
    [invoice] = [each for each in world.close("tarnwick", "finn", NOVEMBER) if each.buyer == "oxbow"]
    billed = {line.charge_id for line in invoice.lines if line.rate == "held"}
    for identity in billed:
        assert world.user("edda").charges.explain(identity).explanation.limits == why.limits
        assert world.user("edda").charges.readings(identity) == []


def test_what_counts_by_project_is_apart_for_what_no_project_has(world: World) -> None:
    """Each project has a first block of its own, and so has what the organisation keeps."""
    extra = (
        "  - {rate: held, meter: promised/processors, per: vCPU-hour, over: project, "
        "blocks: [{to: 7200, price: 0.01}, {price: 0.001}]}\n"
    )
    publish(world, extra=extra)
    grant(world, "2026-10-25", "mara", "quillstone", "40")
    world.mara.projects.create("quillstone", slug="survey", name="Survey")
    grant(world, "2026-10-26", "mara", "quillstone", "15", project="archive")
    grant(world, "2026-10-26", "mara", "quillstone", "5", project="survey")
    found = held(links(world, "una", "quillstone")["tarnwick", "quillstone"])
    assert found == {
        ("quillstone", "archive"): (Decimal(15 * 720), Decimal("75.60")),
        ("quillstone", "survey"): (Decimal(5 * 720), Decimal("36.00")),
        ("quillstone", None): (Decimal(20 * 720), Decimal("79.20")),
    }


def test_closes_bill_it_and_the_next_month_goes_on_with_it(world: World, service: Service) -> None:
    publish(world)
    grant(world, "2026-10-25", "mara", "quillstone", "40")
    world.mara.clock.set(moment("2026-12-02"), held=True)
    [invoice] = [each for each in world.close("tarnwick", "finn", NOVEMBER) if each.buyer == "quillstone"]
    [line] = [each for each in invoice.lines if each.rate == "held"]
    assert (line.quantity, line.amount) == (Decimal(40 * 720), Decimal("288.00"))
    settle(service.uow.engine)
    assert differing_pairs(service.uow) == {}
    # December goes on with it, without anybody touching anything.
    december = held(links(world, "una", "quillstone", "2026-12")["tarnwick", "quillstone"])
    assert december == {("quillstone", None): (Decimal(40 * 744), Decimal("297.60"))}
    assert world.close("tarnwick", "finn", NOVEMBER) == []


def test_it_is_for_customers_alone(world: World) -> None:
    """What it costs oneself, and what a fixed cost is shared out by, is what was used."""
    card = "rate-card: own-cost\nname: Own\nfor: own-use\ncurrency: EUR\nstarts-on: 2026-12-01\nrates:\n"
    spread = "  - {rate: halls, spread: 100, by: promised/processors}\n"
    for rate, path in ((RATE, "rates[0].meter"), (spread, "rates[0].by")):
        with pytest.raises(CatalogueInvalid, match="customers are charged for") as refused:
            world.mara.catalogue.publish("tarnwick", files(card + rate))
        assert refused.value.facts["problems"][0]["path"] == path


@pytest.mark.parametrize("priced_now", [True, False])
def test_a_what_if_has_what_is_promised_on_the_side_whose_card_prices_it(world: World, priced_now: bool) -> None:
    publish(world, extra=RATE if priced_now else "")
    grant(world, "2026-10-25", "mara", "quillstone", "40")
    world.mara.clock.set(moment("2026-12-02"), held=True)
    card = rate_card("tenants-eur", "EUR", "tenants", "1", "2026-11-01") + ("" if priced_now else RATE)
    asked = world.mara.what_ifs.wait(world.mara.what_ifs.ask("tarnwick", NOVEMBER, files(card)).id, seconds=60)
    found = {each.service: (each.before, each.after) for each in world.mara.what_ifs.amounts(asked.id)}
    sides = (Decimal("288.00"), Decimal(0)) if priced_now else (Decimal(0), Decimal("288.00"))
    assert found["promised"] == sides
