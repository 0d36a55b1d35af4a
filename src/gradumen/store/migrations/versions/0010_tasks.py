"""tasks: long work in steps; a bill run is one of them

Before the new code: it leases tasks. Bill runs that wait or were running are tasks that wait.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0010'
down_revision = '0009'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def upgrade() -> None:
    op.create_table('tasks',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=True),
    sa.Column('kind', ascii_text(40), nullable=False),
    sa.Column('subject', sa.String(length=190), nullable=False),
    sa.Column('once', ascii_text(80), nullable=True),
    sa.Column('state', ascii_text(16), nullable=False),
    sa.Column('problem', sa.String(length=1000), nullable=True),
    sa.Column('inputs', sa.JSON(), nullable=False),
    sa.Column('made', sa.BigInteger(), nullable=False),
    sa.Column('total', sa.BigInteger(), nullable=True),
    sa.Column('counted', sa.String(length=40), nullable=False),
    sa.Column('attempts', sa.SmallInteger(), nullable=False),
    sa.Column('not_before', MOMENT, nullable=False),
    sa.Column('lease_until', MOMENT, nullable=True),
    sa.Column('fence', sa.Integer(), nullable=False),
    sa.Column('asked_by', sa.Uuid(), nullable=True),
    sa.Column('asked_at', MOMENT, nullable=False),
    sa.Column('finished_at', MOMENT, nullable=True),
    sa.ForeignKeyConstraint(['asked_by'], ['users.id'], name=op.f('fk_tasks_asked_by'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_tasks_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_tasks')),
    sa.UniqueConstraint('once', name=op.f('uq_tasks_once'))
    )
    op.create_index('ix_tasks_organisation_id_asked_at', 'tasks', ['organisation_id', 'asked_at'])
    op.create_index('ix_tasks_state_not_before', 'tasks', ['state', 'not_before'])
    op.create_table('task_steps',
    sa.Column('task_id', sa.Uuid(), nullable=False),
    sa.Column('position', sa.SmallInteger(), autoincrement=False, nullable=False),
    sa.Column('attempt', sa.SmallInteger(), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('state', ascii_text(16), nullable=False),
    sa.Column('inputs', sa.JSON(), nullable=False),
    sa.Column('result', sa.JSON(), nullable=True),
    sa.Column('log', mysql.MEDIUMTEXT(), nullable=False),
    sa.Column('started_at', MOMENT, nullable=False),
    sa.Column('finished_at', MOMENT, nullable=True),
    sa.ForeignKeyConstraint(['task_id'], ['tasks.id'], name=op.f('fk_task_steps_task_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('task_id', 'position', name=op.f('pk_task_steps'))
    )
    op.execute(
        "INSERT INTO tasks (id, organisation_id, kind, subject, state, problem, inputs, made, counted, attempts, "
        "not_before, fence, asked_by, asked_at, finished_at) "
        "SELECT id, seller_id, 'bill run', period, CASE state WHEN 'finished' THEN 'done' WHEN 'failed' "
        "THEN 'needs a hand' ELSE 'waiting' END, problem, '{}', 0, '', 0, LEAST(started_at, UTC_TIMESTAMP(6)), fence, started_by, started_at, "
        "finished_at FROM bill_runs"
    )
    for column in ('state', 'problem', 'lease_until', 'fence'):
        op.drop_column('bill_runs', column)
    op.create_foreign_key(op.f('fk_bill_runs_id'), 'bill_runs', 'tasks', ['id'], ['id'], ondelete='RESTRICT')
