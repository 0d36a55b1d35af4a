"""rules of ownership that others take the place of are kept: documents go by those of their day"""

import sqlalchemy as sa
from alembic import op

revision = '0065'
down_revision = '0064'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'replaced_ownership_rules',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('organisation_id', sa.Uuid(), nullable=False),
        sa.Column('rules', sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_replaced_ownership_rules_organisation_id'), ondelete='RESTRICT'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_replaced_ownership_rules')),
    )


def downgrade() -> None:
    op.drop_table('replaced_ownership_rules')
