"""rules that say whose usage is that names no owner"""

import sqlalchemy as sa
from alembic import op

revision = '0034'
down_revision = '0033'
branch_labels = None
depends_on = None


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    op.create_table('ownership_rule_lists',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    of('ownership_rule_lists', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('organisation_id', name=op.f('pk_ownership_rule_lists'))
    )
    op.create_table('ownership_rules',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('position', sa.SmallInteger(), autoincrement=False, nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('project_id', sa.Uuid(), nullable=False),
    sa.Column('starts_on', sa.Date(), nullable=False),
    sa.Column('ends_on', sa.Date(), nullable=True),
    sa.Column('conditions', sa.JSON(), nullable=False),
    of('ownership_rules', 'organisation_id', 'organisations'),
    of('ownership_rules', 'project_id', 'projects'),
    sa.PrimaryKeyConstraint('organisation_id', 'position', name=op.f('pk_ownership_rules'))
    )
