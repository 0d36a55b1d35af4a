"""files of readings in any shape: how a feed's are mapped, and deliveries that are files or take one back"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0035'
down_revision = '0034'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('feeds', sa.Column('mapping', sa.JSON(), nullable=True))
    op.add_column('feeds', sa.Column('mapping_version', sa.Integer(), nullable=False, server_default='0'))
    op.alter_column('feeds', 'mapping_version', server_default=None, existing_type=sa.Integer(), existing_nullable=False)
    op.add_column('deliveries', sa.Column('file_name', sa.String(length=191, collation='utf8mb4_bin'), nullable=True))
    op.add_column('deliveries', sa.Column('content_hash', mysql.BINARY(16), nullable=True))
    op.add_column('deliveries', sa.Column('first_at', mysql.DATETIME(), nullable=True))
    op.add_column('deliveries', sa.Column('last_at', mysql.DATETIME(), nullable=True))
    op.add_column('deliveries', sa.Column('taken_back_by', sa.BigInteger(), nullable=True))
    op.add_column('deliveries', sa.Column('takes_back', sa.BigInteger(), nullable=True))
