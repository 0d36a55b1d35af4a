"""what customers ordered, and what a withdrawn move left, is rated"""

from alembic import op

revision = '0056'
down_revision = '0055'
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Changes by orders, moves that were withdrawn and projects placed elsewhere had not had their months rated.
    op.execute('UPDATE pairs SET stale_since = UTC_TIMESTAMP(6), not_before = NULL WHERE stale_since IS NULL')
