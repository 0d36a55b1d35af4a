"""rules of ownership are tried as a task, whose outcome is kept for a while"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0060'
down_revision = '0059'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'ownership_trials',
        sa.Column('id', sa.Uuid(), nullable=False),
        sa.Column('seller_id', sa.Uuid(), nullable=False),
        sa.Column('rules', sa.JSON(), nullable=False),
        sa.Column('asked_by', sa.Uuid(), nullable=False),
        sa.Column('asked_at', mysql.DATETIME(fsp=6), nullable=False),
        sa.Column('outcome', sa.JSON(), nullable=True),
        sa.ForeignKeyConstraint(['asked_by'], ['users.id'], name=op.f('fk_ownership_trials_asked_by'), ondelete='RESTRICT'),
        sa.ForeignKeyConstraint(['id'], ['tasks.id'], name=op.f('fk_ownership_trials_id'), ondelete='RESTRICT'),
        sa.ForeignKeyConstraint(['seller_id'], ['organisations.id'], name=op.f('fk_ownership_trials_seller_id'), ondelete='RESTRICT'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_ownership_trials')),
    )
    op.create_index('ix_ownership_trials_seller_id_asked_at', 'ownership_trials', ['seller_id', 'asked_at'])
