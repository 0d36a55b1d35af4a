"""costs that are estimated until a file states them"""

import sqlalchemy as sa
from alembic import op

revision = '0058'
down_revision = '0057'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('feeds', sa.Column('estimates_costs', sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column('feeds', 'estimates_costs', server_default=None, existing_type=sa.Boolean(), existing_nullable=False)
    op.add_column('cost_sets', sa.Column('estimated_from', sa.BigInteger(), nullable=True))
    op.create_index('ix_cost_sets_estimated_from', 'cost_sets', ['estimated_from'])
    amount = sa.Numeric(38, 12)
    op.add_column('current_charges', sa.Column('estimated', amount, nullable=False, server_default=sa.text('0')))
    op.alter_column('current_charges', 'estimated', server_default=None, existing_type=amount, existing_nullable=False)
