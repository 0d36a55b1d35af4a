"""supply lines from a day on, charges per project, drafts of the catalogue

Before the new code: it reads the columns added here.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0002'
down_revision = '0001'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('charges', sa.Column('project_id', sa.Uuid(), nullable=True))
    op.create_foreign_key(op.f('fk_charges_project_id'), 'charges', 'projects', ['project_id'], ['id'], ondelete='RESTRICT')
    op.add_column('supply_lines', sa.Column('starts_on', sa.Date(), nullable=True))
    op.add_column('supply_lines', sa.Column('quantity', sa.Integer(), nullable=True))
    op.add_column('supply_lines', sa.Column('paused', sa.Boolean(), nullable=False, server_default=sa.text('0')))
    op.add_column('supply_lines', sa.Column('trial', sa.Boolean(), nullable=False, server_default=sa.text('0')))
    op.execute(
        'UPDATE supply_lines l JOIN subscriptions s ON s.id = l.subscription_id '
        'SET l.starts_on = s.starts_on, l.quantity = s.quantity'
    )
    op.alter_column('supply_lines', 'starts_on', existing_type=sa.Date(), nullable=False)
    op.alter_column('supply_lines', 'quantity', existing_type=sa.Integer(), nullable=False)
    op.alter_column('supply_lines', 'paused', existing_type=sa.Boolean(), nullable=False, server_default=None)
    op.alter_column('supply_lines', 'trial', existing_type=sa.Boolean(), nullable=False, server_default=None)
    op.create_unique_constraint(op.f('uq_supply_lines_subscription_id_depth_starts_on'), 'supply_lines', ['subscription_id', 'depth', 'starts_on'])
    op.drop_constraint(op.f('uq_supply_lines_subscription_id_depth'), 'supply_lines', type_='unique')
    op.drop_column('subscriptions', 'quantity')
    op.create_table('catalogue_drafts',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('kind', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('slug', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.Column('form', sa.JSON(), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('edited_by', sa.Uuid(), nullable=False),
    sa.Column('edited_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['edited_by'], ['users.id'], name=op.f('fk_catalogue_drafts_edited_by'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_catalogue_drafts_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_catalogue_drafts')),
    sa.UniqueConstraint('organisation_id', 'kind', 'slug', name=op.f('uq_catalogue_drafts_organisation_id_kind_slug'))
    )
