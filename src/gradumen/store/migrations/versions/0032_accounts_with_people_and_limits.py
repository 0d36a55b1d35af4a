"""accounts in clouds with people and limits, and tasks that concern somebody else too"""

import sqlalchemy as sa
from alembic import op

revision = '0032'
down_revision = '0031'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('cloud_accounts', sa.Column('with_people', sa.Boolean(), nullable=False, server_default=sa.text('0')))
    op.alter_column('cloud_accounts', 'with_people', server_default=None, existing_type=sa.Boolean(), nullable=False)
    op.add_column('cloud_accounts', sa.Column('kept', sa.JSON(), nullable=True))
    op.add_column('tasks', sa.Column('concerns_id', sa.Uuid(), nullable=True))
    op.create_foreign_key(
        op.f('fk_tasks_concerns_id'), 'tasks', 'organisations', ['concerns_id'], ['id'], ondelete='RESTRICT'
    )
    op.create_index('ix_tasks_concerns_id_asked_at', 'tasks', ['concerns_id', 'asked_at'])
