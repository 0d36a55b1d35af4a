"""Spend is the period so far, the margins and the documents, told apart as its reader asks, and to those who may see it."""

import csv
import json
from collections.abc import Iterator
from datetime import date
from decimal import Decimal
from io import BytesIO, StringIO
from pathlib import Path

import polars as pl
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.core.exact import add
from gradumen.core.spend.spend import Dimension
from gradumen.store.pairs import PairRow
from gradumen.store.spend import month_columns
from gradumen.store.spend.spend_columns import RELEASE
from gradumen.usecases.spend import link_sums
from gradumen.usecases.spend.link_sums import refresh_columns
from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.spend.spend import SpendBody, SpendRowBody
from gradumen.wire.subscriptions.one_off_charges import OneOffChargeCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.conftest import Service, settle
from tests.world import GIB, SERVICES, World, egress, files, moment, reading

SEPTEMBER = {"first": date(2026, 9, 1), "end": date(2026, 10, 1)}


@pytest.fixture
def columns(service: Service, tmp_path: Path) -> Iterator[Path]:
    """The service keeps files of columns meanwhile."""
    service.uow.columns = tmp_path / "columns"
    yield service.uow.columns
    service.uow.columns = None


def used(world: World) -> None:
    placed = SERVICES.split("---")[0].replace("{size:", "{site: [north-fell, south-quay], size:")
    world.mara.catalogue.publish("tarnwick", files(placed))
    world.send(
        egress("q", 300 * GIB + 7, owner="quillstone/archive", resource="plates"),
        egress("s", 100 * GIB + 1, owner="saltmarsh/booking", resource="desk"),
        reading("h", owner="saltmarsh/harbour", resource="pier", attributes={"site": "south-quay", "size": "small"}),
        egress("o", 60 * GIB, owner="tarnwick/own"),
        reading("v", attributes={"site": "north-fell", "size": "small"}),
    )
    world.user("edda").one_off_charges.enter(
        OneOffChargeCreate(
            seller="oxbow",
            organisation="saltmarsh",
            subscription="Open Range",
            day=date(2026, 9, 14),
            description="Moving in",
            amount="17.05",
            currency="GBP",
        )
    )


def total(found: SpendBody, currency: str) -> SpendRowBody:
    return next(each.total for each in found.currencies if each.currency == currency)


def of_september(drafts: list[InvoiceBody], currency: str) -> Decimal:
    """What of drafts is for September; there may be something of August."""
    lines = [line for draft in drafts if draft.currency == currency for line in draft.lines]
    return add([line.amount for line in lines if f"{line.service_end}" >= "2026-09-0"])


def by(found: SpendBody, currency: str) -> dict[str, Decimal]:
    (rows,) = [each.rows for each in found.currencies if each.currency == currency]
    return {"/".join(key.id or "" for key in row.keys): row.amount for row in rows}


def test_spend_is_the_period_so_far_the_margins_and_the_documents(world: World) -> None:
    """Whatever it is told apart by; before and after the month is billed."""
    used(world)
    for seller, user, buyer in (("tarnwick", "finn", "quillstone"), ("oxbow", "piers", "saltmarsh")):
        client = world.user(user)
        so_far = client.spend.period_so_far(seller, "2026-09", wait=60)
        margins = client.spend.margins(seller, "2026-09", wait=60).rows
        shown = client.spend.show(seller, **SEPTEMBER, wait=60)
        for each in shown.currencies:
            links = [link.net for link in so_far.links if (link.seller, link.currency) == (seller, each.currency)]
            own = [link.net for link in so_far.links if link.seller == link.buyer and link.currency == each.currency]
            assert each.total.amount == add(links) - add(own), "own use is no sale"
            mine = [row for row in margins if row.currency == each.currency]
            assert each.total.amount == add([row.charged for row in mine])
            if all(row.margin is not None for row in mine):
                assert each.total.margin == add([row.margin or Decimal(0) for row in mine])
            assert (each.billed, each.on_drafts, each.to_bill) == (0, 0, each.total.amount)
        for dimension in Dimension:
            told = client.spend.show(seller, by=[dimension, "day" if dimension == "month" else "month"], **SEPTEMBER)
            for each in told.currencies:
                assert add([row.amount for row in each.rows]) == total(shown, each.currency).amount, dimension
        charges = client.spend.charges(seller, **SEPTEMBER, only=[f"buyer:{buyer}"])
        currency = charges.items[0].currency
        assert (
            add([each.amount for each in charges.items])
            == by(client.spend.show(seller, by=["buyer"], **SEPTEMBER), currency)[buyer]
        )
        assert client.spend.explain(charges.items[0].id).amount == charges.items[0].whole
    for seller, user in (("oxbow", "edda"), ("tarnwick", "finn")):
        before = world.user(user).spend.show(seller, **SEPTEMBER)
        drafts = world.close(seller, user, "2026-09", issue=False)
        drafted = world.user(user).spend.show(seller, **SEPTEMBER)
        for each in drafted.currencies:
            assert each.on_drafts == of_september(drafts, each.currency) == each.total.amount
        world.close(seller, user, "2026-09")
        after = world.user(user).spend.show(seller, **SEPTEMBER)
        assert [each.total for each in after.currencies] == [each.total for each in before.currencies]
        for each in after.currencies:
            assert (each.billed, each.on_drafts, each.to_bill) == (of_september(drafts, each.currency), 0, 0)


def quarterly(card: str, rest: str) -> str:
    rates = f"[{{rate: term, fee: open-range/moor, every: quarter, {rest}}}]"
    return f"rate-card: {card}\nname: {card}\nfor: named\ncurrency: EUR\nstarts-on: 2026-01-01\nrates: {rates}"


def test_a_term_of_a_quarter_is_spent_in_the_month_that_it_is_charged_in(world: World) -> None:
    """So that a month is what its documents say; its days in other months would be on none of theirs."""
    cards = {"ahead": "advance: true, price: 2209", "behind": "price: 301"}
    world.mara.catalogue.publish("tarnwick", files(*(quarterly(card, rest) for card, rest in cards.items())))
    for card in cards:
        world.mara.subscriptions.create(
            SubscriptionCreate(
                organisation="quillstone",
                plan="open-range",
                tier="moor",
                name=card,
                starts_on=date(2026, 8, 10),
                rate_card=card,
            )
        )
    world.mara.clock.set(moment("2026-12-02"), held=True)
    finn = world.user("finn")
    amounts = []
    for month in (8, 9, 10, 11):
        so_far = finn.spend.period_so_far("tarnwick", f"2026-{month:02d}", wait=60)
        first, end = date(2026, month, 1), date(2026, month + 1, 1)
        shown = finn.spend.show("tarnwick", by=["day"], first=first, end=end, wait=60)
        net = add([each.net for each in so_far.links if each.currency == "EUR" and each.buyer != "tarnwick"])
        assert total(shown, "EUR").amount == net
        assert {day[:7] for day in by(shown, "EUR")} == {f"2026-{month:02d}"}
        amounts.append(net)
    assert amounts[0] > 2209
    assert amounts[3] > 2209 + 301


def test_each_sees_the_link_nearest_to_what_it_asks_for(world: World) -> None:
    used(world)
    ines, mara, edda = world.user("ines"), world.mara, world.user("edda")
    own = ines.spend.show("saltmarsh", by=["project"], **SEPTEMBER, wait=60)
    link = next(each for each in ines.spend.period_so_far("saltmarsh", "2026-09").links if each.buyer == "saltmarsh")
    assert own.side == "bought"
    assert total(own, "GBP").amount == link.net
    assert total(own, "GBP").margin is None
    assert total(own, "GBP").costs == []
    assert own.currencies[0].on_drafts is None, "a draft is the seller's"
    assert edda.spend.show("saltmarsh", by=["project"], **SEPTEMBER).currencies[0].rows == own.currencies[0].rows
    above = mara.spend.show("saltmarsh", by=["project"], **SEPTEMBER)
    paid = next(each for each in mara.spend.period_so_far("oxbow", "2026-09").links if each.buyer == "oxbow")
    assert total(above, "GBP").amount == paid.net != link.net, "what the provider takes for it"
    assert total(above, "GBP").costs == []
    for refused in (lambda: mara.spend.show("oxbow", side="sold", **SEPTEMBER), lambda: edda.spend.show("tarnwick")):
        with pytest.raises((Forbidden, NotFound)):
            refused()
    with pytest.raises(Invalid, match="tenant and sells nothing"):
        ines.spend.show("saltmarsh", side="sold")
    charge = ines.spend.charges("saltmarsh", **SEPTEMBER).items[0].id
    for user in ("mara", "una", "wynn"):
        with pytest.raises(NotFound):
            world.user(user).spend.explain(charge)


def test_a_plan_of_a_resellers_own_is_not_named_above_it(world: World) -> None:
    """Its customers use the provider's services by it; the provider sees these, and not the plan."""
    edda = world.user("edda")
    plan = "plan: ferry-pack\nname: Ferry Pack\nservices: [network]\ntiers: [{tier: heath, name: Heath}]"
    edda.catalogue.publish("oxbow", files(plan))
    edda.catalogue.publish("oxbow", files("offer: ferry-pack"))
    used(world)
    for client, named in ((edda, True), (world.mara, False)):
        told = client.spend.show("oxbow", by=["plan", "service"], side="bought", **SEPTEMBER, wait=60)
        assert ("ferry-pack" in told.model_dump_json()) <= named


def test_a_resource_is_where_its_owners_own_usage_says_it_is(world: World) -> None:
    """Not where another's is that is called the same, nor where its was in other months."""
    used(world)
    north, south = ({"attributes": {"site": site, "size": "small"}} for site in ("north-fell", "south-quay"))
    august = {"start": "2026-08-20T00:00:00Z", "end": "2026-08-20T06:00:00Z"}
    world.send(
        reading("a", owner="quillstone/archive", **south),
        reading("b", owner="quillstone/archive", **north, **august),
    )
    found = world.user("finn").spend.show("tarnwick", by=["project", "region"], **SEPTEMBER, wait=60)
    rows = [row for each in found.currencies for row in each.rows if row.amount]
    places = {tuple(key.id for key in row.keys) for row in rows}
    regions = {project: {place for who, place in places if who == project and place} for project, _ in places}
    assert regions["quillstone/archive"] == {"south-quay"}
    assert regions["saltmarsh/booking"] == {"north-fell"}, "of the same name"


def test_filters_narrow_and_what_is_odd_is_refused(world: World) -> None:
    used(world)
    finn = world.user("finn")
    whole = by(finn.spend.show("tarnwick", by=["resource"], **SEPTEMBER, wait=60), "EUR")
    narrow = finn.spend.show("tarnwick", by=["resource"], only=["resource:plates"], **SEPTEMBER)
    assert by(narrow, "EUR") == {"plates": whole["plates"]}
    assert narrow.currencies[0].billed is None, "documents are of whole links"
    with pytest.raises(Invalid, match="has one seller"):
        finn.spend.show("tarnwick", only=["seller:tarnwick"], **SEPTEMBER)
    with pytest.raises(Forbidden):
        world.user("edda").spend.show("saltmarsh", only=["seller:nobody"], **SEPTEMBER)
    mine = world.user("edda").spend.show("saltmarsh", only=["seller:oxbow"], **SEPTEMBER)
    assert [each.currency for each in mine.currencies] == ["GBP"] and mine.currencies[0].total.amount > 0
    regions = by(finn.spend.show("tarnwick", by=["region"], only=["buyer:oxbow"], **SEPTEMBER), "GBP")
    assert set(regions) >= {"south-quay", "north-fell"}
    one = finn.spend.show("tarnwick", by=["service"], top=1, **SEPTEMBER)
    assert [row.keys[0].id for row in one.currencies[0].rows].count(None) == 1
    days = finn.spend.show("tarnwick", by=["day"], first=date(2026, 9, 5), end=date(2026, 9, 7))
    assert {row.keys[0].id for each in days.currencies for row in each.rows} <= {"2026-09-05", "2026-09-06"}
    for wrong in (
        {"by": ["colour"]},
        {"by": ["service", "service"]},
        {"by": ["service", "meter", "day"]},
        {"only": ["service"]},
        {"only": ["day:2026-09-01"]},
        {"side": "given"},
        {"first": date(2026, 9, 2), "end": date(2026, 9, 2)},
        {"first": date(1, 1, 1), "end": date(1, 2, 1)},
        {"first": date(9999, 12, 1), "end": date(9999, 12, 31)},
        {"top": 0},
    ):
        with pytest.raises(Invalid):
            finn.spend.show("tarnwick", **{**SEPTEMBER, **wrong})


def test_files_of_columns_are_a_cache_and_never_served_when_they_are_not_the_pairs(
    world: World, service: Service, columns: Path
) -> None:
    used(world)
    settle(service.uow.engine)
    finn = world.user("finn")

    def shown() -> SpendBody:
        return finn.spend.show("tarnwick", by=["service", "day"], **SEPTEMBER, wait=60)

    def kept() -> list[Path]:
        return sorted(path for path in columns.rglob("*") if path.is_file())

    first = shown()
    assert kept()
    files_then = kept()
    files_then[0].unlink()
    for path in files_then[1:]:
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    assert shown() == first
    for path in kept():
        path.write_bytes(b"from another release")
    assert shown() == first
    assert shown() == first
    kept()[0].unlink()
    assert shown() == first, "one is made, the others are read"
    with Session(service.uow.engine) as session:
        pairs = list(session.scalars(select(PairRow.id)))
    refresh_columns(service.uow, pairs=pairs)
    world.send(egress("later", 50 * GIB, owner="quillstone/archive"))
    settle(service.uow.engine)
    newer = shown()
    assert total(newer, "EUR").amount > total(first, "EUR").amount
    service.uow.columns = None
    assert shown() == newer
    own = [path.name.split("-")[0] for path in kept() if path.parent.name != "months"]
    assert len(set(own)) == len(own), "one file a pair"


def test_a_month_in_one_file_says_what_its_pairs_say(
    world: World, service: Service, columns: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """With all of it, with some pairs rated since, damaged, and with dimensions that the rough one does not know."""
    monkeypatch.setattr(month_columns, "FEWEST", 1)
    used(world)
    settle(service.uow.engine)
    finn = world.user("finn")
    asked = (["service"], ["buyer", "month"], ["project", "region"], ["resource"], ["service", "day"])
    asked += (["resource", "month"], ["organisation", "resource"], ["resource", "day"], ["meter", "day"])
    half = {"first": date(2026, 8, 15), "end": date(2026, 9, 3)}

    def shown() -> list[SpendBody]:
        told = [finn.spend.show("tarnwick", by=by, **days) for by in asked for days in (SEPTEMBER, half)]
        return [each.model_copy(update={"as_of": None}) for each in told]

    def months() -> list[Path]:
        return sorted((columns / RELEASE / "months").glob("*"))

    def refresh() -> None:
        with Session(service.uow.engine) as session:
            pairs = list(session.scalars(select(PairRow.id)))
        refresh_columns(service.uow, pairs=pairs)

    service.uow.columns = None
    bare = shown()
    service.uow.columns = columns
    refresh()
    made = months()
    assert {path.name.partition(".")[2] for path in made} == {
        *("arrow", "days.arrow", "services.arrow", "month.arrow", "resources.arrow", "json")
    }
    for path in columns.rglob("*.arrow"):
        if path.parent.name != "months":
            path.write_bytes(b"")
    with monkeypatch.context() as patch:
        patch.setattr(link_sums, "columns_of", lambda *_: pytest.fail("the months are not read"))
        assert shown() == bare
        for path in months():
            if path.name.endswith(".services.arrow"):
                path.unlink()
            if path.suffix == ".json":
                listed = json.loads(path.read_text())
                del listed["rows"][".services.arrow"]
                path.write_text(json.dumps(listed))
        assert shown() == bare, "an earlier release did not make these"
        for path in months():
            if path.name.endswith(".resources.arrow"):
                path.unlink()
            if path.suffix == ".json":
                listed = json.loads(path.read_text())
                path.write_text(json.dumps({name: listed[name] for name in ("files", "ratings")}))
        assert shown() == bare, "an earlier release made none of these, and did not count"
    for path in columns.rglob("*.arrow"):
        if path.parent.name != "months":
            path.unlink()
    world.send(egress("later", 50 * GIB, owner="quillstone/archive"))
    settle(service.uow.engine)
    newer = shown()
    assert newer != bare, "a pair that was rated since is not read from the month before"
    refresh()
    assert months() != made, "an eighth was rated since"
    assert len(months()) == len(made), "the old ones are gone, and all are there"
    assert shown() == newer
    for path in months():
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    assert shown() == newer
    refresh()
    assert shown() == newer


def test_a_file_of_spend_has_every_value_exactly_as_shown(world: World) -> None:
    used(world)
    world.send(egress("odd", 5 * GIB, resource="=cmd()"))
    finn = world.user("finn")
    asked = {"by": ["organisation", "resource"], **SEPTEMBER}
    shown = finn.spend.show("tarnwick", **asked, top=1000, wait=60)
    rows = [(each.currency, row) for each in shown.currencies for row in each.rows]

    table = pl.read_parquet(BytesIO(finn.spend.file("tarnwick", **asked, format="parquet")))
    assert table.schema["amount"] == pl.Decimal(38, 12)
    assert [
        (each["currency"], each["organisation_id"], each["resource"], each["amount"], each["margin"])
        for each in table.iter_rows(named=True)
    ] == [(currency, row.keys[0].id, row.keys[1].name, row.amount, row.margin) for currency, row in rows]

    written = finn.spend.file("tarnwick", **asked).decode()
    lines = list(csv.DictReader(StringIO(written)))
    assert [Decimal(each["amount"]) for each in lines] == [row.amount for _, row in rows]
    assert [each["resource"] for each in lines if "cmd" in each["resource"]] == ["'=cmd()"]

    bought = world.user("ines").spend.file("saltmarsh", by=["month"], **SEPTEMBER).decode()
    assert bought.splitlines()[0] == "currency,month_id,month,amount"


def test_a_file_of_too_many_rows_is_refused(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    used(world)
    monkeypatch.setattr("gradumen.usecases.spend.spend.MOST_ROWS", 2)
    with pytest.raises(Invalid, match="rows are more than the 2 of one answer") as refused:
        world.user("finn").spend.file("tarnwick", by=["resource", "day"], **SEPTEMBER)
    assert refused.value.facts["field"] == "by"
