"""sites where capacity is, who may use which, pools of capacity, and limits by site and pool"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0027'
down_revision = '0026'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    op.create_table('sites',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('slug', ascii_text(63), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('place', sa.String(length=120), nullable=True),
    sa.Column('zone', ascii_text(64), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('retired_at', MOMENT, nullable=True),
    of('sites', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_sites')),
    sa.UniqueConstraint('organisation_id', 'slug', name=op.f('uq_sites_organisation_id_slug'))
    )
    op.create_table('permitted_sites',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('site_id', sa.Uuid(), nullable=False),
    of('permitted_sites', 'organisation_id', 'organisations'),
    of('permitted_sites', 'site_id', 'sites'),
    sa.PrimaryKeyConstraint('organisation_id', 'site_id', name=op.f('pk_permitted_sites'))
    )
    op.create_table('pools',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('site_id', sa.Uuid(), nullable=False),
    sa.Column('slug', ascii_text(63), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('measure', ascii_text(32), nullable=False),
    sa.Column('capacity', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('factor', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('behind', sa.String(length=300), nullable=True),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('retired_at', MOMENT, nullable=True),
    of('pools', 'organisation_id', 'organisations'),
    of('pools', 'site_id', 'sites'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_pools')),
    sa.UniqueConstraint('organisation_id', 'slug', name=op.f('uq_pools_organisation_id_slug'))
    )
    op.create_table('site_quotas',
    sa.Column('holder_id', sa.Uuid(), nullable=False),
    sa.Column('measure', ascii_text(32), nullable=False),
    sa.Column('spot_id', sa.Uuid(), nullable=False),
    sa.Column('site_id', sa.Uuid(), nullable=False),
    sa.Column('pool_id', sa.Uuid(), nullable=True),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('project_id', sa.Uuid(), nullable=True),
    sa.Column('giver_id', sa.Uuid(), nullable=False),
    sa.Column('next_giver_id', sa.Uuid(), nullable=True),
    sa.Column('limit_value', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('label', sa.String(length=120), nullable=True),
    of('site_quotas', 'site_id', 'sites'),
    of('site_quotas', 'pool_id', 'pools'),
    of('site_quotas', 'organisation_id', 'organisations'),
    of('site_quotas', 'project_id', 'projects'),
    of('site_quotas', 'giver_id', 'organisations'),
    of('site_quotas', 'next_giver_id', 'organisations'),
    sa.PrimaryKeyConstraint('holder_id', 'measure', 'spot_id', name=op.f('pk_site_quotas'))
    )
    op.add_column('clouds', sa.Column('site_id', sa.Uuid(), nullable=True))
    op.create_foreign_key(op.f('fk_clouds_site_id'), 'clouds', 'sites', ['site_id'], ['id'], ondelete='RESTRICT')
    op.add_column('quota_changes', sa.Column('site_id', sa.Uuid(), nullable=True))
    op.add_column('quota_changes', sa.Column('pool_id', sa.Uuid(), nullable=True))
    for column, target in (('site_id', 'sites'), ('pool_id', 'pools')):
        op.create_foreign_key(
            op.f(f'fk_quota_changes_{column}'), 'quota_changes', target, [column], ['id'], ondelete='RESTRICT'
        )
