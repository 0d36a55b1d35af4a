"""From the schema before moves and sites: what is sold stays as it is, and another seller can follow on a link."""

from datetime import date
from uuid import UUID

from alembic import command
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from gradumen.store import schema
from gradumen.store.quotas.quotas import changes_of, given_on
from gradumen.store.subscriptions.sales import sold_links
from gradumen.store.subscriptions.subscriptions import lines_of

NAMES = ("seller", "other", "tenant", "plan", "version", "card", "sub")


def test_lines_and_limits_of_before_hold(fresh: Engine) -> None:
    schema.migrate(fresh, "0025")
    ids = {name: f"{number:032x}" for number, name in enumerate(NAMES, 1)}
    line = (
        "INSERT INTO supply_lines (id, subscription_id, depth, seller_id, buyer_id, starts_on, plan_version_id, tier, "
        "quantity, paused, trial, rate_card_id, card_named, choices, special_terms{more}) VALUES ('{id}', :sub, 0, "
        ":{seller}, :tenant, '{day}', :version, 'moor', 1, 0, 0, :card, 0, '{{}}', '{{}}'{values})"
    )
    with fresh.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for statement in (
            *(
                "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
                f"VALUES (:{name}, '{kind}', '{name}', '{name}', 'IE', 'EUR', NOW(), 0)"
                for name, kind in (("seller", "provider"), ("other", "reseller"), ("tenant", "tenant"))
            ),
            "INSERT INTO parent_edges (child_id, starts_at, parent_id) VALUES (:tenant, '2000-01-01', :seller)",
            "INSERT INTO subscriptions (id, organisation_id, plan_id, name, starts_on, version, created_at) "
            "VALUES (:sub, :tenant, :plan, 'Open Range', '2026-07-20', 1, NOW())",
            line.format(id="f" * 32, seller="seller", day="2026-07-20", more="", values=""),
            "INSERT INTO quotas (holder_id, measure, organisation_id, giver_id, limit_value, is_set, reservation, "
            "factor, version) VALUES (:tenant, 'storage', :tenant, :seller, 90, 1, 0, 1, 1)",
            "INSERT INTO quota_changes (organisation_id, measure, limit_value, is_set, changed_at) "
            "VALUES (:tenant, 'storage', 90, 1, NOW())",
        ):
            connection.execute(text(statement), ids)
    schema.migrate(fresh)
    command.check(schema.alembic_config(fresh))
    found = {name: UUID(id) for name, id in ids.items()}
    with Session(fresh) as tx:
        assert given_on(tx, [found["seller"]]) == {(found["seller"], "storage"): (90, 0)}
        [(change, _)] = changes_of(tx, found["tenant"], None, before=None, since=None, limit=9)
        assert (change.limit_value, change.site_id, change.pool_id) == (90, None, None)
        assert sold_links(tx) == [(found["seller"], found["tenant"], date(2026, 7, 20))]
        [held] = lines_of(tx, found["sub"])
        assert (held.void, held.ends_on, held.opens_at, held.closes_at) == (False, None, None, None)
    with fresh.begin() as connection:
        # On the same day another seller's line may stand beside one that never came to hold.
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        follows = line.format(id="e" * 32, seller="other", day="2026-07-20", more=", void", values=", 1")
        connection.execute(text(follows), ids)
    with Session(fresh) as tx:
        assert [each.id for each in lines_of(tx, found["sub"])] == [UUID("f" * 32)]
        assert sold_links(tx) == [(found["seller"], found["tenant"], date(2026, 7, 20))]
