"""Usage of before stays as it is: no feed gives way until somebody says so."""

from sqlalchemy import Engine, text

from gradumen.store import schema


def test_usage_of_before_stays_and_no_feed_gives_way(fresh: Engine) -> None:
    schema.migrate(fresh, "0041")
    with fresh.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for number, slug in ((1, "first"), (2, "second")):
            connection.execute(
                text(
                    "INSERT INTO feeds (id, organisation_id, slug, name, mapping_version) "
                    f"VALUES ({number}, REPEAT('a', 32), '{slug}', '{slug}', 0)"
                )
            )
            connection.execute(
                text(f"INSERT INTO resources (id, feed_id, name, passes) VALUES ({number}, {number}, 'vm', 1)")
            )
            connection.execute(
                text(
                    "INSERT INTO usage_days (project_number, meter_id, day, resource_id, attribute_set_id, hours, slots, "
                    f"total, readings) VALUES (3, 4, '2026-09-10', {number}, 5, 1, REPEAT('x', 16), 7, 1)"
                )
            )
    schema.migrate(fresh)
    with fresh.connect() as connection:
        kept = connection.execute(text("SELECT COUNT(*), SUM(total), SUM(readings) FROM usage_days")).one()
        assert tuple(kept) == (2, 14, 2)
        assert connection.scalar(text("SELECT COUNT(*) FROM feed_precedences")) == 0
        assert connection.scalar(text("SELECT COUNT(*) FROM stale_usage")) == 0
