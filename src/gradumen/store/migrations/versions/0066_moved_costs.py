"""costs of the day of a move are the new seller's alone: months of moves in which suppliers' costs count are rated again

By the clocks of sellers whose days begin at other moments than the one that a move goes by, what suppliers stated of that
day was sold by both or by neither. What that changes of billed months comes with the next documents.
"""

from alembic import op

revision = '0066'
down_revision = '0065'
branch_labels = None
depends_on = None

MOVED = """
UPDATE pairs SET wanted = wanted + 1, stale_since = COALESCE(stale_since, UTC_TIMESTAMP(6)), not_before = NULL
WHERE (seller_id, buyer_id, period) IN (
    SELECT seller_id, buyer_id, DATE_FORMAT(starts_on, '%Y-%m') FROM supply_lines WHERE NOT void AND opens_at IS NOT NULL
    UNION
    SELECT seller_id, buyer_id, DATE_FORMAT(ends_on, '%Y-%m') FROM supply_lines WHERE NOT void AND closes_at IS NOT NULL
) AND period IN (SELECT DATE_FORMAT(month, '%Y-%m') FROM cost_days)
"""


def upgrade() -> None:
    op.execute(MOVED)


def downgrade() -> None:
    """What was rated again stays so."""
