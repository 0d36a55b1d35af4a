"""limits have a dated history; it begins with what holds now"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0021'
down_revision = '0020'
branch_labels = None
depends_on = None


def of(column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_quota_changes_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    op.create_table('quota_changes',
    sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('project_id', sa.Uuid(), nullable=True),
    sa.Column('measure', sa.String(length=32, collation='ascii_bin'), nullable=False),
    sa.Column('limit_value', sa.DECIMAL(38, 6), nullable=True),
    sa.Column('is_set', sa.Boolean(), nullable=False),
    sa.Column('changed_at', mysql.DATETIME(fsp=6), nullable=False),
    of('organisation_id', 'organisations'),
    of('project_id', 'projects'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_quota_changes'))
    )
    op.create_index('ix_quota_changes_organisation_id', 'quota_changes', ['organisation_id', 'id'])
    # Since when they hold is not known before this.
    op.execute(
        "INSERT INTO quota_changes (organisation_id, project_id, measure, limit_value, is_set, changed_at) "
        "SELECT organisation_id, project_id, measure, limit_value, 1, UTC_TIMESTAMP(6) FROM quotas WHERE is_set"
    )
