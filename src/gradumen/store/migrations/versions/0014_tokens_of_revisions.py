"""revisions are tokens, so that processes can keep the tree and what is published

With the new code: stop the service before.
"""

import sqlalchemy as sa
from alembic import op

revision = '0014'
down_revision = '0013'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute('DELETE FROM revisions')
    op.drop_column('revisions', 'number')
    op.add_column('revisions', sa.Column('token', sa.Uuid(), nullable=False))
    op.execute("INSERT INTO revisions (kind, token) VALUES ('tree', UUID()), ('catalogue', UUID())")
