"""Rows of releases before, step by step to the newest schema: what each step makes of them, in one database."""

import json
from collections.abc import Callable, Iterator
from datetime import date
from typing import Any

import pytest
from sqlalchemy import Connection, text

from gradumen.run.database import PrivateDatabase
from gradumen.store import schema
from tests.store.conftest import database_beside

RATES = [
    {"rate": "begun", "meter": "vm/time", "per": "hour", "started": "hour", "phases": ["awake"], "price": "1"},
    {"rate": "both", "meter": "vm/time", "per": "hour", "started": "hour", "phases": ["awake", "parked"],
     "where": {"size": "large"}, "price": "1"},
    {"rate": "plain", "meter": "vm/vcpu", "per": "vCPU-hour", "price": "1"},
]  # fmt: skip
CARDS = {"a" * 32: {"rates": RATES}, "b" * 32: {"name": "phases of the moon", "rates": RATES[2:]}}
Said = Callable[..., Any]


def not_priced(say: Said) -> None:
    columns = say("SHOW COLUMNS FROM pairs").all()
    needed = {name for name, _, null, _, default, _ in columns if null == "NO" and default is None}
    given = {"seller_id": "REPEAT('a', 32)", "period": "'2026-09'", "wanted": "4", "rated": "4", "generation": "4"}
    for number in (1, 2):
        values = dict.fromkeys(needed, "0") | given | {"id": str(number), "buyer_id": f"REPEAT('{number}', 32)"}
        say(f"INSERT INTO pairs ({', '.join(values)}) VALUES ({', '.join(values.values())})")
    for position in (0, 1):
        say(
            "INSERT INTO not_priced (pair_id, generation, position, organisation_id, meter, quantity) "
            f"VALUES (2, 4, {position}, REPEAT('b', 32), 'compute/vcpu', 7)"
        )


def usage(say: Said) -> None:
    for number, slug in ((1, "first"), (2, "second")):
        say(
            "INSERT INTO feeds (id, organisation_id, slug, name, mapping_version) "
            f"VALUES ({number}, REPEAT('a', 32), '{slug}', '{slug}', 0)"
        )
        say(f"INSERT INTO resources (id, feed_id, name, passes) VALUES ({number}, {number}, 'vm', 1)")
        say(
            "INSERT INTO usage_days (project_number, meter_id, day, resource_id, attribute_set_id, hours, slots, "
            f"total, readings) VALUES (3, 4, '2026-09-10', {number}, 5, 1, REPEAT('x', 16), 7, 1)"
        )


def rules(say: Said) -> None:
    say(
        "INSERT INTO ownership_rules (organisation_id, position, name, project_id, starts_on, conditions) "
        "VALUES (REPEAT('a', 32), 0, 'one', REPEAT('b', 32), '2026-09-01', '{\"account\": \"acc-7\"}')"
    )


def cards(say: Said) -> None:
    for number, (identity, form) in enumerate(CARDS.items(), 1):
        say(
            "INSERT INTO rate_card_versions (id, rate_card_id, number, starts_on, published_at, document, "
            f"prices_promised) VALUES ('{identity}', REPEAT('c', 32), {number}, '2026-01-0{number}', "
            "'2026-01-01', :document, 0)",
            document=json.dumps(form),
        )
    say(
        "INSERT INTO bill_runs (id, seller_id, period, started_by, started_at) VALUES (REPEAT('d', 32), "
        "REPEAT('e', 32), '2026-09', REPEAT('f', 32), '2026-10-01')"
    )


def spells(say: Said) -> None:
    say(
        "INSERT INTO spells (resource_id, meter_id, start_at, end_at, project_number, attribute_set_id, level, "
        "run_start) VALUES (1, 2, '2026-11-01', '2026-11-02', 3, 4, 1, '2026-11-01')"
    )


def costs(say: Said) -> None:
    say(
        "INSERT INTO cost_sets (feed_id, account, day, revision, delivery_id, is_current, `rows`, weight) "
        "VALUES (1, 'B-1', '2026-09-03', '2026-09-04', 9, 1, 4, 10)"
    )
    say(
        "INSERT INTO pulled_files (feed_id, name, mark, size, modified_at, fetched_at, problem, tried_with) "
        "VALUES (1, 'a.csv', 'm', 3, '2026-09-04', '2026-09-05', 'confirm that', '1/0/7')"
    )


def quantities(say: Said) -> None:
    say("INSERT INTO origins (id, hash, source) VALUES (7, REPEAT('o', 16), '/s')")
    say(
        "INSERT INTO cost_rows (set_id, position, month, resource_id, origin_id, attribute_set_id, category, correction, "
        "commitment, currency, billed, effective, listed, contracted, quantity, unit) VALUES (1, 0, '2026-09-01', 1, 7, "
        "3, 'Usage', 0, 0, 'EUR', 1, 1, 1, 1, 24, 'Hours')"
    )


def charges(say: Said) -> None:
    columns = say("SHOW COLUMNS FROM current_charges").all()
    given = {"kind": "'per_unit'", "blocks": "'[]'", "adjustments": "'[]'", "attribute_sets": "'[]'", "amount": "7"}
    given |= dict.fromkeys(("supply_line_id", "rate_card_version_id"), "REPEAT('a', 32)")
    moments = {name: "'2026-09-01'" for name, kind, *_ in columns if kind.startswith("datetime")}
    needed = {name for name, _, null, _, default, _ in columns if null == "NO" and default is None}
    values = dict.fromkeys(needed, "0") | moments | given
    names = ", ".join(f"`{name}`" for name in values)
    say(f"INSERT INTO current_charges ({names}) VALUES ({', '.join(values.values())})")


def tokens(say: Said) -> None:
    say("INSERT INTO revisions (kind, token) VALUES ('feeds', '00000000-0000-0000-0000-00000000000f')")


def parts(say: Said) -> None:
    say(
        "INSERT INTO charge_parts (charge_id, position, project_id, resource, day, quantity, amount) "
        "VALUES (REPEAT('a', 32), 0, REPEAT('b', 32), 'vm', '2026-09-01', 3, 4)"
    )


def row(say: Said, table: str, **given: str) -> None:
    """A row with nothing in particular where nothing is given."""
    values = {}
    for name, kind, null, _, default, _ in say(f"SHOW COLUMNS FROM {table}").all():
        if null == "NO" and default is None:
            values[name] = "'{}'" if kind == "longtext" else "'2026-09-01'" if kind.startswith("date") else "0"
            values[name] = "REPEAT('0', 32)" if kind == "uuid" else values[name]
    values |= given
    names = ", ".join(f"`{name}`" for name in values)
    say(f"INSERT INTO {table} ({names}) VALUES ({', '.join(values.values())})")


def moves(say: Said) -> None:
    """Two moves, of which one was withdrawn, each of somebody whose tier was to change on the very day.

    Who stayed has another card from a later day on.
    """
    for subscription, day, state in (("1", "2026-09-15", "done"), ("2", "2026-09-20", "withdrawn")):
        turn, void = f"'{day[:-2]}{int(day[-2:]) - 1} 23:00:00'", str(int(state == "done"))
        row(say, "moves", id=f"REPEAT('{subscription}', 32)", state=f"'{state}'", starts_on=f"'{day}'", starts_at=turn)
        of = {"subscription_id": f"REPEAT('{subscription}', 32)", "seller_id": "REPEAT('a', 32)"}
        opened = {} if state == "done" else {"opens_at": turn}
        row(say, "supply_lines", **of, id=f"REPEAT('{subscription}', 32)", buyer_id=of["subscription_id"])
        row(
            say, "supply_lines", **of, id=f"CONCAT(REPEAT('{subscription}', 31), 'a')", buyer_id=of["subscription_id"],
            starts_on=f"'{day}'", void=void, **opened,
        )  # fmt: skip
        if state == "withdrawn":
            row(
                say, "supply_lines", **of, id="CONCAT(REPEAT('2', 31), 'b')", buyer_id=of["subscription_id"],
                starts_on="'2026-11-01'", void="1", rate_card_id="REPEAT('c', 32)",
            )  # fmt: skip
        if state == "done":
            row(
                say, "supply_lines", **of | {"seller_id": "REPEAT('b', 32)"}, id="CONCAT(REPEAT('1', 31), 'b')",
                buyer_id=of["subscription_id"], starts_on=f"'{day}'", opens_at=turn,
            )  # fmt: skip


def links(say: Said) -> None:
    """A link that stayed at a move, at another depth; a line of a move that was withdrawn; a true-up that was shared."""
    of = {"subscription_id": "REPEAT('3', 32)", "seller_id": "REPEAT('a', 32)", "buyer_id": "REPEAT('3', 32)"}
    day, turn = "'2026-09-15'", "'2026-09-14 22:00:00'"
    row(say, "supply_lines", **of, id="REPEAT('3', 32)", depth="1", ends_on=day, closes_at=turn)
    row(say, "supply_lines", **of, id="CONCAT(REPEAT('3', 31), 'a')", depth="2", starts_on=day, opens_at=turn)
    row(
        say, "supply_lines", **of | dict.fromkeys(("subscription_id", "buyer_id"), "REPEAT('2', 32)"),
        id="CONCAT(REPEAT('2', 31), 'c')", depth="1", starts_on="'2026-09-20'", opens_at="'2026-09-19 23:00:00'",
    )  # fmt: skip
    row(say, "pairs", id="3", seller_id=of["seller_id"], buyer_id=of["buyer_id"], period="'2026-10'", wanted="4")
    row(say, "pairs", id="4", seller_id="REPEAT('f', 32)", buyer_id="REPEAT('4', 32)", period="'2026-09'", wanted="4")
    by_hand = {"subscription_id": "REPEAT('4', 32)", "seller_id": "REPEAT('f', 32)"}
    row(say, "supply_lines", **by_hand, id="REPEAT('4', 32)", buyer_id="REPEAT('4', 32)", ends_on=day)
    row(say, "one_off_charges", **by_hand, id="REPEAT('4', 32)", day=day)
    row(say, "current_charges", pair_id="1", generation="4", true_up="1", shared_quantity="2", shared_amount="1")


def caps(say: Said) -> None:
    """A charge of which a cap cut something off, and one that has a minimum."""
    for number, adjustment in ((5, "cap"), (6, "minimum")):
        row(say, "pairs", id=str(number), seller_id="REPEAT('f', 32)", buyer_id=f"REPEAT('{number}', 32)",
            period="'2026-09'", wanted="4", rated="4", generation="4")  # fmt: skip
        row(
            say,
            "current_charges",
            pair_id=str(number),
            generation="4",
            position="7",
            adjustments=f'\'[["{adjustment}", "-1"]]\'',
        )


def moved_costs(say: Said) -> None:
    """Months of who came by a move, of which suppliers stated something in one, and one of somebody else.

    Also months of a seller of begun time, and of another.
    """
    for number, seller, period in (("7", "b", "2026-09"), ("8", "b", "2026-10"), ("9", "c", "2026-09")):
        of = {"seller_id": f"REPEAT('{seller}', 32)", "buyer_id": "REPEAT('1', 32)", "period": f"'{period}'"}
        row(say, "pairs", id=number, wanted="4", rated="4", generation="4", **of)
    row(say, "cost_days", set_id="77", month="'2026-09-01'", day="'2026-09-15'")
    for number, seller, buyer in (("10", "d", "1"), ("11", "d", "2"), ("12", "e", "1")):
        of = {"seller_id": f"REPEAT('{seller}', 32)", "buyer_id": f"REPEAT('{buyer}', 32)", "period": "'2026-10'"}
        row(say, "pairs", id=number, wanted="4", rated="4", generation="4", **of)
    row(say, "current_charges", pair_id="10", generation="4", position="7", kind="'started_hour'", adjustments="'[]'")


def other_cards(say: Said) -> None:
    """A subscription that went over to another card in October, and one that moved away in September.

    Also amounts off: of a term that began before the month, and of one that did with it; and a fixed cost; and what is
    sold of a reseller's plan, and of the seller's own.
    """
    card, day = {"seller_id": "REPEAT('9', 32)", "buyer_id": "REPEAT('5', 32)"}, "'2026-10-10'"
    of = {**card, "subscription_id": "REPEAT('5', 32)"}
    row(say, "supply_lines", **of, id="REPEAT('5', 32)", starts_on="'2026-09-01'", rate_card_id="REPEAT('c', 32)")
    row(say, "supply_lines", **of, id="CONCAT('55', REPEAT('a', 30))", starts_on=day, rate_card_id="REPEAT('d', 32)")
    moved = {**card, "buyer_id": "REPEAT('6', 32)", "subscription_id": "REPEAT('6', 32)"}
    turn = {"ends_on": "'2026-09-15'", "closes_at": "'2026-09-14 23:00:00'"}
    row(say, "supply_lines", **moved, id="REPEAT('6', 32)", starts_on="'2026-09-01'", **turn)
    for number, buyer, period in (("13", 5, 10), ("14", 5, 11), ("15", 6, "09"), ("16", 6, 10)):
        pair = {**card, "buyer_id": f"REPEAT('{buyer}', 32)", "period": f"'2026-{period}'"}
        row(say, "pairs", id=number, wanted="4", rated="4", generation="4", **pair)
    for number, begins in (("17", "'2026-08-20'"), ("18", "'2026-09-30 23:00:00'")):
        pair = {**card, "buyer_id": f"CONCAT(REPEAT('7', 30), '{number}')", "period": "'2026-10'"}
        row(say, "pairs", id=number, wanted="4", rated="4", generation="4", **pair)
        of = {"pair_id": number, "generation": "4", "adjustments": "'[]'"}
        row(say, "current_charges", **of, position="7", kind="'recurring'", service_start=begins)
        row(say, "current_charges", **of, position="8", kind="'discount'")
    for number, owner in (("a", "'8'"), ("b", "'9'")):
        plan, buyer = f"CONCAT('77', REPEAT('{number}', 30))", f"CONCAT(REPEAT('7', 30), '0{number}')"
        row(say, "plans", id=plan, organisation_id=f"REPEAT({owner}, 32)", slug=f"'{number}'")
        row(say, "plan_versions", id=plan, plan_id=plan)
        sold = {"seller_id": card["seller_id"], "buyer_id": buyer}
        row(say, "supply_lines", **sold, id=plan, subscription_id=plan, plan_version_id=plan, starts_on="'2026-09-01'")
        numbered = {"a": "20", "b": "21"}[number]
        row(say, "pairs", id=numbered, wanted="4", rated="4", generation="4", **sold, period="'2026-10'")
    row(say, "parent_edges", child_id="REPEAT('8', 32)", parent_id="REPEAT('9', 32)")
    own = {**card, "buyer_id": card["seller_id"], "period": "'2026-10'"}
    row(say, "pairs", id="19", wanted="4", rated="4", generation="4", **own)
    row(say, "current_charges", pair_id="19", generation="4", position="7", kind="'spread'", adjustments="'[]'")


def credits(say: Said) -> None:
    """Months of a discount beside something that is credited, and beside what is charged."""
    for number, amount in (("22", "-5"), ("23", "5")):
        pair = {"seller_id": "REPEAT('9', 32)", "buyer_id": f"CONCAT(REPEAT('7', 30), '{number}')"}
        row(say, "pairs", id=number, wanted="4", rated="4", generation="4", **pair, period="'2026-10'")
        of = {"pair_id": number, "generation": "4"}
        row(say, "current_charges", **of, position="7", kind="'usage'", adjustments="'[]'")
        row(say, "current_parts", **of, charge_position="7", position="1", day="'2026-10-03'", amount=amount)
        row(say, "current_charges", **of, position="8", kind="'discount'", adjustments="'[]'")
        row(say, "current_parts", **of, charge_position="8", position="1", day="'2026-10-03'", amount="-1")


STEPS: dict[str, Callable[[Said], None]] = {
    "0039": not_priced, "0041": usage, "0042": rules, "0043": cards, "0045": spells, "0047": costs,
    "0049": quantities, "0050": charges, "0056": tokens, "0060": parts,
    "0062": moves, "0063": links, "0064": caps, "0065": moved_costs, "0066": other_cards,
    "0067": credits,
}  # fmt: skip
"""What stood there at each schema."""


@pytest.fixture(scope="module")
def carried(database: PrivateDatabase) -> Iterator[Connection]:
    """The database at the newest schema."""
    with database_beside(database, "carried") as engine:
        for revision, rows in STEPS.items():
            schema.migrate(engine, revision)
            with engine.begin() as connection:
                connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
                rows(lambda said, connection=connection, **values: connection.execute(text(said), values))
        schema.migrate(engine)
        with engine.connect() as connection:
            yield connection


def test_pairs_of_before_are_rated_again(carried: Connection) -> None:
    """All of them, as orders were not charged; the one with usage that was not priced was to be rated before that."""
    found = carried.execute(text("SELECT id, wanted, stale_since IS NOT NULL FROM pairs ORDER BY id")).all()
    assert [tuple(each) for each in found[:4]] == [(1, 8, 1), (2, 7, 1), (3, 5, 1), (4, 5, 1)], (
        "and for what moves had left, and for moves"
    )
    assert [tuple(each) for each in found[4:6]] == [(5, 5, 1), (6, 4, 0)], "and for what a cap cut off"
    assert [tuple(each) for each in found[6:9]] == [(7, 6, 1), (8, 4, 0), (9, 4, 0)], (
        "and for costs of days of moves, and moves"
    )
    assert [tuple(each) for each in found[9:12]] == [(10, 5, 1), (11, 5, 1), (12, 4, 0)], "and for begun time"
    assert [tuple(each) for each in found[12:16]] == [(13, 5, 1), (14, 4, 0), (15, 5, 1), (16, 4, 0)], "and other cards"
    assert [tuple(each) for each in found[21:]] == [(22, 5, 1), (23, 4, 0)], "and discounts beside credits"
    assert [tuple(each) for each in found[19:21]] == [(20, 5, 1), (21, 4, 0)], "and resellers' plans"
    assert [tuple(each) for each in found[16:19]] == [(17, 5, 1), (18, 4, 0), (19, 5, 1)], (
        "and amounts off, and fixed costs"
    )
    kept = carried.execute(text("SELECT COUNT(*), SUM(quantity), MAX(resource_id) FROM not_priced")).one()
    assert tuple(kept) == (2, 14, None)


def test_usage_of_before_stays_and_no_feed_gives_way(carried: Connection) -> None:
    kept = carried.execute(text("SELECT COUNT(*), SUM(total), SUM(readings) FROM usage_days")).one()
    assert tuple(kept) == (2, 14, 2)
    assert carried.scalar(text("SELECT COUNT(*) FROM feed_precedences")) == 0
    assert carried.scalar(text("SELECT COUNT(*) FROM stale_usage")) == 0


def test_rules_of_before_name_their_projects(carried: Connection) -> None:
    columns = "name, project_id, look_up, by_usage, remainder, conditions"
    name, project, *rest = carried.execute(text(f"SELECT {columns} FROM ownership_rules")).one()
    assert (name, str(project).replace("-", "")) == ("one", "b" * 32)
    assert rest == [None, None, None, '{"account": "acc-7"}']
    assert carried.scalar(text("SELECT COUNT(*) FROM cost_sets WHERE waits")) == 0


def test_phases_are_conditions_and_other_cards_stay_as_they_are(carried: Connection) -> None:
    """Phases beside the conditions of a rate become one of them; nothing was charged by such rates before."""
    rows = carried.execute(text("SELECT document FROM rate_card_versions ORDER BY number")).scalars()
    phased, plain = (json.loads(each) for each in rows)
    assert carried.execute(text("SELECT level, is_inferred FROM spells")).all() == [(1, 0)]
    assert carried.execute(text("SELECT period, reason FROM bill_runs")).all() == [("2026-09", None)]
    assert [rate.get("where") for rate in phased["rates"]] == [
        {"phase": "awake"},
        {"size": "large", "phase": ["awake", "parked"]},
        None,
    ]
    assert not any("phases" in rate for rate in phased["rates"])
    assert plain == CARDS["b" * 32]


def test_costs_of_before_stand_and_nothing_of_them_is_confirmed(carried: Connection) -> None:
    kept = carried.execute(text("SELECT account, delivery_id, is_current, `rows`, export_id FROM cost_sets")).all()
    assert [tuple(each) for each in kept] == [("B-1", 9, 1, 4, None)]
    files = carried.execute(text("SELECT name, problem, confirmable, confirmed FROM pulled_files")).all()
    assert [tuple(each) for each in files] == [("a.csv", "confirm that", 0, 0)]


def test_what_cost_files_of_before_say_was_used_does_not_count_by_itself(carried: Connection) -> None:
    assert carried.execute(text("SELECT begins, lasts, quantity FROM cost_rows")).all() == [(None, None, 24)]
    assert carried.execute(text("SELECT DISTINCT reads_quantities FROM feeds")).scalars().all() == [0]
    assert carried.execute(text("SELECT unread_since, ready_at, was_read FROM cost_sets")).all() == [(None, None, 0)]
    assert carried.execute(text("SELECT is_amount FROM origins WHERE id = 7")).scalars().all() == [0]


def test_charges_of_before_were_not_exchanged(carried: Connection) -> None:
    kept = carried.execute(
        text("SELECT kind, amount, exchange, estimated FROM current_charges WHERE true_up = 0 AND position < 7")
    ).all()
    assert [tuple(each) for each in kept] == [("per_unit", 7, None, 0)]


def test_nothing_of_before_was_kept_of_what_was_refused(carried: Connection) -> None:
    assert carried.scalar(text("SELECT COUNT(*) FROM refused_items")) == 0


def test_parts_of_before_stay_without_the_index_that_nothing_read(carried: Connection) -> None:
    rows = carried.execute(text("SELECT position, project_id, resource, day, quantity, amount FROM charge_parts")).all()
    assert [(each.position, each.resource, each.quantity, each.amount) for each in rows] == [(0, "vm", 3, 4)]
    assert str(rows[0].project_id).replace("-", "") == "b" * 32
    indexes = carried.execute(text("SHOW INDEX FROM charge_parts")).mappings()
    assert {each["Key_name"] for each in indexes} == {"PRIMARY"}


def test_lines_of_moves_end_with_them_and_begin_as_if_those_that_were_withdrawn_had_never_been(
    carried: Connection,
) -> None:
    opens, closes = (f"DATE_FORMAT({each}, '%d %H')" for each in ("opens_at", "closes_at"))
    columns = f"CONCAT(LEFT(id, 1), RIGHT(id, 1)), starts_on, ends_on, {opens}, {closes}, void"
    rows = carried.execute(text(f"SELECT {columns} FROM supply_lines ORDER BY id")).all()
    first, day, other = date(2026, 9, 1), date(2026, 9, 15), date(2026, 9, 20)
    turn = "14 23"
    assert [tuple(each) for each in rows] == [
        ("11", first, day, None, turn, 0),
        ("1a", day, None, None, None, 1),
        ("1b", day, None, turn, None, 0),
        ("22", first, None, None, None, 0),
        ("2a", other, None, None, None, 0),
        ("2b", date(2026, 11, 1), None, None, None, 0),
        ("2c", other, None, None, None, 0),
        ("33", first, day, None, None, 0),
        ("3a", day, None, None, None, 0),
        ("44", first, day, None, None, 0),
        ("55", first, None, None, None, 0),
        ("5a", date(2026, 10, 10), None, None, None, 0),
        ("66", first, day, None, turn, 0),
        ("7a", first, None, None, None, 0),
        ("7b", first, None, None, None, 0),
    ]


def test_nothing_was_tried_before(carried: Connection) -> None:
    assert carried.scalar(text("SELECT COUNT(*) FROM ownership_trials")) == 0


def test_nothing_of_before_is_estimated(carried: Connection) -> None:
    assert carried.execute(text("SELECT DISTINCT estimates_costs FROM feeds")).scalars().all() == [0]
    assert carried.execute(text("SELECT estimated_from FROM cost_sets")).scalars().all() == [None]


def test_every_kind_that_processes_keep_has_its_token(carried: Connection) -> None:
    """One that was there stays, as what is kept under it."""
    rows = carried.execute(text("SELECT kind, token FROM revisions")).all()
    found = dict(rows)
    assert set(found) == {"tree", "catalogue", "feeds", "kind rules", "measures", "clock"}
    assert len(set(found.values())) == len(found)
    assert str(found["feeds"]).endswith("0f")
