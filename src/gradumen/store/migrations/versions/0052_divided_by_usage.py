"""rules that divide by what each used of a meter"""

import sqlalchemy as sa
from alembic import op

revision = '0052'
down_revision = '0051'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('ownership_rules', sa.Column('by_usage', sa.JSON(none_as_null=True), nullable=True))
    op.add_column('ownership_rules', sa.Column('remainder', sa.Uuid(), nullable=True))
    op.create_foreign_key(None, 'ownership_rules', 'projects', ['remainder'], ['id'], ondelete='RESTRICT')
    op.add_column('cost_sets', sa.Column('waits', sa.Boolean(), nullable=False, server_default=sa.text('0')))
    op.alter_column('cost_sets', 'waits', server_default=None, existing_type=sa.Boolean(), existing_nullable=False)
    op.create_index('ix_cost_sets_waits_day', 'cost_sets', ['waits', 'day'])
    op.create_table(
        'divided_days',
        sa.Column('resource_id', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('meter_id', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('day', sa.Date(), nullable=False),
        sa.Column('key_meter_id', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('waits', sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint('resource_id', 'meter_id', 'day', 'key_meter_id'),
    )
    op.create_index('ix_divided_days_key_meter_id_day', 'divided_days', ['key_meter_id', 'day'])
    op.create_index('ix_divided_days_waits_day', 'divided_days', ['waits', 'day'])
