"""usage is kept by quarters of an hour where somebody's clocks are not on the full hour with UTC's"""

from alembic import op

revision = '0022'
down_revision = '0021'
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Longer text of the same kind is a change of the table's description alone.
    op.execute('ALTER TABLE usage_days MODIFY slots VARBINARY(1536) NOT NULL')
