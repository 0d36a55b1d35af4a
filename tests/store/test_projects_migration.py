"""From the schema before breaches and trees of projects: projects and limits stay what they are."""

from datetime import date
from uuid import UUID

from alembic import command
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from gradumen.store import schema
from gradumen.store.metering.breaches import limits_on_use
from gradumen.store.organisations.cost_centres import cost_centres_of, note_cost_centre
from gradumen.store.organisations.projects import levels_of, projects_of


def test_projects_and_limits_of_before_stay(fresh: Engine) -> None:
    schema.migrate(fresh, "0027")
    ids = {name: f"{number:032x}" for number, name in enumerate(("tenant", "booking", "harbour"), 1)}
    with fresh.begin() as connection:
        for statement in (
            "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
            "VALUES (:tenant, 'provider', 'tenant', 'Tenant', 'IE', 'EUR', NOW(), 0)",
            "INSERT INTO projects (id, organisation_id, slug, name, cost_centre) VALUES "
            "(:harbour, :tenant, 'harbour', 'Harbour', NULL), (:booking, :tenant, 'booking', 'Booking', '1001')",
            "INSERT INTO quotas (holder_id, measure, organisation_id, limit_value, is_set, reservation, factor, version) "
            "VALUES (:tenant, 'storage', :tenant, 90, 1, 0, 1, 1), (:tenant, 'users', :tenant, 9, 1, 0, 1, 1)",
        ):
            connection.execute(text(statement), ids)
    schema.migrate(fresh)
    command.check(schema.alembic_config(fresh))
    owner = UUID(ids["tenant"])
    with Session(fresh) as tx:
        rows = projects_of(tx, [owner])
        found = [(row.slug, row.cost_centre, row.parent_id, row.version) for row in rows]
        assert found == [("booking", "1001", None, 1), ("harbour", None, None, 1)]
        assert sorted(row.number for row in rows) == [1, 2]
        assert levels_of(tx, [owner]) == {}
        [limit] = limits_on_use(tx, [owner])
        assert (limit.measure, limit.limit_value, limit.soft_limit) == ("storage", 90, None)
        day = date(2026, 10, 5)
        note_cost_centre(tx, owner, UUID(ids["booking"]), before="1001", after="2001", day=day)
        tx.flush()
        [known] = cost_centres_of(tx, [owner]).values()
        assert [(each.starts_on.year, each.cost_centre) for each in known] == [(2000, "1001"), (2026, "2001")]
