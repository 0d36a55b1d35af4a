"""feeds that the service fetches itself"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0039'
down_revision = '0038'
branch_labels = None
depends_on = None


def moment(name: str, *, nullable: bool = False, fsp: int = 6) -> sa.Column[object]:
    return sa.Column(name, mysql.DATETIME(fsp=fsp) if fsp else mysql.DATETIME(), nullable=nullable)


def upgrade() -> None:
    op.create_table('pulls',
    sa.Column('feed_id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(length=24, collation='ascii_bin'), nullable=False),
    sa.Column('form', sa.JSON(), nullable=False),
    sa.Column('sealed', sa.Text(), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('paused', sa.Boolean(), nullable=False),
    moment('complete_until', fsp=0),
    moment('next_at'),
    moment('last_run_at', nullable=True),
    sa.Column('problem', sa.String(length=500), nullable=True),
    moment('failing_since', nullable=True),
    sa.Column('task_id', sa.Uuid(), nullable=True),
    moment('quiet_from', nullable=True, fsp=0),
    moment('believed_until', nullable=True, fsp=0),
    sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_pulls_feed_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['task_id'], ['tasks.id'], name=op.f('fk_pulls_task_id'), ondelete='SET NULL'),
    sa.PrimaryKeyConstraint('feed_id', name=op.f('pk_pulls'))
    )
    op.create_table('pulled_files',
    sa.Column('feed_id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(length=180, collation='utf8mb4_bin'), nullable=False),
    sa.Column('mark', sa.String(length=120, collation='utf8mb4_bin'), nullable=False),
    sa.Column('size', sa.BigInteger(), nullable=False),
    moment('modified_at', fsp=0),
    moment('fetched_at'),
    sa.Column('delivery_id', sa.BigInteger(), nullable=True),
    sa.Column('problem', sa.String(length=500), nullable=True),
    sa.Column('tried_with', sa.String(length=40, collation='ascii_bin'), nullable=False),
    sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_pulled_files_feed_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('feed_id', 'name', name=op.f('pk_pulled_files'))
    )
    op.create_index('ix_pulls_paused_next_at', 'pulls', ['paused', 'next_at'])
    op.create_index('ix_deliveries_feed_id_file_name', 'deliveries', ['feed_id', 'file_name'])
