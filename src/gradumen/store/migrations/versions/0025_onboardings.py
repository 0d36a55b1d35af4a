"""customers are brought on board from drafts, above some sums after approval, with accounts in clouds"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0025'
down_revision = '0024'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    # First the new one: a foreign key always needs one.
    columns = ['giver_id', 'measure', 'is_set', 'limit_value']
    op.create_index('ix_quotas_giver_id_measure_is_set_limit_value', 'quotas', columns)
    op.drop_index('ix_quotas_giver_id_measure', 'quotas')
    op.create_table('clouds',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('slug', ascii_text(63), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('place', sa.String(length=120), nullable=True),
    sa.Column('kind', ascii_text(32), nullable=False),
    sa.Column('endpoint', ascii_text(300), nullable=False),
    sa.Column('sealed', sa.Text(), nullable=False),
    sa.Column('shared', sa.Boolean(), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('retired_at', MOMENT, nullable=True),
    of('clouds', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_clouds')),
    sa.UniqueConstraint('organisation_id', 'slug', name=op.f('uq_clouds_organisation_id_slug'))
    )
    op.create_table('cloud_accounts',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('cloud_id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(length=190), nullable=False),
    sa.Column('tag', ascii_text(64), nullable=False),
    sa.Column('external_id', sa.String(length=190, collation='utf8mb4_bin'), nullable=True),
    sa.Column('state', ascii_text(16), nullable=False),
    sa.Column('changed_at', MOMENT, nullable=False),
    of('cloud_accounts', 'cloud_id', 'clouds'),
    of('cloud_accounts', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_cloud_accounts')),
    sa.UniqueConstraint('cloud_id', 'external_id', name=op.f('uq_cloud_accounts_cloud_id_external_id')),
    sa.UniqueConstraint('tag', name=op.f('uq_cloud_accounts_tag'))
    )
    op.create_index('ix_cloud_accounts_organisation_id', 'cloud_accounts', ['organisation_id'])
    op.create_table('onboardings',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('state', ascii_text(16), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('wanted', sa.JSON(), nullable=False),
    sa.Column('told', sa.JSON(), nullable=True),
    sa.Column('organisation_id', sa.Uuid(), nullable=True),
    sa.Column('at_once', sa.Boolean(), nullable=False),
    sa.Column('waits_because', sa.String(length=300), nullable=True),
    sa.Column('answer', sa.String(length=1000), nullable=True),
    sa.Column('made_by', sa.Uuid(), nullable=False),
    sa.Column('changed_by', sa.Uuid(), nullable=False),
    sa.Column('changed_at', MOMENT, nullable=False),
    sa.Column('asked_by', sa.Uuid(), nullable=True),
    sa.Column('asked_at', MOMENT, nullable=True),
    sa.Column('answered_by', sa.Uuid(), nullable=True),
    sa.Column('answered_at', MOMENT, nullable=True),
    sa.Column('task_id', sa.Uuid(), nullable=True),
    of('onboardings', 'seller_id', 'organisations'),
    of('onboardings', 'organisation_id', 'organisations'),
    of('onboardings', 'made_by', 'users'),
    of('onboardings', 'changed_by', 'users'),
    of('onboardings', 'asked_by', 'users'),
    of('onboardings', 'answered_by', 'users'),
    of('onboardings', 'task_id', 'tasks'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_onboardings'))
    )
    op.create_index('ix_onboardings_seller_id_changed_at', 'onboardings', ['seller_id', 'changed_at'])
    op.create_table('endings_told',
    sa.Column('subject_id', sa.Uuid(), nullable=False),
    sa.Column('kind', ascii_text(16), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('days_before', sa.Integer(), nullable=False),
    sa.Column('told_at', MOMENT, nullable=False),
    sa.PrimaryKeyConstraint('subject_id', 'kind', 'day', 'days_before', name=op.f('pk_endings_told'))
    )
    op.create_table('onboarding_policies',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('subject', ascii_text(32), nullable=False),
    sa.Column('amount', sa.DECIMAL(38, 12), nullable=False),
    of('onboarding_policies', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('organisation_id', 'subject', name=op.f('pk_onboarding_policies'))
    )
