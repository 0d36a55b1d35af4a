"""exports of costs in one or several files, and files that come in pieces"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import BINARY, DATETIME, LONGBLOB

revision = '0048'
down_revision = '0047'
branch_labels = None
depends_on = None

MOMENT = DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table(
        'cost_exports',
        sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column('feed_id', sa.Integer(), nullable=False),
        sa.Column('revision', MOMENT, nullable=False),
        sa.Column('parts', sa.SmallInteger(), nullable=False),
        sa.Column('first', sa.Date(), nullable=True),
        sa.Column('last', sa.Date(), nullable=True),
        sa.Column('made_at', MOMENT, nullable=False),
        sa.Column('delivery_id', sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_cost_exports_feed_id'), ondelete='RESTRICT'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_cost_exports')),
    )
    op.create_index('ix_cost_exports_feed_id_revision', 'cost_exports', ['feed_id', 'revision'])
    op.add_column('cost_sets', sa.Column('export_id', sa.BigInteger(), nullable=True))
    op.create_index('ix_cost_sets_export_id', 'cost_sets', ['export_id'])
    op.create_table(
        'uploads',
        sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column('public_id', sa.Uuid(), nullable=False),
        sa.Column('feed_id', sa.Integer(), nullable=False),
        sa.Column('known_by', BINARY(16), nullable=False),
        sa.Column('digest', BINARY(32), nullable=False),
        sa.Column('name', sa.String(191, collation='utf8mb4_bin'), nullable=False),
        sa.Column('size', sa.BigInteger(), nullable=False),
        sa.Column('export_id', sa.BigInteger(), nullable=True),
        sa.Column('part', sa.SmallInteger(), nullable=False),
        sa.Column('confirmed', sa.Boolean(), nullable=False),
        sa.Column('state', sa.String(16, collation='ascii_bin'), nullable=False),
        sa.Column('problem', sa.String(1000), nullable=True),
        sa.Column('confirmable', sa.Boolean(), nullable=False),
        sa.Column('task_id', sa.Uuid(), nullable=True),
        sa.Column('begun_by', sa.Uuid(), nullable=True),
        sa.Column('begun_at', MOMENT, nullable=False),
        sa.Column('changed_at', MOMENT, nullable=False),
        sa.Column('staged_at', MOMENT, nullable=True),
        sa.Column('delivery_id', sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_uploads_feed_id'), ondelete='RESTRICT'),
        sa.ForeignKeyConstraint(['begun_by'], ['users.id'], name=op.f('fk_uploads_begun_by'), ondelete='RESTRICT'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_uploads')),
        sa.UniqueConstraint('feed_id', 'known_by', name=op.f('uq_uploads_feed_id_known_by')),
        sa.UniqueConstraint('public_id', name=op.f('uq_uploads_public_id')),
    )
    op.create_index('ix_uploads_state_changed_at', 'uploads', ['state', 'changed_at'])
    for name in ('confirmable', 'confirmed'):
        op.add_column('pulled_files', sa.Column(name, sa.Boolean(), nullable=False, server_default=sa.false()))
        op.alter_column('pulled_files', name, existing_type=sa.Boolean(), server_default=None, existing_nullable=False)
    op.create_table(
        'upload_pieces',
        sa.Column('upload_id', sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column('number', sa.SmallInteger(), autoincrement=False, nullable=False),
        sa.Column('content', LONGBLOB(), nullable=False),
        sa.PrimaryKeyConstraint('upload_id', 'number', name=op.f('pk_upload_pieces')),
    )
