"""charges are kept current by pair of seller and buyer and period; what is billed of a pair is a revision

With the new code: stop the service before. A period that was billed as it is today stays billed; all are rated again.
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0013'
down_revision = '0012'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)
QUANTITY: sa.Numeric[Any] = sa.DECIMAL(38, 6)
AMOUNT: sa.Numeric[Any] = sa.DECIMAL(38, 12)
FIGURE: sa.Numeric[Any] = sa.DECIMAL(50, 12)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def key(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), autoincrement=False, nullable=False)


def upgrade() -> None:
    op.create_table('pairs',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('buyer_id', sa.Uuid(), nullable=False),
    sa.Column('period', ascii_text(7), nullable=False),
    sa.Column('wanted', sa.BigInteger(), nullable=False),
    sa.Column('rated', sa.BigInteger(), nullable=False),
    sa.Column('billed', sa.BigInteger(), nullable=False),
    sa.Column('generation', sa.Integer(), nullable=False),
    sa.Column('fence', sa.Integer(), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('stale_since', MOMENT, nullable=True),
    sa.Column('rated_at', MOMENT, nullable=True),
    sa.Column('not_before', MOMENT, nullable=True),
    sa.Column('lease_until', MOMENT, nullable=True),
    sa.Column('problem', sa.String(length=1000), nullable=True),
    sa.Column('delivery_id', sa.BigInteger(), nullable=False),
    sa.ForeignKeyConstraint(['seller_id'], ['organisations.id'], name=op.f('fk_pairs_seller_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['buyer_id'], ['organisations.id'], name=op.f('fk_pairs_buyer_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_pairs')),
    sa.UniqueConstraint('seller_id', 'buyer_id', 'period', name=op.f('uq_pairs_seller_id_buyer_id_period'))
    )
    op.create_index('ix_pairs_stale_since', 'pairs', ['stale_since'])
    op.create_index('ix_pairs_seller_id_period', 'pairs', ['seller_id', 'period'])
    op.create_table('current_charges',
    key('pair_id'), key('generation'), key('position'),
    sa.Column('supply_line_id', sa.Uuid(), nullable=False),
    sa.Column('rate_card_version_id', sa.Uuid(), nullable=False),
    sa.Column('kind', ascii_text(20), nullable=False),
    sa.Column('rate', ascii_text(63), nullable=False),
    sa.Column('project_number', sa.Integer(), nullable=True),
    sa.Column('meter', ascii_text(127), nullable=True),
    sa.Column('unit', sa.String(length=60), nullable=False),
    sa.Column('quantity', QUANTITY, nullable=False),
    sa.Column('covered', QUANTITY, nullable=False),
    sa.Column('before', FIGURE, nullable=False),
    sa.Column('true_up', QUANTITY, nullable=False),
    sa.Column('spread_key', QUANTITY, nullable=False),
    sa.Column('amount', AMOUNT, nullable=False),
    sa.Column('shared_quantity', QUANTITY, nullable=True),
    sa.Column('shared_amount', AMOUNT, nullable=True),
    sa.Column('advance', sa.Boolean(), nullable=False),
    sa.Column('service_start', MOMENT, nullable=False),
    sa.Column('service_end', MOMENT, nullable=False),
    sa.Column('blocks', sa.JSON(), nullable=False),
    sa.Column('adjustments', sa.JSON(), nullable=False),
    sa.Column('attribute_sets', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('pair_id', 'generation', 'position', name=op.f('pk_current_charges'))
    )
    op.create_table('current_parts',
    key('pair_id'), key('generation'), key('charge_position'), key('position'),
    sa.Column('project_number', sa.Integer(), nullable=True),
    sa.Column('resource_id', sa.Integer(), nullable=True),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('quantity', QUANTITY, nullable=False),
    sa.Column('amount', AMOUNT, nullable=False),
    sa.PrimaryKeyConstraint('pair_id', 'generation', 'charge_position', 'position', name=op.f('pk_current_parts'))
    )
    op.create_table('not_priced',
    key('pair_id'), key('generation'), key('position'),
    sa.Column('supply_line_id', sa.Uuid(), nullable=True),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('project_number', sa.Integer(), nullable=True),
    sa.Column('meter', ascii_text(127), nullable=False),
    sa.Column('attribute_set_id', sa.Integer(), nullable=True),
    sa.Column('quantity', QUANTITY, nullable=False),
    sa.PrimaryKeyConstraint('pair_id', 'generation', 'position', name=op.f('pk_not_priced'))
    )
    op.create_table('drafted_pairs',
    sa.Column('invoice_id', sa.Uuid(), nullable=False),
    sa.Column('pair_id', sa.Integer(), nullable=False),
    sa.Column('revision', sa.BigInteger(), nullable=False),
    sa.ForeignKeyConstraint(['invoice_id'], ['invoices.id'], name=op.f('fk_drafted_pairs_invoice_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['pair_id'], ['pairs.id'], name=op.f('fk_drafted_pairs_pair_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('invoice_id', 'pair_id', name=op.f('pk_drafted_pairs'))
    )
    op.create_index(op.f('ix_drafted_pairs_pair_id'), 'drafted_pairs', ['pair_id'])
    carry_over()
    op.drop_table('rated_periods')
    op.drop_table('usage_revisions')


def carry_over() -> None:
    """Every month of what is sold becomes a pair; where the last run rated a month as it is now, it is billed."""
    for buyer in ('l.buyer_id', 'l.seller_id'):
        op.execute(
            'INSERT IGNORE INTO pairs (seller_id, buyer_id, period, wanted, rated, billed, generation, fence, version, '
            'stale_since, delivery_id) '
            f"SELECT DISTINCT l.seller_id, {buyer}, DATE_FORMAT(r.month, '%Y-%m'), 1, 0, 0, 0, 0, 0, UTC_TIMESTAMP(6), 0 "
            'FROM supply_lines l JOIN subscriptions s ON s.id = l.subscription_id '
            'JOIN usage_revisions r ON r.organisation_id = s.organisation_id'
        )
    op.execute(
        'CREATE TABLE billed_before AS SELECT b.seller_id, p.period FROM rated_periods p '
        'JOIN bill_runs b ON b.id = p.bill_run_id WHERE p.revision = (SELECT COALESCE(SUM(r.revision), 0) '
        "FROM usage_revisions r WHERE r.month BETWEEN DATE(CONCAT(p.period, '-01')) - INTERVAL 1 MONTH "
        "AND DATE(CONCAT(p.period, '-01')) + INTERVAL 1 MONTH AND r.organisation_id IN (SELECT s.organisation_id "
        'FROM subscriptions s JOIN supply_lines l ON l.subscription_id = s.id WHERE l.seller_id = b.seller_id)) '
        "AND NOT EXISTS (SELECT 1 FROM invoices i WHERE i.bill_run_id = b.id AND i.state = 'draft')"
    )
    op.execute(
        'UPDATE pairs JOIN billed_before b ON b.seller_id = pairs.seller_id AND b.period = pairs.period '
        'SET pairs.billed = pairs.wanted'
    )
    op.execute('DROP TABLE billed_before')
