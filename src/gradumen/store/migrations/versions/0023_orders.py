"""customers order by themselves; up to an amount a month at once, else their seller approves"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0023'
down_revision = '0022'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    op.create_table('orders',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('kind', ascii_text(16), nullable=False),
    sa.Column('subscription_id', sa.Uuid(), nullable=True),
    sa.Column('wanted', sa.JSON(), nullable=False),
    sa.Column('amount', sa.DECIMAL(38, 12), nullable=False),
    sa.Column('currency', ascii_text(3), nullable=False),
    sa.Column('at_once', sa.Boolean(), nullable=False),
    sa.Column('reached', sa.Boolean(), nullable=False),
    sa.Column('state', ascii_text(16), nullable=False),
    sa.Column('waits_for', ascii_text(8), nullable=True),
    sa.Column('own_by', sa.Uuid(), nullable=True),
    sa.Column('answer', sa.String(length=1000), nullable=True),
    sa.Column('asked_by', sa.Uuid(), nullable=False),
    sa.Column('asked_at', MOMENT, nullable=False),
    sa.Column('answered_by', sa.Uuid(), nullable=True),
    sa.Column('answered_at', MOMENT, nullable=True),
    of('orders', 'organisation_id', 'organisations'),
    of('orders', 'seller_id', 'organisations'),
    of('orders', 'subscription_id', 'subscriptions'),
    of('orders', 'asked_by', 'users'),
    of('orders', 'own_by', 'users'),
    of('orders', 'answered_by', 'users'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_orders'))
    )
    op.create_index('ix_orders_organisation_id', 'orders', ['organisation_id', 'asked_at'])
    op.create_index('ix_orders_seller_id', 'orders', ['seller_id', 'state'])
    op.create_table('order_policies',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('approver', ascii_text(8), nullable=False),
    sa.Column('currency', ascii_text(3), nullable=False),
    sa.Column('amount', sa.DECIMAL(38, 12), nullable=True),
    of('order_policies', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('organisation_id', 'approver', 'currency', name=op.f('pk_order_policies'))
    )
