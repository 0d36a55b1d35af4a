"""clouds and pools that are set aside for one organisation, and projects that are held to sites"""

import sqlalchemy as sa
from alembic import op

revision = '0030'
down_revision = '0029'
branch_labels = None
depends_on = None


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    for table in ('clouds', 'pools'):
        op.add_column(table, sa.Column('set_aside_id', sa.Uuid(), nullable=True))
        op.create_foreign_key(
            op.f(f'fk_{table}_set_aside_id'), table, 'organisations', ['set_aside_id'], ['id'], ondelete='RESTRICT'
        )
    op.create_table('project_sites',
    sa.Column('project_id', sa.Uuid(), nullable=False),
    sa.Column('site_id', sa.Uuid(), nullable=False),
    of('project_sites', 'project_id', 'projects'),
    of('project_sites', 'site_id', 'sites'),
    sa.PrimaryKeyConstraint('project_id', 'site_id', name=op.f('pk_project_sites'))
    )
