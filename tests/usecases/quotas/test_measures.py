"""Measures that the provider defines: counted, limited, promised and watched as those that are built in."""

from datetime import UTC, date, datetime
from decimal import Decimal

import pytest

from gradumen.core.errors import (
    CatalogueInvalid,
    Conflict,
    Forbidden,
    Invalid,
    NotFound,
    QuotaBelowGranted,
    QuotaExceeded,
)
from gradumen.core.permissions import Role
from gradumen.core.quotas.measures import Counted, Kind
from gradumen.usecases.metering.limit_watch import watch_limits
from gradumen.wire.organisations.sites import SiteCreate
from gradumen.wire.quotas.pools import PoolCreate
from gradumen.wire.quotas.quotas import SoftLimit
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.conftest import Service
from tests.world import SERVICES, World, files, moment, reading

SEATS = """
service: workplaces
name: Workplaces
category: Compute
subcategory: Virtual Machines
meters:
  seat-hours: {name: Seats, unit: seat-second, counted: seat, combine: level, measure: seats}
  lookups: {name: Lookups, unit: lookup, counted: lookup, combine: sum, measure: lookups}
"""


def define(world: World) -> None:
    world.mara.measures.define("seats", "seat", Kind.STOCK)
    world.mara.measures.define("lookups", "lookup", Kind.RATE)


def used(identity: str, meter: str, unit: str, quantity: int) -> dict[str, object]:
    hour = {"start": "2026-10-05T10:00:00Z", "end": "2026-10-05T11:00:00Z"}
    return reading(identity, meter=f"workplaces/{meter}", quantity=str(quantity), unit=unit, attributes={}, **hour)


def test_it_is_counted_by_meters_and_watched(world: World, service: Service) -> None:
    define(world)
    world.mara.catalogue.publish("tarnwick", files(SEATS))
    world.mara.clock.set(moment("2026-10-05 12:30"), held=True)
    world.mara.quotas.grant("oxbow", "seats", Decimal(5))
    world.mara.quotas.grant("oxbow", "lookups", Decimal(3))
    world.send(used("a", "seat-hours", "seat", 8), used("b", "lookups", "lookup", 7200))
    uses = {each.measure: each for each in world.user("edda").uses.list("oxbow")}
    assert (uses["seats"].quantity, uses["seats"].unit, uses["seats"].kind) == (Decimal(8), "seat", "stock")
    assert (uses["lookups"].quantity, uses["lookups"].hour) == (Decimal(2), moment("2026-10-05 10:00")), "a second"
    with service.worker.gate:
        watch_limits(service.uow, at=datetime.now(UTC))
    [breach] = world.user("edda").breaches.list("oxbow", state="open")
    assert (breach.measure, breach.unit, breach.limit, breach.used) == ("seats", "seat", Decimal(5), Decimal(8))
    world.mara.clock.set(moment("2026-10-06 12:30"), held=True)
    first = moment("2026-10-05 00:00").date()
    seats, lookups = (world.user("edda").uses.days("oxbow", each, first=first) for each in ("seats", "lookups"))
    assert (seats[0].quantity, seats[0].limit) == (Decimal("0.333333"), Decimal(5)), "the day's mean"
    assert lookups[0].quantity == Decimal("0.083333")


def test_limits_of_it_flow_down_and_bound_what_is_promised(world: World) -> None:
    define(world)
    world.mara.quotas.grant("tarnwick", "seats", Decimal(100))
    world.mara.quotas.grant("oxbow", "seats", Decimal(60))
    with pytest.raises(QuotaExceeded, match="seat") as refused:
        world.mara.quotas.grant("quillstone", "seats", Decimal(41))
    assert (refused.value.facts["measure"], refused.value.facts["left"]) == ("seats", "40")
    world.user("edda").quotas.grant("saltmarsh", "seats", Decimal(60))
    assert "seats" in [each.measure for each in world.mara.quota_matrices.get("tarnwick").measures]
    plan = SERVICES.split("---")[2].replace("{tier: moor, name: Moor", "{tier: moor, name: Moor, quotas: {seats: 4}")
    world.mara.catalogue.publish("tarnwick", files(plan))
    with pytest.raises(Conflict, match="tier of plan 'open-range'"):
        world.mara.measures.retire("seats")
    place = world.mara.sites.register("tarnwick", SiteCreate(slug="fell", name="Fell", zone="UTC"))
    pool = PoolCreate(site=place.id, slug="desks", name="Desks", measure="seats", capacity=Decimal(7))
    assert world.mara.pools.make("tarnwick", pool).unit == "seat"


def test_what_the_service_counts_is_refused_beyond_its_limit(world: World) -> None:
    mara, edda, ines = world.mara, world.user("edda"), world.user("ines")
    made = mara.measures.define("contracts", "contract", Kind.COUNT, counts=Counted.SUBSCRIPTIONS)
    assert (made.metered, made.counts) == (False, "subscriptions")
    mara.measures.define("keys", "key", Kind.COUNT, counts=Counted.TOKENS)
    had = {each.measure: each.own for each in ines.quotas.list("saltmarsh")}
    assert (had["contracts"], had["keys"]) == (1, 0)
    for holder, client in (("oxbow", mara), ("saltmarsh", edda)):
        client.quotas.grant(holder, "contracts", Decimal(2))
        client.quotas.grant(holder, "keys", Decimal(1))
    with pytest.raises(QuotaBelowGranted):
        edda.quotas.grant("saltmarsh", "contracts", Decimal(0))

    def more(name: str) -> None:
        edda.subscriptions.create(SubscriptionCreate(organisation="saltmarsh", plan="open-range", tier="heath",
                                                     name=name, starts_on=date(2026, 10, 1)))  # fmt: skip

    more("second")
    with pytest.raises(
        QuotaExceeded, match="Saltmarsh Ferries may have 2 contracts; it has 2; ask its seller for more"
    ):
        more("third")
    ines.tokens.create("saltmarsh", name="one", role=Role.VIEWER)
    with pytest.raises(QuotaExceeded, match="1 key"):
        ines.tokens.create("saltmarsh", name="two", role=Role.VIEWER)
    ines.tokens.revoke(ines.tokens.list()[0].id)
    ines.tokens.create("saltmarsh", name="two", role=Role.VIEWER)
    watched = {each.measure for each in ines.uses.list("saltmarsh")}
    assert {"contracts", "keys"} <= watched
    with pytest.raises(Conflict, match="never changes"):
        mara.measures.define("keys", "key", Kind.COUNT, counts=Counted.ACCOUNTS)


def test_only_the_provider_defines_and_what_is_defined_never_changes(world: World) -> None:
    define(world)
    for user in ("edda", "ines"):
        with pytest.raises(Forbidden):
            world.user(user).measures.define("desks", "desk", Kind.STOCK)
        with pytest.raises(Forbidden):
            world.user(user).measures.retire("seats")
    assert [each.measure for each in world.user("ines").measures.list() if each.defined] == ["seats", "lookups"]
    define(world)
    for slug, unit, kind, said in (
        ("seats", "chair", Kind.STOCK, "never changes"),
        ("seats", "seat", Kind.DAILY, "never changes"),
        ("memory", "GiB", Kind.STOCK, "there already"),
        ("Desks", "desk", Kind.STOCK, "small letters"),
        ("desks", "", Kind.STOCK, "noun"),
        ("desks", "2 desks", Kind.STOCK, "noun"),
        ("spend", "EUR", Kind.MONTHLY, "noun"),
        ("desks", "desk", Kind.COUNT, "say what of these"),
        ("contracts", "2 of them", Kind.COUNT, "say what"),
    ):
        with pytest.raises((Invalid, Conflict), match=said):
            world.mara.measures.define(slug, unit, kind)
    entries = [each for each in world.mara.audit_entries.list("tarnwick") if each.action == "measure defined"]
    assert sorted(each.subject for each in entries) == ["lookups", "seats"], "what changed nothing stands on no record"


def test_a_meter_counts_it_in_its_unit_alone(world: World) -> None:
    with pytest.raises(CatalogueInvalid, match="seats"):
        world.mara.catalogue.publish("tarnwick", files(SEATS))
    define(world)
    for wrong in (
        SEATS.replace("seat-second, counted: seat,", "chair-second, counted: chair,"),
        SEATS.replace("unit: seat-second, counted: seat, combine: level", "unit: seat, counted: seat, combine: sum"),
        SEATS.replace("lookup, combine: sum", "lookup, combine: level").replace("unit: lookup", "unit: lookup-second"),
    ):
        with pytest.raises(CatalogueInvalid):
            world.mara.catalogue.publish("tarnwick", files(wrong))
    world.mara.catalogue.publish("tarnwick", files(SEATS))


def test_it_is_retired_when_nothing_is_of_it_and_comes_back_as_it_was(world: World) -> None:
    define(world)
    world.mara.catalogue.publish("tarnwick", files(SEATS))
    with pytest.raises(Conflict, match="workplaces/seat-hours' counts it"):
        world.mara.measures.retire("seats")
    world.mara.catalogue.publish("tarnwick", files(SEATS.replace(", measure: seats", "")))
    world.mara.quotas.grant("tarnwick", "seats", Decimal(9))
    with pytest.raises(Conflict, match="limits or pools"):
        world.mara.measures.retire("seats")
    world.mara.quotas.grant("oxbow", "seats", Decimal(3))
    asked = world.user("edda").quota_requests.ask("oxbow", "seats", Decimal(5), "They need desks.")
    world.mara.quotas.grant("tarnwick", "seats", None, soft=SoftLimit(limit=Decimal(9), grace_days=1))
    with pytest.raises(Conflict, match="limits or pools"):
        world.mara.measures.retire("seats")
    world.mara.quotas.grant("oxbow", "seats", None)
    with pytest.raises(Conflict, match="limits or pools"):
        world.mara.measures.retire("seats")
    world.mara.quotas.grant("tarnwick", "seats", None, soft=SoftLimit(limit=None))
    world.mara.measures.retire("seats")
    world.mara.measures.retire("seats")
    assert "seats" not in [each.measure for each in world.mara.measures.list()]
    with pytest.raises(Invalid, match="seats"):
        world.mara.quotas.grant("oxbow", "seats", Decimal(1))
    with pytest.raises(CatalogueInvalid):
        world.mara.catalogue.publish("tarnwick", files(SEATS))
    with pytest.raises(Invalid, match="seats"):
        world.mara.quota_requests.answer(asked.id, Decimal(5))
    assert world.mara.quota_requests.answer(asked.id, None, "There are none any more.").state == "refused"
    assert [each.limit for each in world.mara.quotas.changes("tarnwick", measure="seats")] == [None, Decimal(9)]
    with pytest.raises(NotFound):
        world.mara.measures.retire("desks")
    define(world)
    world.mara.catalogue.publish("tarnwick", files(SEATS))
    assert world.mara.quotas.grant("oxbow", "seats", Decimal(1)).limit == Decimal(1)
