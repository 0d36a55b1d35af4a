"""rules that divide usage among several owners"""

import sqlalchemy as sa
from alembic import op

revision = '0041'
down_revision = '0040'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('ownership_rules', sa.Column('shares', sa.JSON(), nullable=True))
