"""customers ask their sellers for other limits"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0020'
down_revision = '0019'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def quantity() -> sa.DECIMAL[Any]:
    return sa.DECIMAL(38, 6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def of(column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_quota_requests_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    op.create_table('quota_requests',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('measure', ascii_text(32), nullable=False),
    sa.Column('asked', quantity(), nullable=False),
    sa.Column('reason', sa.String(length=1000), nullable=False),
    sa.Column('state', ascii_text(16), nullable=False),
    sa.Column('answered', quantity(), nullable=True),
    sa.Column('answer', sa.String(length=1000), nullable=True),
    sa.Column('asked_by', sa.Uuid(), nullable=False),
    sa.Column('asked_at', MOMENT, nullable=False),
    sa.Column('answered_by', sa.Uuid(), nullable=True),
    sa.Column('answered_at', MOMENT, nullable=True),
    of('organisation_id', 'organisations'),
    of('seller_id', 'organisations'),
    of('asked_by', 'users'),
    of('answered_by', 'users'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_quota_requests'))
    )
    op.create_index('ix_quota_requests_organisation_id', 'quota_requests', ['organisation_id', 'asked_at'])
    op.create_index('ix_quota_requests_seller_id', 'quota_requests', ['seller_id', 'state'])
