"""months in which a discount stands beside credits of suppliers: they are rated again

What a discount on everything left of a rate was too much where something was credited beside it, so that another on that
rate took too much off. What that changes of billed months comes with the next documents.
"""

from alembic import op

revision = '0068'
down_revision = '0067'
branch_labels = None
depends_on = None

OF_PAIR = "(c.pair_id, c.generation) = (pairs.id, pairs.generation)"


def upgrade() -> None:
    op.execute(
        f"""
        UPDATE pairs SET wanted = wanted + 1, stale_since = COALESCE(stale_since, UTC_TIMESTAMP(6)), not_before = NULL
        WHERE EXISTS (SELECT 1 FROM current_charges c WHERE {OF_PAIR} AND c.kind = 'discount')
          AND EXISTS (
            SELECT 1 FROM current_charges c JOIN current_parts p
              ON (p.pair_id, p.generation, p.charge_position) = (c.pair_id, c.generation, c.position)
            WHERE {OF_PAIR} AND c.kind <> 'discount' AND p.amount < 0
          )
        """
    )


def downgrade() -> None:
    """What was rated again stays so."""
