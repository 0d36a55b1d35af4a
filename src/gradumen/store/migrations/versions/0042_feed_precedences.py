"""feeds that give way to others which measure the same"""

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
