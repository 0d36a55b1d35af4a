"""slugs of services and plans are one namespace; a row that every change of the catalogue writes

Before the new code: it writes the table added here. Where two sellers published the same slug at the same moment,
which no code meant to allow, the migration stops and names it.
"""

import sqlalchemy as sa
from alembic import op

revision = '0005'
down_revision = '0004'
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ('services', 'plans'):
        twice = op.get_bind().scalars(sa.text(f'SELECT slug FROM {table} GROUP BY slug HAVING COUNT(*) > 1')).all()
        if twice:
            raise RuntimeError(f"{table} with one slug and two sellers: {', '.join(twice)}; rename one of each first")
    op.create_table('revisions',
    sa.Column('kind', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.PrimaryKeyConstraint('kind', name=op.f('pk_revisions'))
    )
    for table in ('services', 'plans'):
        # The foreign key needs an index of its own once the one that it shared is gone.
        op.create_index(f'fk_{table}_organisation_id', table, ['organisation_id'])
        op.drop_index(f'uq_{table}_organisation_id_slug', table)
        op.create_unique_constraint(op.f(f'uq_{table}_slug'), table, ['slug'])
