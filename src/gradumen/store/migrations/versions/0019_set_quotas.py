"""a quota that was given is told from a row that is there for rivals to meet in"""

import sqlalchemy as sa
from alembic import op

revision = '0019'
down_revision = '0018'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('quotas', sa.Column('is_set', sa.Boolean(), server_default=sa.true(), nullable=False))
    op.alter_column('quotas', 'is_set', existing_type=sa.Boolean(), existing_nullable=False, server_default=None)
