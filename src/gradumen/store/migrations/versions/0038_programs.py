"""services that a member orders and sells; programs that are planned with an invitation"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0038'
down_revision = '0037'
branch_labels = None
depends_on = None


def of(column: str, target: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=op.f(f'fk_programs_{column}'), ondelete='RESTRICT')


def upgrade() -> None:
    for table in ('members', 'invitations'):
        op.add_column(table, sa.Column('services', sa.JSON(none_as_null=True), nullable=True))
    op.create_table('programs',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('invitation_id', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('role', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('days', sa.Integer(), nullable=False),
    sa.Column('token_id', sa.Uuid(), nullable=True),
    sa.Column('dropped_at', mysql.DATETIME(fsp=6), nullable=True),
    of('invitation_id', 'invitations'),
    of('token_id', 'tokens'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_programs'))
    )
