"""costs that suppliers' files state, in sets that replace each other; exchange rates"""

from decimal import Decimal

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0037'
down_revision = '0036'
branch_labels = None
depends_on = None


def name() -> sa.String:
    return sa.String(length=191, collation='utf8mb4_bin')


def code(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def amount() -> sa.types.TypeEngine[Decimal]:
    return sa.DECIMAL(precision=38, scale=12)


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    label = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=label, ondelete='RESTRICT')


def upgrade() -> None:
    op.add_column('feeds', sa.Column('cost_meter_id', sa.Integer(), nullable=True))
    op.create_table('cost_sets',
    sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
    sa.Column('feed_id', sa.Integer(), nullable=False),
    sa.Column('account', name(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('revision', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('delivery_id', sa.BigInteger(), nullable=False),
    sa.Column('is_current', sa.Boolean(), nullable=True),
    sa.Column('stale_since', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('rows', sa.Integer(), nullable=False),
    sa.Column('weight', amount(), nullable=False),
    of('cost_sets', 'feed_id', 'feeds'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_cost_sets')),
    sa.UniqueConstraint('feed_id', 'account', 'day', 'is_current', name=op.f('uq_cost_sets_feed_id_account_day_is_current'))
    )
    op.create_index('ix_cost_sets_delivery_id', 'cost_sets', ['delivery_id'])
    op.create_index('ix_cost_sets_stale_since', 'cost_sets', ['stale_since'])
    op.create_table('cost_rows',
    sa.Column('set_id', sa.BigInteger(), autoincrement=False, nullable=False),
    sa.Column('position', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('month', sa.Date(), nullable=False),
    sa.Column('resource_id', sa.Integer(), nullable=False),
    sa.Column('origin_id', sa.Integer(), nullable=False),
    sa.Column('attribute_set_id', sa.Integer(), nullable=False),
    sa.Column('category', code(12), nullable=False),
    sa.Column('correction', sa.Boolean(), nullable=False),
    sa.Column('commitment', sa.Boolean(), nullable=False),
    sa.Column('currency', code(3), nullable=False),
    sa.Column('billed', amount(), nullable=False),
    sa.Column('effective', amount(), nullable=False),
    sa.Column('listed', amount(), nullable=False),
    sa.Column('contracted', amount(), nullable=False),
    sa.Column('quantity', amount(), nullable=True),
    sa.Column('unit', sa.String(length=60), nullable=True),
    sa.Column('invoice', sa.String(length=120), nullable=True),
    sa.PrimaryKeyConstraint('set_id', 'position', name=op.f('pk_cost_rows'))
    )
    op.create_table('cost_days',
    sa.Column('set_id', sa.BigInteger(), autoincrement=False, nullable=False),
    sa.Column('number', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('project_number', sa.Integer(), nullable=False),
    sa.Column('month', sa.Date(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('meter_id', sa.Integer(), nullable=False),
    sa.Column('resource_id', sa.Integer(), nullable=False),
    sa.Column('origin_id', sa.Integer(), nullable=False),
    sa.Column('attribute_set_id', sa.Integer(), nullable=False),
    sa.Column('category', code(12), nullable=False),
    sa.Column('commitment', sa.Boolean(), nullable=False),
    sa.Column('currency', code(3), nullable=False),
    sa.Column('billed', amount(), nullable=False),
    sa.Column('effective', amount(), nullable=False),
    sa.Column('sold_billed', amount(), nullable=True),
    sa.Column('sold_effective', amount(), nullable=True),
    sa.Column('rows', sa.Integer(), nullable=False),
    sa.PrimaryKeyConstraint('set_id', 'number', name=op.f('pk_cost_days'))
    )
    op.create_index('ix_cost_days_project_number_month', 'cost_days', ['project_number', 'month'])
    op.create_table('exchange_rates',
    sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('currency', code(3), nullable=False),
    sa.Column('into', code(3), nullable=False),
    sa.Column('starts_on', sa.Date(), nullable=False),
    sa.Column('rate', amount(), nullable=False),
    sa.Column('source', sa.String(length=120), nullable=False),
    sa.Column('set_at', mysql.DATETIME(fsp=6), nullable=False),
    of('exchange_rates', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_exchange_rates')),
    sa.UniqueConstraint('organisation_id', 'currency', 'into', 'starts_on',
                        name=op.f('uq_exchange_rates_organisation_id_currency_into_starts_on'))
    )
