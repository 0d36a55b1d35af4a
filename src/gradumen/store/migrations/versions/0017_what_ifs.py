"""what-ifs are tasks, whose outcome is kept for a while"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0017'
down_revision = '0016'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def upgrade() -> None:
    op.create_table('what_ifs',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('period', ascii_text(7), nullable=False),
    sa.Column('cards', sa.JSON(), nullable=False),
    sa.Column('asked_by', sa.Uuid(), nullable=False),
    sa.Column('asked_at', MOMENT, nullable=False),
    sa.ForeignKeyConstraint(['asked_by'], ['users.id'], name=op.f('fk_what_ifs_asked_by'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['id'], ['tasks.id'], name=op.f('fk_what_ifs_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['seller_id'], ['organisations.id'], name=op.f('fk_what_ifs_seller_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_what_ifs'))
    )
    op.create_index('ix_what_ifs_seller_id_asked_at', 'what_ifs', ['seller_id', 'asked_at'])
    op.create_table('what_if_amounts',
    sa.Column('what_if_id', sa.Uuid(), nullable=False),
    sa.Column('buyer_id', sa.Uuid(), nullable=False),
    sa.Column('service', ascii_text(63), nullable=False),
    sa.Column('currency', ascii_text(3), nullable=False),
    sa.Column('before', sa.DECIMAL(38, 12), nullable=False),
    sa.Column('after', sa.DECIMAL(38, 12), nullable=False),
    sa.ForeignKeyConstraint(['what_if_id'], ['what_ifs.id'], name=op.f('fk_what_if_amounts_what_if_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('what_if_id', 'buyer_id', 'service', 'currency', name=op.f('pk_what_if_amounts'))
    )
    op.create_table('what_if_gaps',
    sa.Column('what_if_id', sa.Uuid(), nullable=False),
    sa.Column('buyer_id', sa.Uuid(), nullable=False),
    sa.Column('meter', ascii_text(127), nullable=False),
    sa.ForeignKeyConstraint(['what_if_id'], ['what_ifs.id'], name=op.f('fk_what_if_gaps_what_if_id'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('what_if_id', 'buyer_id', 'meter', name=op.f('pk_what_if_gaps'))
    )
