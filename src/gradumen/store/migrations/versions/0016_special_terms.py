"""special terms are called so

With the new code: stop the service before.
"""

from alembic import op

revision = '0016'
down_revision = '0015'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute('ALTER TABLE supply_lines CHANGE deviations special_terms JSON NOT NULL')
