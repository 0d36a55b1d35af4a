"""stored charges keep the hash of what they were made from, so that drafts copy their parts inside the database

With the new code: stop the service before. All pairs are rated again; what is billed of them stays billed.
"""

import sqlalchemy as sa
from alembic import op

revision = '0015'
down_revision = '0014'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        'current_charges', sa.Column('evidence', sa.String(length=64, collation='ascii_bin'), nullable=False)
    )
    op.execute('UPDATE pairs SET stale_since = UTC_TIMESTAMP(6), not_before = NULL WHERE stale_since IS NULL')
