"""drafts know by a digest whether they would be made as they are; parts of documents have no index that nothing reads

Before the new code: it writes digests. The code before goes on with it.
"""

import sqlalchemy as sa
from alembic import op

revision = '0061'
down_revision = '0060'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('invoices', sa.Column('digest', sa.String(64, collation='ascii_bin'), nullable=True))
    op.drop_constraint('fk_charge_parts_project_id', 'charge_parts', type_='foreignkey')
    op.drop_index('fk_charge_parts_project_id', 'charge_parts')
