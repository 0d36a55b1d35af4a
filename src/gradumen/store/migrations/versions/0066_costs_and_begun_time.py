"""costs of the day of a move and begun time that is taken in several windows: months that have them are rated again

By the clocks of sellers whose days begin at other moments than the one that a move goes by, what suppliers stated of that
day was sold by both or by neither. Of a spell that a subscription takes, leaves to another and takes again only one window
was charged, which may have had no begun step: so all is rated again that a seller of such time sold in a month of it. What
that changes of billed months comes with the next documents.
"""

from alembic import op

revision = '0066'
down_revision = '0065'
branch_labels = None
depends_on = None

AGAIN = """
UPDATE pairs SET wanted = wanted + 1, stale_since = COALESCE(stale_since, UTC_TIMESTAMP(6)), not_before = NULL WHERE
"""
MOVED = """
(seller_id, buyer_id, period) IN (
    SELECT seller_id, buyer_id, DATE_FORMAT(starts_on, '%Y-%m') FROM supply_lines WHERE NOT void AND opens_at IS NOT NULL
    UNION
    SELECT seller_id, buyer_id, DATE_FORMAT(ends_on, '%Y-%m') FROM supply_lines WHERE NOT void AND closes_at IS NOT NULL
) AND period IN (SELECT DATE_FORMAT(month, '%Y-%m') FROM cost_days)
"""
BEGUN = """
(seller_id, period) IN (
    SELECT p.seller_id, p.period FROM current_charges c JOIN pairs p ON (p.id, p.generation) = (c.pair_id, c.generation)
    WHERE LEFT(c.kind, 8) = 'started_'
)
"""


def upgrade() -> None:
    op.execute(f"{AGAIN} ({MOVED}) OR ({BEGUN})")


def downgrade() -> None:
    """What was rated again stays so."""
