"""Cost files of suppliers: sets that stand whole, whose they are, what they are sold for, and what is not sold."""

import csv
import gzip
import io
from base64 import b64encode
from collections.abc import Iterable, Mapping
from datetime import date, timedelta
from decimal import Decimal
from random import Random

import polars as pl
import pytest

from gradumen.core.errors import Conflict, Invalid
from gradumen.wire.metering.imported_costs import CostDeliveryBody
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate
from tests.conftest import Begin
from tests.world import World, files, moment, rate_card

CUMULANT = """
service: cumulant
name: Cumulant
category: Compute
subcategory: Virtual Machines
meters:
  cost: {name: Cost, unit: micro-EUR, combine: sum}
  cost-gbp: {name: Cost in pounds, unit: micro-GBP, combine: sum}
attributes: {region: [east, west]}
---
plan: cumulant
name: Cumulant
services: [cumulant]
tiers: [{tier: passed-on, name: Passed on}]
---
offer: cumulant
to: all
"""
OFFER = "offer: cumulant\nto: all\n"
FEED = "tarnwick/cumulant"
MORNING = "2026-09-24 05:00"


def row(cost: str, day: int = 3, account: str = "acc-7", **more: str) -> dict[str, str]:
    """A row of September."""
    return {
        "BilledCost": cost, "EffectiveCost": cost, "ListCost": cost, "ContractedCost": cost, "BillingAccountId": "B-1",
        "SubAccountId": account, "BillingCurrency": "EUR", "BillingPeriodStart": "2026-09-01T00:00:00Z",
        "BillingPeriodEnd": "2026-10-01T00:00:00Z", "ChargeCategory": "Usage",
        "ChargePeriodStart": f"2026-09-{day:02d}T00:00:00Z", "ChargePeriodEnd": f"2026-09-{day + 1:02d}T00:00:00Z",
        "ServiceName": "Machines", "ResourceId": f"vm-{day}", "RegionId": "west", "Tags": "", "ChargeClass": "",
        "CommitmentDiscountId": "", "ConsumedQuantity": "", "ConsumedUnit": "", "InvoiceId": "", **more,
    }  # fmt: skip


def written(*rows: Mapping[str, str], columns: Iterable[str] = ()) -> bytes:
    file = io.StringIO()
    writer = csv.DictWriter(file, list(columns) or list(row("0")))
    writer.writeheader()
    writer.writerows(rows)
    return file.getvalue().encode()


def publish(world: World, slug: str, currency: str, buyers: str, rates: str, day: int = 1, more: str = "") -> None:
    """In August: a card with rates of costs, from a day of September on."""
    user, seller = ("edda", "oxbow") if slug.startswith("oxbow") else ("mara", "tarnwick")
    world.mara.clock.set(moment("2026-08-20"), held=True)
    card = rate_card(slug, currency, buyers, "1", f"2026-09-{day:02d}").replace("rates:\n", f"rates:\n{rates}")
    world.user(user).catalogue.publish(seller, files(*([more] if more else []), card))
    world.mara.clock.set(moment("2026-09-25 09:00"), held=True)


@pytest.fixture
def costs(world: World, begin: Begin) -> World:
    """A feed of cost files, sold on with 12 % on top; acc-7 is Quillstone's, acc-8 nobody's."""

    def make() -> None:
        mara = world.mara
        rate = "  - {rate: cumulant, meter: cumulant/cost, per: EUR, markup: {percent: 12}}\n"
        publish(world, "tenants-eur", "EUR", "tenants", rate, more=CUMULANT)
        mara.feeds.create("tarnwick", slug="cumulant", name="Cumulant")
        mara.imported_costs.set_meter(FEED, "cumulant/cost")
        mara.subscriptions.create(
            SubscriptionCreate(organisation="quillstone", plan="cumulant", tier="passed-on", name="Cumulant",
                               starts_on=date(2026, 9, 1))
        )  # fmt: skip
        own(world, "quillstone/archive", "acc-7")

    begin(make)
    return world


def own(world: World, owner: str, *accounts: str) -> None:
    """Say whose accounts are, in the place of what was said, and wait until it is so."""
    mara = world.mara
    rule = OwnershipRuleForm(
        name=owner,
        owner=owner,
        starts_on=date(2026, 9, 1),
        conditions={"account": accounts[0] if len(accounts) == 1 else [*accounts]},
    )
    mara.ownership_rules.set("tarnwick", [rule], mara.ownership_rules.get("tarnwick").version)
    for each in mara.tasks.list("tarnwick"):
        if each.kind == "owners by rule":
            assert mara.tasks.follow(each.id, seconds=60).state == "done"


def send(world: World, *rows: Mapping[str, str], at: str = MORNING, **more: object) -> CostDeliveryBody:
    return world.mara.imported_costs.send(FEED, "costs.csv", written(*rows), exported_at=moment(at), **more)  # type: ignore[arg-type]  # of several kinds


def charged(
    world: World, seller: str = "tarnwick", buyer: str = "quillstone", user: str = "mara"
) -> dict[str, Decimal]:
    """What a buyer is charged of each rate of costs in September."""
    world.settle()
    found = world.user(user).spend.period_so_far(seller, "2026-09", wait=60)
    balances = world.user(user).spend.balances(seller, "2026-09", wait=60).items
    assert [each for each in balances if each.difference] == [], "all of it is charged, or listed as not"
    lines = [line for link in found.links if link.buyer == buyer for line in link.lines]
    return {line.rate: line.amount for line in lines if line.rate == "cumulant"}


def imported(world: World) -> dict[tuple[str, str | None], Decimal]:
    """Billed by account and owner."""
    world.settle()
    found: dict[tuple[str, str | None], Decimal] = {}
    for each in world.mara.imported_costs.list("tarnwick", "2026-09"):
        key = each.account, each.owner
        found[key] = found.get(key, Decimal(0)) + each.billed
    return found


def test_costs_are_sold_with_a_percentage_on_top_credits_too(costs: World) -> None:
    told = send(
        costs, row("10.05"), row("10.05"), row("-3", 4, ChargeCategory="Credit"), row("5", 4, "acc-8"),
        row("2.31", 5, ChargeCategory="Tax"), row("0.000000000001", 6),
    )  # fmt: skip
    assert (told.rows, told.days, told.replaced, told.totals[0].billed) == (6, 4, 0, Decimal("24.410000000001"))
    assert imported(costs) == {("acc-7", "quillstone/archive"): Decimal("19.410000000001"), ("acc-8", None): Decimal(5)}
    assert charged(costs) == {"cumulant": Decimal("19.15")}, "equal rows are two; tax is the supplier's"
    [spent] = [
        each for each in costs.mara.spend.charges("tarnwick", side="sold").items if each.subscription == "Cumulant"
    ]
    why = costs.mara.spend.explain(spent.id).explanation
    assert why.cost is not None
    assert (why.kind, why.percent, why.cost.basis, why.cost.amount) == (
        "imported_cost", 12, "billed", Decimal("17.100000000001"),
    )  # fmt: skip


def test_what_is_nobodys_is_on_the_work_list_with_its_cost(costs: World) -> None:
    told = {"ConsumedQuantity": "4", "ConsumedUnit": "Hours"}
    send(
        costs, row("10.05"), row("5", 4, "acc-8", **told), row("-1.5", 5, "acc-8", ChargeCategory="Credit"),
        row("2", 5, "acc-8", ChargeCategory="Tax"), row("7", 6, "acc-9"),
    )  # fmt: skip
    assert imported(costs)["acc-8", None] == Decimal("5.5"), "tax is nobody's too"
    listed = costs.mara.ownership_rules.unowned("tarnwick", "2026-09")
    found = {each.account: each for each in listed.items}
    assert {account: [(one.currency, one.billed) for one in each.costs] for account, each in found.items()} == {
        "acc-8": [("EUR", Decimal("3.5"))], "acc-9": [("EUR", Decimal(7))],
    }  # fmt: skip
    eight = found["acc-8"]
    assert (eight.resources, eight.examples, eight.readings, eight.quantities) == (2, ["vm-4", "vm-5"], 0, [])
    assert (eight.first_day, eight.last_day) == (date(2026, 9, 4), date(2026, 9, 5))
    own(costs, "quillstone/archive", "acc-8", "acc-9")
    imported(costs)
    assert [each.account for each in costs.mara.ownership_rules.unowned("tarnwick", "2026-09").items] == ["acc-7"]


def test_a_later_statement_takes_the_place_of_a_day_and_an_earlier_one_does_not(costs: World) -> None:
    send(costs, row("10"), row("20", 4), row("30", 5))
    again = send(costs, row("10"), row("20", 4), row("30", 5))
    assert (again.again, again.rows) == (True, 0)
    later = send(costs, row("21", 4), at="2026-09-25 05:00")
    assert (later.rows, later.replaced, later.older) == (1, 1, 0)
    assert imported(costs) == {("acc-7", "quillstone/archive"): Decimal(61)}
    early = send(costs, row("7"), row("99", 4), at="2026-09-24 12:00")
    assert (early.rows, early.replaced, early.older) == (1, 1, 1)
    assert charged(costs) == {"cumulant": Decimal("64.96")}
    with pytest.raises(Conflict, match="another file of the same moment"):
        send(costs, row("8"), at="2026-09-24 12:00")
    # Days that it states and has no rows of are empty.
    send(costs, row("7"), at="2026-09-25 06:00", first=date(2026, 9, 3), last=date(2026, 9, 5), confirmed=True)
    assert imported(costs) == {("acc-7", "quillstone/archive"): Decimal(7)}
    with pytest.raises(Invalid, match="outside of what the file states"):
        send(costs, row("7", 9), at="2026-09-25 07:00", first=date(2026, 9, 3), last=date(2026, 9, 5))


def test_in_whatever_order_and_however_often_files_come_the_latest_of_each_day_stands(costs: World) -> None:
    """Also where the latest states that a day has nothing, and comes first."""
    chance = Random(7)
    sent = []
    for hour in range(6):
        first = chance.randint(1, 4)
        last = chance.randint(first, 6)
        days = [day for day in range(first, last + 1) if chance.random() < 0.7] or [first]
        rows = [row(str(chance.randint(1, 99)), day) for day in days for _ in range(chance.randint(1, 2))]
        sent.append((moment(f"2026-09-24 {hour:02d}:00"), date(2026, 9, first), date(2026, 9, last), rows))
    stands: dict[date, Decimal] = {}
    for _, since, until, rows in sent:
        for number in range((until - since).days + 1):
            day = since + timedelta(days=number)
            of_day = [Decimal(each["BilledCost"]) for each in rows if each["ChargePeriodStart"][:10] == str(day)]
            stands[day] = sum(of_day, Decimal(0))
    for turn in range(3):
        feed = costs.mara.feeds.create("tarnwick", slug=f"turn-{turn}", name=f"Turn {turn}").path
        costs.mara.imported_costs.set_meter(feed, "cumulant/cost")
        order = [*sent, *chance.sample(sent, 2)]
        chance.shuffle(order)
        for exported, since, until, rows in order:
            costs.mara.imported_costs.send(feed, "a.csv", written(*rows), exported_at=exported, first=since, last=until,
                                           confirmed=True)  # fmt: skip
        costs.settle()
        found = [each for each in costs.mara.imported_costs.list("tarnwick", "2026-09") if each.feed == feed]
        assert sum((each.billed for each in found), Decimal(0)) == sum(stands.values(), Decimal(0)), order


def test_what_would_lose_more_than_half_waits_for_a_hand(costs: World) -> None:
    send(costs, row("10"), row("11"), row("12"))
    with pytest.raises(Conflict, match="had 3 rows and costs of 33, and would have 1 and 10; confirm that"):
        send(costs, row("10"), at="2026-09-25 05:00")
    assert imported(costs) == {("acc-7", "quillstone/archive"): Decimal(33)}, "nothing of it was taken"
    assert send(costs, row("10"), at="2026-09-25 05:00", confirmed=True).replaced == 1
    assert charged(costs) == {"cumulant": Decimal("11.2")}


def test_a_delivery_is_taken_back_and_what_stood_before_stands_again(costs: World) -> None:
    send(costs, row("10"), row("20", 4))
    later = send(costs, row("12"), at="2026-09-25 05:00")
    assert charged(costs) == {"cumulant": Decimal("35.84")}
    back = costs.mara.deliveries.take_back(later.delivery_id)
    assert back.taken_back_at is not None
    assert charged(costs) == {"cumulant": Decimal("33.6")}
    assert send(costs, row("11"), at="2026-09-24 12:00").rows == 1
    again = send(costs, row("13"), at="2026-09-25 05:00")
    assert again.rows == 1, "it can be sent again, corrected"
    assert send(costs, row("9"), at="2026-09-24 18:00").older == 1
    costs.mara.deliveries.take_back(again.delivery_id)
    assert charged(costs) == {"cumulant": Decimal("32.48")}, "what came late, and is later than the rest, stands then"
    assert send(costs, row("13"), at="2026-09-25 05:30").rows == 1
    assert charged(costs) == {"cumulant": Decimal("36.96")}


def test_what_was_nobodys_is_charged_once_a_rule_says_whose_it_is(costs: World) -> None:
    send(costs, row("10"), row("5", 4, "acc-8"))
    assert charged(costs) == {"cumulant": Decimal("11.2")}
    own(costs, "quillstone/archive", "acc-7", "acc-8")
    assert charged(costs) == {"cumulant": Decimal("16.8")}
    own(costs, "quillstone/archive", "acc-8")
    assert charged(costs) == {"cumulant": Decimal("5.6")}
    assert imported(costs)["acc-7", None] == 10


def test_a_rule_is_looked_at_with_the_costs_that_it_would_move(costs: World) -> None:
    send(costs, row("10"), row("5.5", 4, "acc-8"), row("-0.5", 5, "acc-8"), row("2", 5, "acc-8", ChargeCategory="Tax"))
    costs.settle()
    todo = [each.title for each in costs.mara.to_dos.list("tarnwick") if each.kind == "unowned"]
    assert todo == ["5.00 EUR of suppliers' costs are nobody's"]
    before = costs.mara.ownership_rules.get("tarnwick")
    more = OwnershipRuleForm(
        name="More", owner="quillstone/archive", starts_on=date(2026, 9, 1), conditions={"account": "acc-8"}
    )
    [moved] = costs.mara.ownership_rules.preview("tarnwick", [*before.rules, more]).moves
    assert (moved.before, moved.after, moved.resources, moved.readings) == (None, "quillstone/archive", 2, 0)
    assert [(each.currency, each.billed) for each in moved.costs] == [("EUR", Decimal(5))]
    own(costs, "quillstone/archive", "acc-7", "acc-8")
    assert charged(costs) == {"cumulant": Decimal("16.8")}, "exactly what was shown, with the percentage"
    assert not [each for each in costs.mara.to_dos.list("tarnwick") if each.kind == "unowned"]


def test_an_amount_on_a_document_leads_to_the_rows_that_it_was_made_from(costs: World) -> None:
    send(costs, row("10"), row("4", 4), row("7", account="acc-8"))
    costs.mara.clock.set(moment("2026-10-02 09:00"), held=True)
    costs.settle()
    [invoice] = [each for each in costs.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone"]
    [line] = [each for each in invoice.lines if each.rate == "cumulant"]
    assert line.charge_id is not None

    def rows() -> list[tuple[str, Decimal]]:
        found = costs.mara.charges.readings(line.charge_id)
        return [(each.event_id, each.quantity) for each in found]

    told = [
        ("acc-7, 2026-09-03, row 1, EUR", Decimal(10_000_000)),
        ("acc-7, 2026-09-04, row 2, EUR", Decimal(4_000_000)),
    ]
    assert rows() == told
    later = send(costs, row("9"), at="2026-10-01 05:00")
    costs.settle()
    assert rows() == told, "as of when it was billed"
    costs.mara.deliveries.take_back(later.delivery_id)
    assert rows() == told


def test_a_row_of_another_month_is_behind_the_charge_of_the_nearest_day_alone(costs: World) -> None:
    """What the source bills in September, of the first of October: before the change the same machine was charged too."""
    mara = costs.mara
    mara.clock.set(moment("2026-10-02 09:00"), held=True)
    [one] = [each for each in mara.subscriptions.list("quillstone") if each.name == "Cumulant"]
    mara.subscriptions.change(one.id, SubscriptionChange(starts_on=date(2026, 9, 15), quantity=2))
    later = {"ChargePeriodStart": "2026-10-01T00:00:00Z", "ChargePeriodEnd": "2026-10-02T00:00:00Z"}
    send(costs, row("10", ResourceId="vm"), row("4", ResourceId="vm", **later), at="2026-10-02 05:00")
    costs.settle()
    [invoice] = [each for each in costs.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone"]
    lines = [each for each in invoice.lines if each.rate == "cumulant"]
    behind = {line.amount: [each.quantity for each in mara.charges.readings(line.charge_id)] for line in lines}  # type: ignore[arg-type]  # it is billed
    assert behind == {Decimal("11.20"): [10_000_000], Decimal("4.48"): [4_000_000]}


def test_a_closed_month_is_corrected_by_what_is_restated(costs: World) -> None:
    send(costs, row("10"))
    costs.mara.clock.set(moment("2026-10-02 09:00"), held=True)
    costs.settle()
    [first] = [each for each in costs.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone"]
    assert [line.amount for line in first.lines if line.rate == "cumulant"] == [Decimal("11.20")]
    send(costs, row("8"), at="2026-10-01 05:00")
    costs.settle()
    [credit] = [each for each in costs.close("tarnwick", "finn", "2026-09") if each.buyer == "quillstone"]
    assert [line.amount for line in credit.lines if line.rate == "cumulant"] == [Decimal("-2.24")]


def test_what_no_plain_markup_prices_is_listed_as_not_priced(costs: World) -> None:
    """A rule that needs a quantity prices no cost, and says nothing instead of something else."""
    bounded = "  - {rate: cumulant, meter: cumulant/cost, per: EUR, markup: {percent: 12}, cap: 5}\n"
    publish(costs, "tenants-eur", "EUR", "tenants", bounded, 2)
    send(costs, row("10"))
    assert charged(costs) == {}
    found = costs.mara.spend.period_so_far("tarnwick", "2026-09", wait=60)
    missing = [each for link in found.links if link.buyer == "quillstone" for each in link.not_priced]
    assert [(each.meter, each.quantity) for each in missing] == [("cumulant/cost", 10_000_000)]


def test_commitments_are_sold_by_their_purchase_or_by_their_use(costs: World) -> None:
    bought = {"ChargeCategory": "Purchase", "CommitmentDiscountId": "plan-1", "EffectiveCost": "0"}
    used = {"BilledCost": "0", "EffectiveCost": "3.5", "CommitmentDiscountId": "plan-1"}
    send(costs, row("100", 3, **bought), row("0", 4, **used), row("4", 4))
    assert charged(costs) == {"cumulant": Decimal("116.48")}
    effective = "  - {rate: cumulant, meter: cumulant/cost, per: EUR, markup: {percent: 10, of: effective, fixed: 2}}\n"
    publish(costs, "tenants-eur", "EUR", "tenants", effective, 2)
    assert charged(costs) == {"cumulant": Decimal("10.25")}


def test_parquet_and_packed_files_give_the_same(costs: World) -> None:
    rows = [row("10.05"), row("-3", 4, ChargeCategory="Credit", Tags='{"team": "ops", "n": 7, "off": null}')]
    frame = pl.DataFrame(rows).with_columns(
        pl.col("BilledCost", "EffectiveCost").cast(pl.Decimal(30, 12)),
        pl.col("ChargePeriodStart", "ChargePeriodEnd").str.to_datetime(time_zone="UTC"),
        x_other=pl.lit("passed over"),
    )
    file = io.BytesIO()
    frame.write_parquet(file)
    send_as = costs.mara.imported_costs.send
    assert send_as(FEED, "a.parquet", file.getvalue(), exported_at=moment(MORNING)).rows == 2
    before = imported(costs), charged(costs)
    assert (
        send_as(FEED, "a.csv.gz", gzip.compress(written(*rows)), exported_at=moment("2026-09-24 06:00")).replaced == 2
    )
    assert (imported(costs), charged(costs)) == before


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"BilledCost": "1.234,5"}, "line 3: BilledCost '1.234,5' is no number"),
        ({"BilledCost": "1e30"}, "is beyond"),
        ({"BilledCost": "NaN"}, "is no number"),
        ({"BillingCurrency": "Euro"}, "none of ISO 4217"),
        ({"ChargeCategory": "Gift"}, "none of Usage, Purchase, Tax, Credit, Adjustment"),
        ({"ChargePeriodStart": "1970-01-01T00:00:00Z"}, "does not lie between"),
        (
            {"ChargePeriodStart": "2099-01-01T00:00:00Z", "ChargePeriodEnd": "2099-01-02T00:00:00Z"},
            "does not lie between",
        ),
        ({"ChargePeriodStart": "yesterday"}, "is no time"),
        ({"ChargePeriodStart": "0001-01-01T00:00:00+14:00"}, "is no time"),
        ({"ConsumedQuantity": "1e30"}, "is beyond"),
        ({"BillingPeriodStart": "0001-01-01T00:00:00Z"}, "BillingPeriodStart 0001-01-01 does not lie between"),
        ({"ChargePeriodEnd": "2026-09-01T00:00:00Z"}, "does not come after"),
        ({"BillingAccountId": ""}, "BillingAccountId is empty"),
        ({"Tags": "[1]"}, "Tags are a JSON object"),
        ({"Tags": "{"}, "are no JSON object"),
    ],
)
def test_one_wrong_row_refuses_a_file_and_names_the_line(costs: World, changes: dict[str, str], said: str) -> None:
    with pytest.raises(Invalid, match="1 of 2 rows are wrong, so none is taken") as refused:
        send(costs, row("1"), row("1", **changes))
    assert said in str(refused.value)
    assert imported(costs) == {}


def test_only_what_has_the_columns_is_read_and_only_by_a_feed_of_costs(costs: World) -> None:
    send_as = costs.mara.imported_costs.send
    with pytest.raises(Invalid, match="no FOCUS cost file: it has no column BilledCost"):
        send_as(FEED, "x.csv", b"a,b\n1,2\n")
    with pytest.raises(Conflict, match="nobody has said yet which meter"):
        send_as("tarnwick/north-fell", "x.csv", written(row("1")))
    for wrong in ("compute/vcpu", "cumulant/none"):
        with pytest.raises(Invalid, match="none that adds up a currency"):
            costs.mara.imported_costs.set_meter(FEED, wrong)
    naive = costs.mara.connection.http.post(
        "deliveries/cost-files", params={"feed": FEED},
        json={"name": "n.csv", "content": b64encode(written(row("1", 9))).decode(), "exported_at": "2026-09-23T05:00:00"},
    )  # fmt: skip
    assert naive.status_code == 200, "a time without a zone is of UTC"
    with pytest.raises(Invalid, match="has not come yet"):
        send(costs, row("1"), at="2026-09-26 05:00")
    send(costs, row("1"))
    with pytest.raises(Conflict, match="make another feed"):
        costs.mara.imported_costs.set_meter(FEED, "cumulant/cost-gbp")


def test_a_file_of_one_call_has_fewer_rows_than_one_in_pieces(costs: World, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gradumen.feeds.cost_files.MOST_AT_ONCE", 2)
    with pytest.raises(Invalid, match=r"at most 2 rows; send it in pieces \(POST /uploads\)"):
        send(costs, row("1"), row("2"), row("3"))
    monkeypatch.setattr("gradumen.feeds.cost_files.MOST_BYTES", 1000)
    packed = gzip.compress(written(*[row("1")] * 9))
    with pytest.raises(Invalid, match="send it in parts"):
        costs.mara.imported_costs.send(FEED, "costs.csv.gz", packed)
