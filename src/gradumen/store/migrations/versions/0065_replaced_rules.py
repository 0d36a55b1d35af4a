"""rules of ownership that others take the place of are kept: documents go by those of their day

Months in which a cap cut something off are rated again: it does not come back with a later version any more.
"""

import sqlalchemy as sa
from alembic import op

revision = '0065'
down_revision = '0064'
branch_labels = None
depends_on = None

CAPPED = """
UPDATE pairs SET wanted = wanted + 1, stale_since = COALESCE(stale_since, UTC_TIMESTAMP(6)), not_before = NULL
WHERE id IN (SELECT c.pair_id FROM current_charges c JOIN pairs p ON (p.id, p.generation) = (c.pair_id, c.generation)
    WHERE c.adjustments LIKE '%cap%')
"""


def upgrade() -> None:
    op.create_table(
        'replaced_ownership_rules',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('organisation_id', sa.Uuid(), nullable=False),
        sa.Column('rules', sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_replaced_ownership_rules_organisation_id'), ondelete='RESTRICT'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_replaced_ownership_rules')),
    )
    op.execute(CAPPED)


def downgrade() -> None:
    op.drop_table('replaced_ownership_rules')
