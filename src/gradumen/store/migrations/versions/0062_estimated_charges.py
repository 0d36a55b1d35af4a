"""which charges have estimates in them is found by an index: few ever have

Before or after the new code, as one likes.
"""

from alembic import op

revision = '0062'
down_revision = '0061'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index('ix_current_charges_estimated', 'current_charges', ['estimated'])
