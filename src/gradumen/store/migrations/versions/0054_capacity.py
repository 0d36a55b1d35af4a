"""hosts of clouds and pools, day by day"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0054'
down_revision = '0053'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'host_looks',
        sa.Column('cloud_id', sa.Uuid(), nullable=False),
        sa.Column('next_at', mysql.DATETIME(fsp=6), nullable=False),
        sa.Column('look', sa.Integer(), nullable=False),
        sa.Column('looked_at', mysql.DATETIME(fsp=6), nullable=True),
        sa.Column('tells', sa.Boolean(), nullable=True),
        sa.Column('problem', sa.String(length=500), nullable=True),
        sa.Column('failing_since', mysql.DATETIME(fsp=6), nullable=True),
        sa.Column('task_id', sa.Uuid(), nullable=True),
        sa.ForeignKeyConstraint(['cloud_id'], ['clouds.id'], name='fk_host_looks_cloud_id', ondelete='RESTRICT'),
        sa.ForeignKeyConstraint(['task_id'], ['tasks.id'], name='fk_host_looks_task_id', ondelete='SET NULL'),
        sa.PrimaryKeyConstraint('cloud_id'),
    )
    op.create_index('ix_host_looks_next_at', 'host_looks', ['next_at'])
    op.create_table(
        'host_days',
        sa.Column('cloud_id', sa.Uuid(), nullable=False),
        sa.Column('day', sa.Date(), nullable=False),
        sa.Column('host', sa.String(length=190, collation='utf8mb4_bin'), nullable=False),
        sa.Column('resource', sa.String(length=60, collation='utf8mb4_bin'), nullable=False),
        sa.Column('hosts', sa.Integer(), nullable=False),
        sa.Column('total', sa.DECIMAL(50, 12), nullable=False),
        sa.Column('reserved', sa.DECIMAL(50, 12), nullable=False),
        sa.Column('factor', sa.DECIMAL(50, 12), nullable=True),
        sa.Column('capacity', sa.DECIMAL(50, 12), nullable=False),
        sa.Column('used', sa.DECIMAL(50, 12), nullable=False),
        sa.Column('used_least', sa.DECIMAL(50, 12), nullable=False),
        sa.Column('used_most', sa.DECIMAL(50, 12), nullable=False),
        sa.Column('looks', sa.Integer(), nullable=False),
        sa.Column('look', sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint('cloud_id', 'day', 'host', 'resource'),
    )
    op.create_table(
        'pool_days',
        sa.Column('pool_id', sa.Uuid(), nullable=False),
        sa.Column('day', sa.Date(), nullable=False),
        sa.Column('capacity', sa.DECIMAL(38, 6), nullable=False),
        sa.Column('factor', sa.DECIMAL(38, 6), nullable=False),
        sa.Column('promised', sa.DECIMAL(38, 6), nullable=False),
        sa.Column('at_site', sa.DECIMAL(38, 6), nullable=False),
        sa.Column('left', sa.DECIMAL(50, 12), nullable=False),
        sa.Column('noted_at', mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint('pool_id', 'day'),
    )
