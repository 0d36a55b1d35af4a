"""projects as trees with named levels and people, and cost centres from days on"""

import sqlalchemy as sa
from alembic import op

revision = '0029'
down_revision = '0028'
branch_labels = None
depends_on = None


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    op.add_column('projects', sa.Column('parent_id', sa.Uuid(), nullable=True))
    op.create_foreign_key(
        op.f('fk_projects_parent_id'), 'projects', 'projects', ['parent_id'], ['id'], ondelete='RESTRICT'
    )
    op.add_column('projects', sa.Column('version', sa.Integer(), server_default='1', nullable=False))
    op.alter_column('projects', 'version', server_default=None, existing_type=sa.Integer(), existing_nullable=False)
    op.create_table('project_levels',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('level', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('name', sa.String(length=60), nullable=False),
    of('project_levels', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('organisation_id', 'level', name=op.f('pk_project_levels'))
    )
    op.create_table('project_people',
    sa.Column('project_id', sa.Uuid(), nullable=False),
    sa.Column('user_id', sa.Uuid(), nullable=False),
    sa.Column('is_owner', sa.Boolean(), nullable=False),
    of('project_people', 'project_id', 'projects'),
    of('project_people', 'user_id', 'users'),
    sa.PrimaryKeyConstraint('project_id', 'user_id', name=op.f('pk_project_people'))
    )
    op.create_table('cost_centres',
    sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('project_id', sa.Uuid(), nullable=True),
    sa.Column('starts_on', sa.Date(), nullable=False),
    sa.Column('cost_centre', sa.String(length=60), nullable=True),
    of('cost_centres', 'organisation_id', 'organisations'),
    of('cost_centres', 'project_id', 'projects'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_cost_centres'))
    )
    op.create_index(
        op.f('ix_cost_centres_organisation_id'), 'cost_centres', ['organisation_id', 'project_id', 'starts_on']
    )
