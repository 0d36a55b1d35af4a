"""usage that is charged with a composite, or as its components"""

import sqlalchemy as sa
from alembic import op

revision = '0053'
down_revision = '0052'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'charged_together',
        sa.Column('pair_id', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('generation', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('position', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('supply_line_id', sa.Uuid(), nullable=True),
        sa.Column('organisation_id', sa.Uuid(), nullable=False),
        sa.Column('project_number', sa.Integer(), nullable=False),
        sa.Column('meter', sa.String(length=127, collation='ascii_bin'), nullable=False),
        sa.Column('attribute_set_id', sa.Integer(), nullable=False),
        sa.Column('resource_id', sa.Integer(), nullable=False),
        sa.Column('composite_id', sa.Integer(), nullable=True),
        sa.Column('quantity', sa.Numeric(precision=38, scale=6), nullable=False),
        sa.Column('hours', sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint('pair_id', 'generation', 'position'),
    )
