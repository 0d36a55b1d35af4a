"""From usage revisions and rated periods to pairs: what was billed as it is stays billed, all is rated again."""

from alembic import command
from sqlalchemy import Engine, text

from gradumen.store import schema

NAMES = ("seller", "reseller", "tenant", "plan", "version", "card", "sub", "run", "drafted", "user", "draft")


def before(fresh: Engine) -> None:
    """A chain of two links with a subscription; August was billed, September has drafts, October changed since."""
    schema.migrate(fresh, "0012")
    ids = {name: f"{number:032x}" for number, name in enumerate(NAMES, 1)}
    lines = ", ".join(
        f"('{number:032x}', :sub, {depth}, :{seller}, :{buyer}, '2026-07-20', :version, 'moor', 1, 0, 0, :card, 0, "
        "'{}', '{}')"
        for number, depth, seller, buyer in ((91, 0, "reseller", "tenant"), (92, 1, "seller", "reseller"))
    )
    with fresh.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for statement in (
            *(
                "INSERT INTO organisations (id, type, slug, name, country, currency, created_at, members_version) "
                f"VALUES (:{name}, '{kind}', '{name}', '{name}', 'IE', 'EUR', NOW(), 0)"
                for name, kind in (("seller", "provider"), ("reseller", "reseller"), ("tenant", "tenant"))
            ),
            "INSERT INTO subscriptions (id, organisation_id, plan_id, name, starts_on, version, created_at) "
            "VALUES (:sub, :tenant, :plan, 'Open Range', '2026-07-20', 1, NOW())",
            "INSERT INTO supply_lines (id, subscription_id, depth, seller_id, buyer_id, starts_on, plan_version_id, tier, "
            f"quantity, paused, trial, rate_card_id, card_named, choices, deviations) VALUES {lines}",
            "INSERT INTO usage_revisions (organisation_id, month, revision) VALUES (:tenant, '2026-07-01', 2), "
            "(:tenant, '2026-08-01', 5), (:tenant, '2026-09-01', 3), (:tenant, '2026-10-01', 1)",
            "INSERT INTO bill_runs (id, seller_id, period, started_by, started_at) "
            "VALUES (:run, :seller, '2026-08', :user, NOW()), (:drafted, :seller, '2026-09', :user, NOW())",
            # August as it is now: 2 + 5 + 3. September too, but its drafts are not issued. July was something else.
            "INSERT INTO rated_periods (bill_run_id, period, revision) "
            "VALUES (:run, '2026-08', 10), (:drafted, '2026-09', 9), (:run, '2026-07', 6)",
            "INSERT INTO invoices (id, bill_run_id, seller_id, buyer_id, period, state, kind, currency, net, tax, gross, "
            "tax_category, tax_percent, parties) VALUES (:draft, :drafted, :seller, :reseller, '2026-09', 'draft', "
            "'invoice', 'EUR', 1, 0, 1, 'S', 0, '{}')",
        ):
            connection.execute(text(statement), ids)


def test_a_month_billed_as_it_is_stays_billed_and_all_months_are_rated_again(fresh: Engine) -> None:
    before(fresh)
    schema.migrate(fresh)
    with fresh.connect() as connection:
        rows = connection.execute(
            text(
                "SELECT s.slug, b.slug, period, wanted, rated, billed, stale_since IS NOT NULL FROM pairs "
                "JOIN organisations s ON s.id = seller_id JOIN organisations b ON b.id = buyer_id"
            )
        ).all()
    links = {(seller, buyer) for seller, buyer, *_ in rows}
    assert links == {("seller", "reseller"), ("seller", "seller"), ("reseller", "tenant"), ("reseller", "reseller")}
    assert {period for _, _, period, *_ in rows} == {"2026-07", "2026-08", "2026-09", "2026-10"}
    assert all((wanted, rated, stale) == (1, 0, 1) for *_, wanted, rated, _, stale in rows)
    assert {(seller, buyer, period) for seller, buyer, period, _, _, billed, _ in rows if billed} == {
        ("seller", "reseller", "2026-08"),
        ("seller", "seller", "2026-08"),
    }
    command.check(schema.alembic_config(fresh))


def test_charges_of_before_are_rated_again_for_their_evidence_and_stay_billed(fresh: Engine) -> None:
    schema.migrate(fresh, "0014")
    with fresh.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        connection.execute(
            text(
                "INSERT INTO pairs (id, seller_id, buyer_id, period, wanted, rated, billed, generation, fence, version, "
                "not_before, delivery_id) VALUES (7, UUID(), UUID(), '2026-08', 3, 3, 3, 2, 2, 1, '2030-01-01', 9)"
            )
        )
        connection.execute(
            text(
                "INSERT INTO current_charges (pair_id, generation, position, supply_line_id, rate_card_version_id, kind, "
                "rate, unit, quantity, covered, `before`, true_up, spread_key, amount, advance, service_start, "
                "service_end, blocks, adjustments, attribute_sets) VALUES (7, 2, 0, UUID(), UUID(), 'per_unit', 'vcpu', "
                "'vCPU-hour', 1, 0, 0, 0, 0, 5, 0, '2026-08-01', '2026-09-01', '[]', '[]', '[]')"
            )
        )
    schema.migrate(fresh)
    with fresh.connect() as connection:
        pair = connection.execute(
            text("SELECT wanted, rated, billed, stale_since IS NOT NULL, not_before FROM pairs")
        ).one()
        charges = connection.execute(text("SELECT amount, evidence FROM current_charges")).all()
    assert tuple(pair) == (3, 3, 3, 1, None)
    assert [(amount, evidence) for amount, evidence in charges] == [(5, "")]
    command.check(schema.alembic_config(fresh))


def test_special_terms_of_before_are_kept_under_their_name(fresh: Engine) -> None:
    schema.migrate(fresh, "0015")
    terms = '{"allowances": {"network/egress": "70 GiB"}}'
    with fresh.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        connection.execute(
            text(
                "INSERT INTO supply_lines (id, depth, subscription_id, seller_id, buyer_id, starts_on, plan_version_id, tier, "
                "quantity, paused, trial, rate_card_id, card_named, choices, deviations) VALUES (UUID(), 0, UUID(), UUID(), "
                "UUID(), '2026-08-01', UUID(), 'moor', 1, 0, 0, UUID(), 0, '{}', :terms)"
            ),
            {"terms": terms},
        )
    schema.migrate(fresh)
    with fresh.connect() as connection:
        assert connection.scalar(text("SELECT special_terms FROM supply_lines")) == terms
    command.check(schema.alembic_config(fresh))
