"""what is not priced by resource; balances of feeds that were signed off"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0040'
down_revision = '0039'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('not_priced', sa.Column('resource_id', sa.Integer(), nullable=True))
    # What is there names no resource: those pairs are rated again.
    op.execute(
        'UPDATE pairs p JOIN (SELECT DISTINCT pair_id FROM not_priced) n ON n.pair_id = p.id '
        'SET p.wanted = p.wanted + 1, p.stale_since = COALESCE(p.stale_since, UTC_TIMESTAMP(6))'
    )
    op.create_table('feed_sign_offs',
    sa.Column('feed_id', sa.Integer(), nullable=False),
    sa.Column('period', sa.String(length=7, collation='ascii_bin'), nullable=False),
    sa.Column('is_open', sa.Boolean(), nullable=False),
    sa.Column('reason', sa.String(length=500), nullable=True),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.Column('signed_by', sa.Uuid(), nullable=False),
    sa.Column('signed_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_feed_sign_offs_feed_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['signed_by'], ['users.id'], name=op.f('fk_feed_sign_offs_signed_by'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('feed_id', 'period', name=op.f('pk_feed_sign_offs'))
    )
