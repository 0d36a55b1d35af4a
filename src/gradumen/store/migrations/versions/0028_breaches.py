"""soft limits with grace, and breaches of limits by metered use with what is done about them"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0028'
down_revision = '0027'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    op.add_column('quotas', sa.Column('soft_limit', sa.DECIMAL(38, 6), nullable=True))
    op.add_column('quotas', sa.Column('grace_days', sa.Integer(), nullable=True))
    op.create_table('breaches',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('holder_id', sa.Uuid(), nullable=False),
    sa.Column('measure', ascii_text(32), nullable=False),
    sa.Column('is_open', sa.Boolean(), nullable=True),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('project_id', sa.Uuid(), nullable=True),
    sa.Column('giver_id', sa.Uuid(), nullable=True),
    sa.Column('crossed', ascii_text(16), nullable=False),
    sa.Column('limit_value', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('used', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('most', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('opened_at', MOMENT, nullable=False),
    sa.Column('seen_at', MOMENT, nullable=False),
    sa.Column('grace_until', MOMENT, nullable=True),
    sa.Column('told_over', sa.Boolean(), nullable=False),
    sa.Column('closed_at', MOMENT, nullable=True),
    of('breaches', 'organisation_id', 'organisations'),
    of('breaches', 'project_id', 'projects'),
    of('breaches', 'giver_id', 'organisations'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_breaches')),
    sa.UniqueConstraint('holder_id', 'measure', 'is_open', name=op.f('uq_breaches_holder_id_measure_is_open'))
    )
    for columns in (['organisation_id', 'opened_at'], ['giver_id', 'opened_at'], ['is_open']):
        op.create_index(op.f(f'ix_breaches_{"_".join(columns)}'), 'breaches', columns)
    op.create_table('breach_notes',
    sa.Column('breach_id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('note', sa.String(length=1000), nullable=False),
    sa.Column('noted_by', sa.Uuid(), nullable=False),
    sa.Column('noted_at', MOMENT, nullable=False),
    of('breach_notes', 'breach_id', 'breaches'),
    of('breach_notes', 'organisation_id', 'organisations'),
    of('breach_notes', 'noted_by', 'users'),
    sa.PrimaryKeyConstraint('breach_id', 'organisation_id', name=op.f('pk_breach_notes'))
    )
