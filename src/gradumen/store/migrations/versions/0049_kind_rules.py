"""rules that say of what kind readings are, and what they were sent as"""

import sqlalchemy as sa
from alembic import op

revision = '0049'
down_revision = '0048'
branch_labels = None
depends_on = None

NAME = sa.String(191, collation='utf8mb4_bin')


def upgrade() -> None:
    op.create_table(
        'kind_rule_lists',
        sa.Column('organisation_id', sa.Uuid(), nullable=False),
        sa.Column('version', sa.Integer(), nullable=False),
        sa.Column('tried', sa.Uuid(), nullable=True),
        sa.ForeignKeyConstraint(
            ['organisation_id'], ['organisations.id'], name=op.f('fk_kind_rule_lists_organisation_id'),
            ondelete='RESTRICT',
        ),
        sa.PrimaryKeyConstraint('organisation_id', name=op.f('pk_kind_rule_lists')),
    )
    op.create_table(
        'kind_rules',
        sa.Column('organisation_id', sa.Uuid(), nullable=False),
        sa.Column('position', sa.SmallInteger(), nullable=False),
        sa.Column('name', sa.String(120), nullable=False),
        sa.Column('starts_on', sa.Date(), nullable=False),
        sa.Column('ends_on', sa.Date(), nullable=True),
        sa.Column('conditions', sa.JSON(), nullable=False),
        sa.Column('kind', sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ['organisation_id'], ['organisations.id'], name=op.f('fk_kind_rules_organisation_id'), ondelete='RESTRICT'
        ),
        sa.PrimaryKeyConstraint('organisation_id', 'position', name=op.f('pk_kind_rules')),
    )
    op.create_table(
        'read_again',
        sa.Column('delivery_id', sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column('position', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('sent_delivery_id', sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint('delivery_id', 'position', name=op.f('pk_read_again')),
    )
    op.create_index('ix_read_again_sent_delivery_id', 'read_again', ['sent_delivery_id'])
    op.add_column('origins', sa.Column('sent_meter', NAME, nullable=True))
    op.add_column('origins', sa.Column('sent_unit', NAME, nullable=True))
    op.add_column('origins', sa.Column('sent_set_id', sa.Integer(), nullable=True))
    op.add_column('origins', sa.Column('factor', sa.String(191, collation='ascii_bin'), nullable=True))
    op.add_column(
        'deliveries', sa.Column('is_read_again', sa.Boolean(), nullable=False, server_default=sa.text('0'))
    )
    op.alter_column('deliveries', 'is_read_again', existing_type=sa.Boolean(), existing_nullable=False, server_default=None)

