"""measures that the provider defines"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0031'
down_revision = '0030'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def upgrade() -> None:
    op.create_table('measures',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('slug', ascii_text(32), nullable=False),
    sa.Column('unit', sa.String(length=30), nullable=False),
    sa.Column('kind', ascii_text(16), nullable=False),
    sa.Column('base', sa.String(length=30), nullable=False),
    sa.Column('defined_at', MOMENT, nullable=False),
    sa.Column('retired_at', MOMENT, nullable=True),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_measures')),
    sa.UniqueConstraint('slug', name=op.f('uq_measures_slug'))
    )
    op.execute("INSERT INTO revisions (kind, token) VALUES ('measures', UUID())")
