"""what is refused of deliveries is kept for a while; deliveries are found by when they came"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0059'
down_revision = '0058'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table(
        'refused_items',
        sa.Column('delivery_id', sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column('position', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('item', sa.String(length=191, collation='utf8mb4_bin'), nullable=False),
        sa.Column('field', sa.String(length=60), nullable=True),
        sa.Column('reason', sa.String(length=1000), nullable=False),
        sa.Column('sent', sa.Text(), nullable=True),
        sa.Column('refused_at', MOMENT, nullable=False),
        sa.PrimaryKeyConstraint('delivery_id', 'position', name=op.f('pk_refused_items')),
    )
    op.create_index('ix_refused_items_refused_at', 'refused_items', ['refused_at'])
    op.create_index('ix_deliveries_feed_id_received_at', 'deliveries', ['feed_id', 'received_at'])
