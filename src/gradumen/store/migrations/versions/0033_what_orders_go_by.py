"""what an order goes by: the version of its plan, and its prices"""

import sqlalchemy as sa
from alembic import op

revision = '0033'
down_revision = '0032'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('orders', sa.Column('basis', sa.JSON(), nullable=True))
