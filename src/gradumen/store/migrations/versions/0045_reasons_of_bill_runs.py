"""why a period was closed though feeds lacked something"""

import sqlalchemy as sa
from alembic import op

revision = '0045'
down_revision = '0044'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('bill_runs', sa.Column('reason', sa.String(500), nullable=True))
