"""The schema: from nothing to head without drift, refusing to work on another, months as partitions."""

import json
from datetime import UTC, datetime
from uuid import UUID, uuid4

import pytest
from alembic import command
from sqlalchemy import Engine, select, text
from sqlalchemy.exc import DBAPIError, IntegrityError
from sqlalchemy.orm import Session

from gradumen.store import schema
from gradumen.store.access.tables import MemberRow, SessionRow, TokenRow
from gradumen.store.billing.tables import BillRunRow
from gradumen.store.catalogue.tables import (
    OfferRow,
    OfferVersionRow,
    PlanRow,
    RateCardRow,
    RateCardVersionRow,
    UnpublishedChangeRow,
)
from gradumen.store.metering.tables import DeliveryRow, FeedRow
from gradumen.store.subscriptions.tables import SubscriptionRow, SupplyLineRow
from gradumen.store.tasks import TaskRow, lease_task
from gradumen.store.unit_of_work import UnitOfWork


def test_an_empty_database_comes_to_head_without_drift(fresh: Engine) -> None:
    with pytest.raises(schema.WrongSchema, match="run: gradumen migrate"):
        schema.check(fresh)
    schema.migrate(fresh)
    schema.check(fresh)
    command.check(schema.alembic_config(fresh))
    schema.migrate(fresh)


def test_subscriptions_of_before_keep_their_day_and_quantity(fresh: Engine) -> None:
    """From the first schema, with a subscription in it, to the one with a supply line for each stretch of time."""
    schema.migrate(fresh, "0001")
    ids = {name: f"{number:032x}" for number, name in enumerate(("org", "plan", "version", "card", "sub", "line"), 1)}
    with fresh.begin() as connection:
        for statement in (
            "INSERT INTO organisations (id, type, slug, name, country, currency, created_at) "
            "VALUES (:org, 'provider', 'tarnwick', 'Tarnwick', 'IE', 'EUR', NOW())",
            "INSERT INTO plans (id, organisation_id, slug) VALUES (:plan, :org, 'open-range')",
            "INSERT INTO plan_versions (id, plan_id, number, published_at, document) "
            "VALUES (:version, :plan, 1, NOW(), '{}')",
            "INSERT INTO rate_cards (id, organisation_id, slug, name, currency, buyers) "
            "VALUES (:card, :org, 'eur', 'Euro', 'EUR', 'any')",
            "INSERT INTO subscriptions (id, organisation_id, plan_version_id, name, quantity, starts_on, version, "
            "created_at) VALUES (:sub, :org, :version, 'Open Range', 3, '2026-08-01', 1, NOW())",
            "INSERT INTO supply_lines (id, subscription_id, depth, seller_id, buyer_id, tier, rate_card_id) "
            "VALUES (:line, :sub, 0, :org, :org, 'moor', :card)",
        ):
            connection.execute(text(statement), ids)
    schema.migrate(fresh)
    with fresh.connect() as connection:
        row = connection.execute(text("SELECT starts_on, quantity, paused, trial, tier FROM supply_lines")).one()
    assert tuple(map(str, row)) == ("2026-08-01", "3", "0", "0", "moor")
    command.check(schema.alembic_config(fresh))


def test_what_could_be_ordered_before_offers_can_be_ordered_after(fresh: Engine) -> None:
    """From the schema before offers: plans, rate cards and subscriptions with their versions all carry over."""
    schema.migrate(fresh, "0003")
    names = ("provider", "reseller", "tenant", "plan", "version", "card", "sub", "line")
    ids = {name: f"{number:032x}" for number, name in enumerate(names, 1)}
    ids["form"] = '{"plan": "open-range", "name": "Open Range", "tiers": [{"tier": "moor", "name": "Moor"}]}'
    with fresh.begin() as connection:
        for statement in (
            *(
                "INSERT INTO organisations (id, type, slug, name, country, currency, created_at) "
                f"VALUES (:{type}, '{type}', '{type}', '{type}', 'IE', 'EUR', NOW())"
                for type in ("provider", "reseller", "tenant")
            ),
            "INSERT INTO parent_edges (child_id, starts_at, parent_id) VALUES (:reseller, NOW(), :provider), "
            "(:tenant, NOW(), :reseller)",
            "INSERT INTO plans (id, organisation_id, slug) VALUES (:plan, :provider, 'open-range')",
            "INSERT INTO plan_versions (id, plan_id, number, published_at, document) "
            "VALUES (:version, :plan, 1, NOW(), :form)",
            "INSERT INTO rate_cards (id, organisation_id, slug, name, currency, buyers) "
            "VALUES (:card, :provider, 'eur', 'Euro', 'EUR', 'tenants')",
            "INSERT INTO subscriptions (id, organisation_id, plan_version_id, name, starts_on, version, created_at) "
            "VALUES (:sub, :tenant, :version, 'Open Range', '2026-08-01', 1, NOW())",
            "INSERT INTO supply_lines (id, subscription_id, depth, seller_id, buyer_id, starts_on, tier, quantity, "
            "paused, trial, rate_card_id) "
            "VALUES (:line, :sub, 0, :reseller, :tenant, '2026-08-01', 'moor', 1, 0, 0, :card)",
        ):
            connection.execute(text(statement), ids)
    schema.migrate(fresh)
    with Session(fresh) as session:
        offers = {
            (offer.organisation_id.hex, version.document["to"], tuple(version.document["tiers"]))
            for offer, version in session.execute(select(OfferRow, OfferVersionRow).join(OfferVersionRow))
        }
        assert offers == {(ids[seller], "all", ("moor",)) for seller in ("provider", "reseller")}
        line = session.scalars(select(SupplyLineRow)).one()
        subscription = session.scalars(select(SubscriptionRow)).one()
        assert (line.plan_version_id.hex, subscription.plan_id.hex) == (ids["version"], ids["plan"])
        assert (line.choices, line.special_terms, line.card_named) == ({}, {}, False)
        assert session.scalars(select(RateCardRow.buyers)).one() == "tenants"
    command.check(schema.alembic_config(fresh))


def test_members_deliveries_and_slugs_of_before_carry_over(fresh: Engine) -> None:
    """From the schema before invitations and the record, with members, tokens, a session and deliveries in it."""
    schema.migrate(fresh, "0004")
    ids = {name: f"{number:032x}" for number, name in enumerate(("org", "other", "user", "token", "plan"), 1)}
    with fresh.begin() as connection:
        for statement in (
            "INSERT INTO organisations (id, type, slug, name, country, currency, created_at) "
            "VALUES (:org, 'provider', 'tarnwick', 'Tarnwick', 'IE', 'EUR', NOW()), "
            "(:other, 'reseller', 'oxbow', 'Oxbow', 'GB', 'GBP', NOW())",
            "INSERT INTO users (id, email, name, password_hash) VALUES (:user, 'mara@tarnwick.example', 'Mara', 'x')",
            "INSERT INTO members (user_id, organisation_id, role) VALUES (:user, :org, 'administrator')",
            "INSERT INTO tokens (id, hash, name, user_id, organisation_id, role, expires_at) "
            "VALUES (:token, 'h', 'program', :user, :org, 'viewer', '2030-01-01')",
            "INSERT INTO sessions (id, user_id, csrf, expires_at) VALUES ('s', :user, 'c', '2030-01-01')",
            "INSERT INTO feeds (id, organisation_id, slug, name) VALUES (1, :org, 'north-fell', 'North Fell')",
            "INSERT INTO deliveries (id, feed_id, received_at, accepted, known, refused) "
            "VALUES (1, 1, NOW(), 1, 0, 0), (2, 1, NOW(), 2, 0, 0)",
            "INSERT INTO plans (id, organisation_id, slug) VALUES (:plan, :org, 'open-range')",
        ):
            connection.execute(text(statement), ids)
    schema.migrate(fresh)
    with Session(fresh) as session:
        member = session.scalars(select(MemberRow)).one()
        assert (member.role, member.disabled_at) == ("administrator", None)
        assert session.scalars(select(TokenRow.name)).one() == "program"
        deliveries = session.scalars(select(DeliveryRow).order_by(DeliveryRow.id)).all()
        assert [each.accepted for each in deliveries] == [1, 2]
        assert len({each.public_id for each in deliveries}) == 2
        assert not any(each.file_name or each.taken_back_by or each.first_at for each in deliveries)
        assert [(each.mapping, each.mapping_version) for each in session.scalars(select(FeedRow))] == [(None, 0)]
        assert session.scalars(select(SessionRow)).all() == []
        session.add(PlanRow(id=uuid4(), organisation_id=UUID(ids["other"]), slug="open-range"))
        with pytest.raises(IntegrityError):
            session.flush()
    command.check(schema.alembic_config(fresh))


def test_what_was_issued_before_is_kept_by_the_database_after(fresh: Engine) -> None:
    """From the schema before triggers, with a document issued and one in the making, and failed sign-ins."""
    schema.migrate(fresh, "0006")
    ids = {name: f"{number:032x}" for number, name in enumerate(("org", "user", "run", "issued", "draft"), 1)}
    with fresh.begin() as connection:
        for statement in (
            "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
            "VALUES (:org, 'provider', 'tarnwick', 'Tarnwick', 'IE', 'EUR', NOW(), 0)",
            "INSERT INTO users (id, email, name, password_hash) VALUES (:user, 'mara@tarnwick.example', 'Mara', 'x')",
            "INSERT INTO sign_in_failures (subject, at) VALUES ('account mara@tarnwick.example', NOW())",
            "INSERT INTO bill_runs (id, seller_id, period, state, started_by, started_at, fence) "
            "VALUES (:run, :org, '2026-09', 'done', :user, NOW(), 1)",
            *(
                "INSERT INTO invoices (id, bill_run_id, seller_id, buyer_id, period, state, kind, currency, net, tax, "
                "gross, tax_category, tax_percent, parties) "
                f"VALUES (:{state}, :run, :org, :org, '2026-09', '{state}', 'invoice', 'EUR', 1, 0, 1, 'S', 0, '{{}}')"
                for state in ("issued", "draft")
            ),
            "INSERT INTO document_counters (seller_id, series, next_number, version) VALUES (:org, 'all', 2, 1)",
        ):
            connection.execute(text(statement), ids)
    schema.migrate(fresh)
    with fresh.begin() as connection:
        assert connection.scalar(text("SELECT SUM(net) FROM invoices")) == 2
        connection.execute(text("DELETE FROM invoice_taxes WHERE invoice_id = :draft"), ids)
        connection.execute(text("DELETE FROM invoices WHERE id = :draft"), ids)
        connection.execute(text("UPDATE document_counters SET next_number = 3"))
    for statement in (
        "DELETE FROM invoices",
        "UPDATE invoices SET net = 2",
        "UPDATE document_counters SET next_number = 1",
    ):
        with pytest.raises(DBAPIError, match=r"never|once"), fresh.begin() as connection:
            connection.execute(text(statement))
    command.check(schema.alembic_config(fresh))


def test_rate_cards_and_drafts_of_before_are_in_the_words_of_today(fresh: Engine) -> None:
    """From the schema before forms of our own, with every form that changed, published and being written."""
    schema.migrate(fresh, "0008")
    ids = {name: f"{number:032x}" for number, name in enumerate(("org", "user", "card", "version", "draft"), 1)}
    blocks = [{"up-to": "10", "price": "2"}, {"price": "1"}]
    rates = [
        {"rate": "a", "meter": "m/x", "per": "GiB", "blocks": blocks},
        {"rate": "b", "meter": "m/x", "per": "GiB", "whole-quantity": blocks, "cap": "9"},
        {"rate": "c", "meter": "m/x", "per": "GiB", "package": {"size": "100", "price": "5"}},
        {"rate": "package", "fee": "plan/tier", "price": "5"},
    ]
    form = {"rate-card": "eur", "rates": rates, "derived": {"services": {"package": {"percent": "5"}}}}
    broken = {"rate-card": "x", "rates": [{"rate": "", "whole-quantity": "?"}, 5, {"rate": "p", "package": None}]}
    values = ids | {"form": json.dumps(form), "broken": json.dumps(broken)}
    with fresh.begin() as connection:
        for statement in (
            "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
            "VALUES (:org, 'provider', 'tarnwick', 'Tarnwick', 'IE', 'EUR', NOW(), 0)",
            "INSERT INTO users (id, email, name, password_hash) VALUES (:user, 'mara@tarnwick.example', 'Mara', 'x')",
            "INSERT INTO rate_cards (id, organisation_id, slug, name, currency, buyers) "
            "VALUES (:card, :org, 'eur', 'Euro', 'EUR', '\"any\"')",
            "INSERT INTO rate_card_versions (id, rate_card_id, number, starts_on, published_at, document) "
            "VALUES (:version, :card, 1, '2026-01-01', NOW(), :form)",
            "INSERT INTO catalogue_drafts (id, organisation_id, kind, slug, form, version, edited_by, edited_at) "
            "VALUES (:draft, :org, 'rate-card', 'x', :broken, 1, :user, NOW())",
        ):
            connection.execute(text(statement), values)
    schema.migrate(fresh)
    ours = [{"to": "10", "price": "2"}, {"price": "1"}]
    with Session(fresh) as session:
        document = session.scalars(select(RateCardVersionRow.document)).one()
        assert document["rates"] == [
            {"rate": "a", "meter": "m/x", "per": "GiB", "blocks": ours},
            {"rate": "b", "meter": "m/x", "per": "GiB", "blocks": ours, "at-reached-step": True, "cap": "9"},
            {"rate": "c", "meter": "m/x", "per": "GiB", "lots": {"of": "100", "price": "5"}},
            rates[3],
        ]
        assert document["derived"] == form["derived"]
        assert session.scalars(select(UnpublishedChangeRow.form)).one() == broken
    command.check(schema.alembic_config(fresh))


def test_bill_runs_of_before_are_tasks_in_the_states_of_today(fresh: Engine) -> None:
    """From the schema before tasks; what was under way when the service stopped is taken up again."""
    schema.migrate(fresh, "0009")
    runs = {state: f"{number:032x}" for number, state in enumerate(("waiting", "running", "finished", "failed"), 3)}
    values = {"org": f"{1:032x}", "user": f"{2:032x}", **runs}
    with fresh.begin() as connection:
        for statement in (
            "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
            "VALUES (:org, 'provider', 'tarnwick', 'Tarnwick', 'IE', 'EUR', NOW(), 0)",
            "INSERT INTO users (id, email, name, password_hash) VALUES (:user, 'mara@tarnwick.example', 'Mara', 'x')",
            *(
                "INSERT INTO bill_runs (id, seller_id, period, state, problem, started_by, started_at, lease_until, fence) "
                f"VALUES (:{state}, :org, '2026-09', '{state}', IF('{state}' = 'failed', 'no tax', NULL), :user, "
                "'2026-10-01', NOW(), 3)"
                for state in runs
            ),
        ):
            connection.execute(text(statement), values)
    schema.migrate(fresh)
    with Session(fresh) as session:
        found = {row.id.hex: row for row in session.scalars(select(TaskRow))}
        assert {state: found[run].state for state, run in runs.items()} == {
            "waiting": "waiting",
            "running": "waiting",
            "finished": "done",
            "failed": "needs a hand",
        }
        assert found[runs["failed"]].problem == "no tax"
        assert {(row.kind, row.subject, row.fence) for row in found.values()} == {("bill run", "2026-09", 3)}
        assert {row.id.hex for row in session.scalars(select(BillRunRow))} == set(found)
        leased = [lease_task(session, datetime.now(UTC)) for _ in range(2)]
        assert {each.task.hex for each in leased if each} == {runs["waiting"], runs["running"]}
    command.check(schema.alembic_config(fresh))


def test_lines_of_before_have_the_tax_of_their_document(fresh: Engine) -> None:
    """From the schema before tax by line, with a document issued; it is guarded as before."""
    schema.migrate(fresh, "0010")
    with fresh.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for statement in (
            "INSERT INTO invoices (id, bill_run_id, seller_id, buyer_id, period, state, kind, number, currency, net, "
            "tax, gross, tax_category, tax_percent, parties) VALUES (:invoice, :a, :a, :b, '2026-09', 'draft', "
            "'invoice', 'A-1', 'EUR', 100, 19, 119, 'S', 19, '{}')",
            "INSERT INTO invoice_lines (invoice_id, position, charge_id, document, amount) "
            "VALUES (:invoice, 1, :a, '{}', 60), (:invoice, 2, :b, '{}', 40)",
            "UPDATE invoices SET state = 'issued'",
        ):
            connection.execute(text(statement), {"invoice": f"{1:032x}", "a": f"{2:032x}", "b": f"{3:032x}"})
    schema.migrate(fresh)
    with fresh.connect() as connection:
        lines = connection.execute(text("SELECT amount, tax_category, tax_percent, corrects_id FROM invoice_lines"))
        assert {tuple(line) for line in lines} == {(60, "S", 19, None), (40, "S", 19, None)}
        taxes = connection.execute(text("SELECT category, percent, net, tax FROM invoice_taxes"))
        assert [tuple(tax) for tax in taxes] == [("S", 19, 100, 19)]
    for statement in (
        "UPDATE invoice_lines SET tax_percent = 0",
        "UPDATE invoice_taxes SET tax = 0",
        "DELETE FROM invoice_taxes",
    ):
        with pytest.raises(DBAPIError, match="never"), fresh.begin() as connection:
            connection.execute(text(statement))
    command.check(schema.alembic_config(fresh))


def test_one_slug_of_two_sellers_stops_the_migration_and_is_named(fresh: Engine) -> None:
    schema.migrate(fresh, "0004")
    with fresh.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO organisations (id, type, slug, name, country, currency, created_at) VALUES "
                "(:a, 'provider', 'a', 'A', 'IE', 'EUR', NOW()), (:b, 'reseller', 'b', 'B', 'IE', 'EUR', NOW())"
            ),
            {"a": f"{1:032x}", "b": f"{2:032x}"},
        )
        connection.execute(
            text("INSERT INTO services (id, organisation_id, slug) VALUES (:a, :a, 'compute'), (:b, :b, 'compute')"),
            {"a": f"{1:032x}", "b": f"{2:032x}"},
        )
    with pytest.raises(RuntimeError, match="services with one slug and two sellers: compute"):
        schema.migrate(fresh)
    assert schema.current(fresh) == "0004"


def test_every_table_has_a_primary_key(fresh: Engine) -> None:
    schema.migrate(fresh)
    with fresh.connect() as connection:
        without = connection.scalars(
            text(
                "SELECT table_name FROM information_schema.tables t WHERE table_schema = 'fresh' AND NOT EXISTS (SELECT 1 "
                "FROM information_schema.table_constraints c WHERE c.table_schema = t.table_schema "
                "AND c.table_name = t.table_name AND constraint_type = 'PRIMARY KEY')"
            )
        ).all()
    assert without == []


def test_months_become_partitions_once_and_in_order(fresh: Engine) -> None:
    schema.migrate(fresh)
    for _ in range(2):
        schema.ensure_months(fresh, ["2026-11", "2026-12", "2026-10"])
    schema.ensure_months(fresh, ["2026-09", "2027-01"])
    with fresh.connect() as connection:
        found = connection.execute(
            text(
                "SELECT table_name, partition_name FROM information_schema.partitions WHERE table_schema = 'fresh' "
                "AND partition_name IS NOT NULL ORDER BY table_name, partition_ordinal_position"
            )
        ).all()
    names = ("p202610", "p202611", "p202612", "p202701", "p_later")
    assert [tuple(row) for row in found] == [(table, name) for table in ("readings", "usage_days") for name in names]


def test_a_transaction_that_loses_a_race_is_done_again(fresh: Engine) -> None:
    schema.migrate(fresh)
    tries = []

    def work(tx: object) -> int:
        tries.append(1)
        if len(tries) < 3:
            raise DBAPIError("statement", {}, Exception(1213, "Deadlock found"), False)
        return 7

    assert UnitOfWork(fresh).run(work) == 7
    assert len(tries) == 3

    def broken(tx: object) -> int:
        tries.append(1)
        raise DBAPIError("statement", {}, Exception(1146, "no such table"), False)

    with pytest.raises(DBAPIError):
        UnitOfWork(fresh).run(broken)
    assert len(tries) == 4
