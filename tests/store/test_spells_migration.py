"""Phases beside the conditions of a rate become one of them; nothing was charged by such rates before."""

import json

from sqlalchemy import Engine, text

from gradumen.store import schema

RATES = [
    {"rate": "begun", "meter": "vm/time", "per": "hour", "started": "hour", "phases": ["awake"], "price": "1"},
    {"rate": "both", "meter": "vm/time", "per": "hour", "started": "hour", "phases": ["awake", "parked"],
     "where": {"size": "large"}, "price": "1"},
    {"rate": "plain", "meter": "vm/vcpu", "per": "vCPU-hour", "price": "1"},
]  # fmt: skip


def test_phases_are_conditions_and_other_cards_stay_as_they_are(fresh: Engine) -> None:
    schema.migrate(fresh, "0043")
    forms = {"a" * 32: {"rates": RATES}, "b" * 32: {"name": "phases of the moon", "rates": RATES[2:]}}
    with fresh.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for number, (identity, form) in enumerate(forms.items(), 1):
            connection.execute(
                text(
                    "INSERT INTO rate_card_versions (id, rate_card_id, number, starts_on, published_at, document, "
                    f"prices_promised) VALUES ('{identity}', REPEAT('c', 32), {number}, '2026-01-0{number}', "
                    "'2026-01-01', :document, 0)"
                ),
                {"document": json.dumps(form)},
            )
        connection.execute(
            text(
                "INSERT INTO bill_runs (id, seller_id, period, started_by, started_at) VALUES (REPEAT('d', 32), "
                "REPEAT('e', 32), '2026-09', REPEAT('f', 32), '2026-10-01')"
            )
        )
    schema.migrate(fresh, "0045")
    with fresh.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO spells (resource_id, meter_id, start_at, end_at, project_number, attribute_set_id, level, "
                "run_start) VALUES (1, 2, '2026-11-01', '2026-11-02', 3, 4, 1, '2026-11-01')"
            )
        )
    schema.migrate(fresh)
    with fresh.connect() as connection:
        rows = connection.execute(text("SELECT document FROM rate_card_versions ORDER BY number")).scalars()
        phased, plain = (json.loads(each) for each in rows)
        assert connection.execute(text("SELECT level, is_inferred FROM spells")).all() == [(1, 0)]
        assert connection.execute(text("SELECT period, reason FROM bill_runs")).all() == [("2026-09", None)]
    assert [rate.get("where") for rate in phased["rates"]] == [
        {"phase": "awake"},
        {"size": "large", "phase": ["awake", "parked"]},
        None,
    ]
    assert not any("phases" in rate for rate in phased["rates"])
    assert plain == forms["b" * 32]
