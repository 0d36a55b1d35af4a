"""Projects and limits from schemas before: they stay what they are, and those under others lie inside them."""

from datetime import date
from uuid import UUID

from alembic import command
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from gradumen.store import schema
from gradumen.store.metering.breaches import limits_on_use
from gradumen.store.organisations.cost_centres import cost_centres_of, note_cost_centre
from gradumen.store.organisations.projects import levels_of, projects_of
from gradumen.store.quotas.quotas import given_on, quotas_of


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


def test_limits_of_projects_under_others_come_to_lie_inside_them(fresh: Engine) -> None:
    """Also where they do not fit: then more is had there than may be."""
    schema.migrate(fresh, "0035")
    names = ("tenant", "school", "year", "class", "club")
    ids = {name: f"{number:032x}" for number, name in enumerate(names, 1)}
    with fresh.begin() as connection:
        for statement in (
            "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
            "VALUES (:tenant, 'provider', 'tenant', 'Tenant', 'IE', 'EUR', NOW(), 0)",
            "INSERT INTO projects (id, organisation_id, slug, name, parent_id, version) VALUES "
            "(:school, :tenant, 'school', 'School', NULL, 1), (:year, :tenant, 'year', 'Year', :school, 1), "
            "(:class, :tenant, 'class', 'Class', :year, 1), (:club, :tenant, 'club', 'Club', NULL, 1)",
            "INSERT INTO quotas (holder_id, measure, organisation_id, project_id, giver_id, limit_value, is_set, "
            "reservation, factor, version) VALUES "
            "(:tenant, 'storage', :tenant, NULL, NULL, 90, 1, 0, 1, 1), "
            "(:school, 'storage', :tenant, :school, :tenant, 10, 1, 0, 1, 1), "
            "(:class, 'storage', :tenant, :class, :tenant, 12, 1, 0, 1, 1), "
            "(:club, 'storage', :tenant, :club, :tenant, 5, 1, 0, 1, 1), "
            "(:class, 'memory', :tenant, :class, :tenant, 3, 1, 0, 1, 1)",
        ):
            connection.execute(text(statement), ids)
    schema.migrate(fresh)
    with Session(fresh) as tx:
        owner = UUID(ids["tenant"])
        given = given_on(tx, [owner])
        assert {measure: total for (_, measure), (total, _) in given.items()} == {"storage": 15, "memory": 3}
        inside = {(row.measure, row.holder_id) for row in quotas_of(tx, owner) if row.project_id and not row.giver_id}
        assert inside == {("storage", UUID(ids["class"]))}
