"""From the schema before details, states and more measures, with quotas in it."""

from datetime import UTC, datetime
from uuid import UUID

from alembic import command
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from gradumen.core.organisations.states import State
from gradumen.core.quotas.measures import Measure
from gradumen.store import schema
from gradumen.store.organisations.tables import load_tree
from gradumen.usecases.limits import Limits


def test_limits_of_before_hold_and_everybody_is_active(fresh: Engine) -> None:
    schema.migrate(fresh, "0017")
    ids = {name: f"{number:032x}" for number, name in enumerate(("provider", "reseller", "tenant"), 1)}
    with fresh.begin() as connection:
        for statement in (
            *(
                "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
                f"VALUES (:{type}, '{type}', '{type}', '{type}', 'IE', 'EUR', NOW(), 0)"
                for type in ids
            ),
            "INSERT INTO parent_edges (child_id, starts_at, parent_id) VALUES (:reseller, '2000-01-01', :provider), "
            "(:tenant, '2000-01-01', :reseller)",
            "INSERT INTO quotas (holder_id, measure, organisation_id, giver_id, limit_value, reservation, factor, "
            "version) VALUES (:provider, 'storage', :provider, NULL, 900, 0, 1, 1), "
            "(:reseller, 'storage', :reseller, :provider, 100, 5, 1, 2), "
            "(:provider, 'processors', :provider, NULL, NULL, 0, 1, 1), "
            "(:reseller, 'processors', :reseller, :provider, 0, 0, 1, 1)",
        ):
            connection.execute(text(statement), ids)
    schema.migrate(fresh)
    command.check(schema.alembic_config(fresh))
    found = {name: UUID(id) for name, id in ids.items()}
    with Session(fresh) as tx:
        tree = load_tree(tx, datetime(2026, 10, 1, tzinfo=UTC))
        limits = Limits(tx, tree, found.values())
        held = {
            (name, measure): limits.limit(id, measure)
            for name, id in found.items()
            for measure in (Measure.STORAGE, Measure.PROCESSORS, Measure.USERS)
        }
        states = {tree.state(id) for id in found.values()}
    assert states == {State.ACTIVE}
    assert [held[name, Measure.STORAGE] for name in found] == [900, 100, 0]
    assert [held[name, Measure.PROCESSORS] for name in found] == [None, 0, 0]
    assert [held[name, Measure.USERS] for name in found] == [None, None, None]
