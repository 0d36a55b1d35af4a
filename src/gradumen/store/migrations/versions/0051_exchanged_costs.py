"""by what a cost in another currency than its card's was exchanged"""

import sqlalchemy as sa
from alembic import op

revision = '0051'
down_revision = '0050'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('current_charges', sa.Column('exchange', sa.JSON(none_as_null=True), nullable=True))
