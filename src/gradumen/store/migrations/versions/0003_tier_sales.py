"""until when tiers are sold and used

Before the new code: it reads the table added here.
"""

import sqlalchemy as sa
from alembic import op

revision = '0003'
down_revision = '0002'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('tier_sales',
    sa.Column('plan_id', sa.Uuid(), nullable=False),
    sa.Column('tier', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.Column('withdrawn_on', sa.Date(), nullable=True),
    sa.Column('retired_on', sa.Date(), nullable=True),
    sa.ForeignKeyConstraint(['plan_id'], ['plans.id'], name=op.f('fk_tier_sales_plan_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('plan_id', 'tier', name=op.f('pk_tier_sales'))
    )
