"""Rules of before stay what they were."""

from sqlalchemy import Engine, text

from gradumen.store import schema


def test_rules_of_before_name_their_projects(fresh: Engine) -> None:
    schema.migrate(fresh, "0042")
    with fresh.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        connection.execute(
            text(
                "INSERT INTO ownership_rules (organisation_id, position, name, project_id, starts_on, conditions) "
                "VALUES (REPEAT('a', 32), 0, 'one', REPEAT('b', 32), '2026-09-01', '{\"account\": \"acc-7\"}')"
            )
        )
    schema.migrate(fresh)
    with fresh.connect() as connection:
        kept = connection.execute(text("SELECT name, project_id, look_up, conditions FROM ownership_rules")).one()
        name, project, *rest = kept
        assert (name, str(project).replace("-", ""), rest) == ("one", "b" * 32, [None, '{"account": "acc-7"}'])
