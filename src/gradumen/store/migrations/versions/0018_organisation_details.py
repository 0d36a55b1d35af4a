"""organisations have details, states, and what their seller writes down about them"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0018'
down_revision = '0017'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def of(table: str, column: str, target: str = 'organisations') -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=op.f(f'fk_{table}_{column}'), ondelete='RESTRICT')


def upgrade() -> None:
    op.create_table('organisation_states',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('starts_at', MOMENT, nullable=False),
    sa.Column('state', ascii_text(16), nullable=False),
    sa.Column('reason', sa.String(length=300), nullable=True),
    sa.Column('set_at', MOMENT, nullable=False),
    of('organisation_states', 'organisation_id'),
    sa.PrimaryKeyConstraint('organisation_id', 'starts_at', name=op.f('pk_organisation_states'))
    )
    op.create_table('organisation_details',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('legal_name', sa.String(length=200), nullable=True),
    sa.Column('registration', sa.String(length=60), nullable=True),
    sa.Column('tax_id', ascii_text(30), nullable=True),
    sa.Column('street', sa.String(length=320), nullable=True),
    sa.Column('postal_code', sa.String(length=20), nullable=True),
    sa.Column('town', sa.String(length=100), nullable=True),
    sa.Column('region', sa.String(length=100), nullable=True),
    sa.Column('email', ascii_text(200), nullable=True),
    sa.Column('phone', ascii_text(40), nullable=True),
    sa.Column('language', ascii_text(12), nullable=True),
    sa.Column('payer_id', sa.Uuid(), nullable=True),
    sa.Column('version', sa.Integer(), nullable=False),
    of('organisation_details', 'organisation_id'),
    of('organisation_details', 'payer_id'),
    sa.PrimaryKeyConstraint('organisation_id', name=op.f('pk_organisation_details'))
    )
    op.create_table('billing_contacts',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('email', ascii_text(200), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    of('billing_contacts', 'organisation_id'),
    sa.PrimaryKeyConstraint('organisation_id', 'email', name=op.f('pk_billing_contacts'))
    )
    op.create_table('buyer_notes',
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('buyer_id', sa.Uuid(), nullable=False),
    sa.Column('notes', sa.Text(), nullable=False),
    of('buyer_notes', 'seller_id'),
    of('buyer_notes', 'buyer_id'),
    sa.PrimaryKeyConstraint('seller_id', 'buyer_id', name=op.f('pk_buyer_notes'))
    )
    op.create_table('buyer_tags',
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('tag', sa.String(length=40, collation='utf8mb4_bin'), nullable=False),
    sa.Column('buyer_id', sa.Uuid(), nullable=False),
    of('buyer_tags', 'seller_id'),
    of('buyer_tags', 'buyer_id'),
    sa.PrimaryKeyConstraint('seller_id', 'tag', 'buyer_id', name=op.f('pk_buyer_tags'))
    )
    op.create_index('ix_buyer_tags_buyer_id', 'buyer_tags', ['buyer_id', 'seller_id'])
