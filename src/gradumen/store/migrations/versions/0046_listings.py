"""lists of all that is there, by which ends are found that nobody told"""

import sqlalchemy as sa
from alembic import op

revision = '0046'
down_revision = '0045'
branch_labels = None
depends_on = None

NAME = sa.String(191, collation='utf8mb4_bin')


def upgrade() -> None:
    op.create_table(
        'listings',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('feed_id', sa.Integer(), nullable=False),
        sa.Column('source', NAME, nullable=False),
        sa.Column('event_id', NAME, nullable=False),
        sa.Column('content', sa.BINARY(16), nullable=False),
        sa.Column('delivery_id', sa.BigInteger(), nullable=False),
        sa.Column('meter_id', sa.Integer(), nullable=False),
        sa.Column('account', NAME, nullable=True),
        sa.Column('listed_at', sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_listings_feed_id'), ondelete='RESTRICT'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_listings')),
        sa.UniqueConstraint('feed_id', 'source', 'event_id', name=op.f('uq_listings_feed_id_source_event_id')),
    )
    op.create_index('ix_listings_feed_id_meter_id_listed_at', 'listings', ['feed_id', 'meter_id', 'listed_at'])
    op.create_index('ix_listings_delivery_id', 'listings', ['delivery_id'])
    op.create_index('ix_resources_name', 'resources', ['name'])
    op.add_column('spells', sa.Column('is_inferred', sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column('spells', 'is_inferred', existing_type=sa.Boolean(), server_default=None, existing_nullable=False)
