"""organisations move to other sellers from a day on: who plans it, what is sold on which link until when"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0026'
down_revision = '0025'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    op.create_table('moves',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('from_id', sa.Uuid(), nullable=False),
    sa.Column('to_id', sa.Uuid(), nullable=False),
    sa.Column('decided_for_id', sa.Uuid(), nullable=False),
    sa.Column('starts_on', sa.Date(), nullable=False),
    sa.Column('starts_at', MOMENT, nullable=False),
    sa.Column('state', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('reason', sa.String(length=1000), nullable=False),
    sa.Column('ended', sa.JSON(), nullable=False),
    sa.Column('planned_by', sa.Uuid(), nullable=False),
    sa.Column('planned_at', MOMENT, nullable=False),
    sa.Column('ended_at', MOMENT, nullable=True),
    of('moves', 'organisation_id', 'organisations'),
    of('moves', 'from_id', 'organisations'),
    of('moves', 'to_id', 'organisations'),
    of('moves', 'decided_for_id', 'organisations'),
    of('moves', 'planned_by', 'users'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_moves'))
    )
    op.create_index('ix_moves_organisation_id', 'moves', ['organisation_id', 'starts_at'])
    op.create_index('ix_moves_state_starts_at', 'moves', ['state', 'starts_at'])
    op.add_column('supply_lines', sa.Column('ends_on', sa.Date(), nullable=True))
    op.add_column('supply_lines', sa.Column('opens_at', MOMENT, nullable=True))
    op.add_column('supply_lines', sa.Column('closes_at', MOMENT, nullable=True))
    op.add_column('supply_lines', sa.Column('void', sa.Boolean(), nullable=False, server_default=sa.text('0')))
    op.alter_column('supply_lines', 'void', server_default=None, existing_type=sa.Boolean(), existing_nullable=False)
    # First the new one: a foreign key always needs one.
    columns = ['subscription_id', 'depth', 'starts_on', 'seller_id', 'buyer_id']
    op.create_unique_constraint('uq_supply_lines_link', 'supply_lines', columns)
    op.drop_constraint(op.f('uq_supply_lines_subscription_id_depth_starts_on'), 'supply_lines', type_='unique')
    op.add_column('quotas', sa.Column('next_giver_id', sa.Uuid(), nullable=True))
    op.create_foreign_key(
        op.f('fk_quotas_next_giver_id'), 'quotas', 'organisations', ['next_giver_id'], ['id'], ondelete='RESTRICT'
    )
