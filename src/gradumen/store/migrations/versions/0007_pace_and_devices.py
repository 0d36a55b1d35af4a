"""attempts counted per subject in one row each, and the devices that a user signed in from

Before the new code: it reads and writes what is added here.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0007'
down_revision = '0006'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    # Waiting times begin anew: what was counted before was per account, and locked its owner out.
    op.drop_table('sign_in_failures')
    op.create_table('attempts',
    sa.Column('subject', sa.String(length=190), nullable=False),
    sa.Column('attempts', sa.Integer(), nullable=False),
    sa.Column('last_at', MOMENT, nullable=False),
    sa.PrimaryKeyConstraint('subject', name=op.f('pk_attempts'))
    )
    op.create_index('ix_attempts_last_at', 'attempts', ['last_at'])
    op.create_table('devices',
    sa.Column('id', sa.String(length=64, collation='ascii_bin'), nullable=False),
    sa.Column('user_id', sa.Uuid(), nullable=False),
    sa.Column('used_at', MOMENT, nullable=False),
    sa.ForeignKeyConstraint(['user_id'], ['users.id'], name=op.f('fk_devices_user_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', 'user_id', name=op.f('pk_devices'))
    )
