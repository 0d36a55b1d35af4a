"""What is not priced is told by resource: the pairs that have any are rated again, the others are left as they are."""

from sqlalchemy import Engine, text

from gradumen.store import schema


def test_pairs_with_usage_that_is_not_priced_are_rated_again(fresh: Engine) -> None:
    schema.migrate(fresh, "0039")
    with fresh.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        columns = connection.execute(text("SHOW COLUMNS FROM pairs")).all()
        needed = {name: kind for name, kind, null, _, default, _ in columns if null == "NO" and default is None}
        given = {"seller_id": "REPEAT('a', 32)", "period": "'2026-09'", "wanted": "4", "rated": "4", "generation": "4"}
        for number in (1, 2):
            values = dict.fromkeys(needed, "0") | given | {"id": str(number), "buyer_id": f"REPEAT('{number}', 32)"}
            names, all_values = ", ".join(values), ", ".join(values.values())
            connection.execute(text(f"INSERT INTO pairs ({names}) VALUES ({all_values})"))
        for position in (0, 1):
            connection.execute(
                text(
                    "INSERT INTO not_priced (pair_id, generation, position, organisation_id, meter, quantity) "
                    f"VALUES (2, 4, {position}, REPEAT('b', 32), 'compute/vcpu', 7)"
                )
            )
    schema.migrate(fresh)
    with fresh.connect() as connection:
        found = connection.execute(text("SELECT id, wanted, stale_since IS NOT NULL FROM pairs ORDER BY id")).all()
        assert [tuple(each) for each in found] == [(1, 4, 0), (2, 5, 1)]
        kept = connection.execute(text("SELECT COUNT(*), SUM(quantity), MAX(resource_id) FROM not_priced")).one()
        assert tuple(kept) == (2, 14, None)
