"""archived months of readings"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0055'
down_revision = '0054'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'archive_bounds',
        sa.Column('id', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('before', sa.Date(), nullable=True),
        sa.PrimaryKeyConstraint('id'),
    )
    op.execute("INSERT INTO archive_bounds (id) VALUES (1), (2)")
    op.create_table(
        'archived_parts',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('month', sa.String(length=7, collation='ascii_bin'), nullable=False),
        sa.Column('first_resource', sa.Integer(), nullable=False),
        sa.Column('last_resource', sa.Integer(), nullable=False),
        sa.Column('readings', sa.Integer(), nullable=False),
        sa.Column('size', sa.Integer(), nullable=False),
        sa.Column('hash', mysql.BINARY(32), nullable=False),
        sa.Column('content', mysql.LONGBLOB(), nullable=False),
        sa.PrimaryKeyConstraint('id'),
    )
    op.create_index('ix_archived_parts_month_first_resource', 'archived_parts', ['month', 'first_resource'])
    op.create_table(
        'archived_sums',
        sa.Column('feed_id', sa.Integer(), nullable=False),
        sa.Column('meter_id', sa.Integer(), nullable=False),
        sa.Column('start_at', mysql.DATETIME(), nullable=False),
        sa.Column('readings', sa.Integer(), nullable=False),
        sa.Column('replaced', sa.Integer(), nullable=False),
        sa.Column('taken_back', sa.Integer(), nullable=False),
        sa.Column('summed', sa.DECIMAL(50, 6), nullable=False),
        sa.Column('by_seconds', sa.DECIMAL(60, 6), nullable=False),
        sa.PrimaryKeyConstraint('feed_id', 'meter_id', 'start_at'),
    )
