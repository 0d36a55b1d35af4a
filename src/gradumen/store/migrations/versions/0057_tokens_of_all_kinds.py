"""every kind of things that processes keep has its token from the beginning, the business clock too"""

from alembic import op

revision = '0057'
down_revision = '0056'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        "INSERT IGNORE INTO revisions (kind, token) VALUES "
        "('clock', UUID()), ('feeds', UUID()), ('kind rules', UUID()), ('measures', UUID())"
    )
