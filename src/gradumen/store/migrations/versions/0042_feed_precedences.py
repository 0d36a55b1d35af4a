"""feeds that give way to others which measure the same; which rate cards price what quotas promise"""

import sqlalchemy as sa
from alembic import op

revision = '0042'
down_revision = '0041'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'feed_precedences',
        sa.Column('feed_id', sa.Integer(), nullable=False),
        sa.Column('first_id', sa.Integer(), nullable=False),
        sa.Column('starts_on', sa.Date(), nullable=False),
        sa.ForeignKeyConstraint(
            ['feed_id'], ['feeds.id'], name=op.f('fk_feed_precedences_feed_id'), ondelete='RESTRICT'
        ),
        sa.ForeignKeyConstraint(
            ['first_id'], ['feeds.id'], name=op.f('fk_feed_precedences_first_id'), ondelete='RESTRICT'
        ),
        sa.PrimaryKeyConstraint('feed_id', 'first_id', name=op.f('pk_feed_precedences')),
    )
    # Until now such rates were refused.
    op.add_column(
        'rate_card_versions', sa.Column('prices_promised', sa.Boolean(), server_default=sa.false(), nullable=False)
    )
    op.alter_column('rate_card_versions', 'prices_promised', server_default=None, existing_type=sa.Boolean())
    op.create_index(
        'ix_rate_card_versions_prices_promised', 'rate_card_versions', ['prices_promised', 'rate_card_id']
    )
