"""by which feed the usage of a cloud comes, and whose what is used in an account is"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = '0047'
down_revision = '0046'
branch_labels = None
depends_on = None

MOMENT = DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table(
        'cloud_feeds',
        sa.Column('cloud_id', sa.Uuid(), nullable=False),
        sa.Column('feed_id', sa.Integer(), nullable=False),
        sa.Column('set_at', MOMENT, nullable=False),
        sa.ForeignKeyConstraint(['cloud_id'], ['clouds.id'], name=op.f('fk_cloud_feeds_cloud_id'), ondelete='RESTRICT'),
        sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_cloud_feeds_feed_id'), ondelete='RESTRICT'),
        sa.PrimaryKeyConstraint('cloud_id', name=op.f('pk_cloud_feeds')),
    )
    op.add_column('cloud_accounts', sa.Column('project_id', sa.Uuid(), nullable=True))
    op.add_column('cloud_accounts', sa.Column('billed_from', sa.Date(), nullable=True))
    op.create_foreign_key(
        op.f('fk_cloud_accounts_project_id'), 'cloud_accounts', 'projects', ['project_id'], ['id'], ondelete='SET NULL'
    )
