"""what cost files say was used as usage, and amounts where meters count levels"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import BINARY, DATETIME

revision = '0050'
down_revision = '0049'
branch_labels = None
depends_on = None

MOMENT = DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table(
        'cost_readings',
        sa.Column('set_id', sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column('key', BINARY(16), nullable=False),
        sa.PrimaryKeyConstraint('set_id', 'key', name=op.f('pk_cost_readings')),
    )
    for name in ('begins', 'lasts'):
        op.add_column('cost_rows', sa.Column(name, sa.Integer(), nullable=True))
    for name in ('unread_since', 'ready_at'):
        op.add_column('cost_sets', sa.Column(name, MOMENT, nullable=True))
        op.create_index(f'ix_cost_sets_{name}', 'cost_sets', [name])
    for table, name in (('cost_sets', 'was_read'), ('feeds', 'reads_quantities'), ('origins', 'is_amount')):
        op.add_column(table, sa.Column(name, sa.Boolean(), nullable=False, server_default=sa.text('0')))
        op.alter_column(table, name, existing_type=sa.Boolean(), existing_nullable=False, server_default=None)
