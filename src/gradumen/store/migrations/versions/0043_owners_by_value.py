"""rules of ownership by the value of a fact or attribute"""

import sqlalchemy as sa
from alembic import op

revision = '0043'
down_revision = '0042'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('ownership_rules', sa.Column('look_up', sa.JSON(), nullable=True))
    op.alter_column('ownership_rules', 'project_id', existing_type=sa.Uuid(), nullable=True)
