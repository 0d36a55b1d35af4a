"""first schema"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0001'
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('attribute_sets',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('hash', sa.LargeBinary(length=16).with_variant(sa.BINARY(length=16), 'mariadb').with_variant(sa.BINARY(length=16), 'mysql'), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_attribute_sets')),
    sa.UniqueConstraint('hash', name=op.f('uq_attribute_sets_hash'))
    )
    op.create_table('business_clock',
    sa.Column('id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('held_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('offset_seconds', sa.BigInteger(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_business_clock'))
    )
    op.create_table('idempotency_keys',
    sa.Column('caller_id', sa.Uuid(), nullable=False),
    sa.Column('route', sa.String(length=190, collation='ascii_bin'), nullable=False),
    sa.Column('key', sa.String(length=80, collation='ascii_bin'), nullable=False),
    sa.Column('body_hash', sa.String(length=64, collation='ascii_bin'), nullable=False),
    sa.Column('response', sa.Text().with_variant(mysql.LONGTEXT(), 'mariadb').with_variant(mysql.LONGTEXT(), 'mysql'), nullable=True),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('caller_id', 'route', 'key', name=op.f('pk_idempotency_keys'))
    )
    op.create_index(op.f('ix_idempotency_keys_at'), 'idempotency_keys', ['at'], unique=False)
    op.create_table('organisations',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('type', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('slug', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('country', sa.String(length=2, collation='ascii_bin'), nullable=False),
    sa.Column('currency', sa.String(length=3, collation='ascii_bin'), nullable=False),
    sa.Column('cost_centre', sa.String(length=60), nullable=True),
    sa.Column('created_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_organisations')),
    sa.UniqueConstraint('slug', name=op.f('uq_organisations_slug'))
    )
    op.create_table('reading_keys',
    sa.Column('key', sa.LargeBinary(length=16).with_variant(sa.BINARY(length=16), 'mariadb').with_variant(sa.BINARY(length=16), 'mysql'), nullable=False),
    sa.Column('content', sa.LargeBinary(length=16).with_variant(sa.BINARY(length=16), 'mariadb').with_variant(sa.BINARY(length=16), 'mysql'), nullable=False),
    sa.Column('sequence', sa.Integer(), nullable=False),
    sa.Column('delivery_id', sa.BigInteger(), nullable=False),
    sa.Column('start_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('key', name=op.f('pk_reading_keys'))
    )
    op.create_table('readings',
    sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
    sa.Column('start_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('end_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('feed_id', sa.Integer(), nullable=False),
    sa.Column('delivery_id', sa.BigInteger(), nullable=False),
    sa.Column('source', sa.String(length=191, collation='utf8mb4_bin'), nullable=False),
    sa.Column('event_id', sa.String(length=191, collation='utf8mb4_bin'), nullable=False),
    sa.Column('sequence', sa.Integer(), nullable=False),
    sa.Column('project_id', sa.Uuid(), nullable=True),
    sa.Column('account', sa.String(length=191), nullable=True),
    sa.Column('resource', sa.String(length=191, collation='utf8mb4_bin'), nullable=False),
    sa.Column('meter_id', sa.Integer(), nullable=False),
    sa.Column('attribute_set_id', sa.Integer(), nullable=False),
    sa.Column('quantity', sa.DECIMAL(38, 6), nullable=False),
    sa.PrimaryKeyConstraint('id', 'start_at', name=op.f('pk_readings')),
    info={'partitioned': 'start_at'}
    )
    op.create_index('ix_readings_delivery_id', 'readings', ['delivery_id'], unique=False)
    op.create_index('ix_readings_project_id_meter_id_start_at', 'readings', ['project_id', 'meter_id', 'start_at'], unique=False)
    op.create_table('sign_in_failures',
    sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
    sa.Column('subject', sa.String(length=190), nullable=False),
    sa.Column('at', mysql.DATETIME(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_sign_in_failures'))
    )
    op.create_index('ix_sign_in_failures_subject_at', 'sign_in_failures', ['subject', 'at'], unique=False)
    op.create_table('stale_usage',
    sa.Column('project_id', sa.Uuid(), nullable=False),
    sa.Column('meter_id', sa.Integer(), nullable=False),
    sa.Column('hour', mysql.DATETIME(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('project_id', 'meter_id', 'hour', name=op.f('pk_stale_usage'))
    )
    op.create_table('superseded_readings',
    sa.Column('delivery_id', sa.BigInteger(), nullable=False),
    sa.Column('key', sa.LargeBinary(length=16).with_variant(sa.BINARY(length=16), 'mariadb').with_variant(sa.BINARY(length=16), 'mysql'), nullable=False),
    sa.Column('source', sa.String(length=191, collation='utf8mb4_bin'), nullable=False),
    sa.Column('event_id', sa.String(length=191, collation='utf8mb4_bin'), nullable=False),
    sa.PrimaryKeyConstraint('delivery_id', 'key', name=op.f('pk_superseded_readings'))
    )
    op.create_table('users',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('email', sa.String(length=190), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('password_hash', sa.String(length=200, collation='ascii_bin'), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_users')),
    sa.UniqueConstraint('email', name=op.f('uq_users_email'))
    )
    op.create_table('bill_runs',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('period', sa.String(length=7, collation='ascii_bin'), nullable=False),
    sa.Column('state', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('problem', sa.String(length=1000), nullable=True),
    sa.Column('started_by', sa.Uuid(), nullable=False),
    sa.Column('started_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('finished_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('lease_until', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('fence', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['seller_id'], ['organisations.id'], name=op.f('fk_bill_runs_seller_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['started_by'], ['users.id'], name=op.f('fk_bill_runs_started_by'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_bill_runs'))
    )
    op.create_index('ix_bill_runs_seller_id_period', 'bill_runs', ['seller_id', 'period'], unique=False)
    op.create_table('billing_zones',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('starts_on', sa.Date(), nullable=False),
    sa.Column('zone', sa.String(length=64, collation='ascii_bin'), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_billing_zones_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('organisation_id', 'starts_on', name=op.f('pk_billing_zones'))
    )
    op.create_table('document_counters',
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('series', sa.String(length=20, collation='ascii_bin'), nullable=False),
    sa.Column('next_number', sa.Integer(), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['seller_id'], ['organisations.id'], name=op.f('fk_document_counters_seller_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('seller_id', 'series', name=op.f('pk_document_counters'))
    )
    op.create_table('feeds',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('slug', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_feeds_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_feeds')),
    sa.UniqueConstraint('organisation_id', 'slug', name=op.f('uq_feeds_organisation_id_slug'))
    )
    op.create_table('members',
    sa.Column('user_id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('role', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_members_organisation_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['user_id'], ['users.id'], name=op.f('fk_members_user_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('user_id', 'organisation_id', name=op.f('pk_members'))
    )
    op.create_table('parent_edges',
    sa.Column('child_id', sa.Uuid(), nullable=False),
    sa.Column('starts_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('parent_id', sa.Uuid(), nullable=False),
    sa.Column('ends_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['child_id'], ['organisations.id'], name=op.f('fk_parent_edges_child_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['parent_id'], ['organisations.id'], name=op.f('fk_parent_edges_parent_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('child_id', 'starts_at', name=op.f('pk_parent_edges'))
    )
    op.create_index('ix_parent_edges_parent_id', 'parent_edges', ['parent_id', 'child_id'], unique=False)
    op.create_table('plans',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('slug', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_plans_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_plans')),
    sa.UniqueConstraint('organisation_id', 'slug', name=op.f('uq_plans_organisation_id_slug'))
    )
    op.create_table('projects',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('slug', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('cost_centre', sa.String(length=60), nullable=True),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_projects_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_projects')),
    sa.UniqueConstraint('organisation_id', 'slug', name=op.f('uq_projects_organisation_id_slug'))
    )
    op.create_table('rate_cards',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('slug', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('currency', sa.String(length=3, collation='ascii_bin'), nullable=False),
    sa.Column('buyers', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_rate_cards_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_rate_cards')),
    sa.UniqueConstraint('organisation_id', 'slug', name=op.f('uq_rate_cards_organisation_id_slug'))
    )
    op.create_table('services',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('slug', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_services_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_services')),
    sa.UniqueConstraint('organisation_id', 'slug', name=op.f('uq_services_organisation_id_slug'))
    )
    op.create_table('sessions',
    sa.Column('id', sa.String(length=64, collation='ascii_bin'), nullable=False),
    sa.Column('user_id', sa.Uuid(), nullable=False),
    sa.Column('csrf', sa.String(length=64, collation='ascii_bin'), nullable=False),
    sa.Column('expires_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['user_id'], ['users.id'], name=op.f('fk_sessions_user_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_sessions'))
    )
    op.create_table('tax_rates',
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('country', sa.String(length=2, collation='ascii_bin'), nullable=False),
    sa.Column('starts_on', sa.Date(), nullable=False),
    sa.Column('category', sa.String(length=2, collation='ascii_bin'), nullable=False),
    sa.Column('percent', sa.DECIMAL(38, 12), nullable=False),
    sa.ForeignKeyConstraint(['seller_id'], ['organisations.id'], name=op.f('fk_tax_rates_seller_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('seller_id', 'country', 'starts_on', name=op.f('pk_tax_rates'))
    )
    op.create_table('tokens',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('hash', sa.String(length=64, collation='ascii_bin'), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('user_id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('role', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('expires_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('revoked_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_tokens_organisation_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['user_id'], ['users.id'], name=op.f('fk_tokens_user_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_tokens')),
    sa.UniqueConstraint('hash', name=op.f('uq_tokens_hash'))
    )
    op.create_table('usage_revisions',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('month', sa.Date(), nullable=False),
    sa.Column('revision', sa.BigInteger(), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_usage_revisions_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('organisation_id', 'month', name=op.f('pk_usage_revisions'))
    )
    op.create_table('deliveries',
    sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
    sa.Column('feed_id', sa.Integer(), nullable=False),
    sa.Column('received_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('accepted', sa.Integer(), nullable=False),
    sa.Column('known', sa.Integer(), nullable=False),
    sa.Column('refused', sa.Integer(), nullable=False),
    sa.Column('first_refusal', sa.String(length=500), nullable=True),
    sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_deliveries_feed_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_deliveries'))
    )
    op.create_index('ix_deliveries_feed_id_id', 'deliveries', ['feed_id', 'id'], unique=False)
    op.create_table('feed_senders',
    sa.Column('feed_id', sa.Integer(), nullable=False),
    sa.Column('user_id', sa.Uuid(), nullable=False),
    sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_feed_senders_feed_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['user_id'], ['users.id'], name=op.f('fk_feed_senders_user_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('feed_id', 'user_id', name=op.f('pk_feed_senders'))
    )
    op.create_table('invoices',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('bill_run_id', sa.Uuid(), nullable=False),
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('buyer_id', sa.Uuid(), nullable=False),
    sa.Column('period', sa.String(length=7, collation='ascii_bin'), nullable=False),
    sa.Column('state', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('kind', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('number', sa.String(length=80, collation='ascii_bin'), nullable=True),
    sa.Column('currency', sa.String(length=3, collation='ascii_bin'), nullable=False),
    sa.Column('net', sa.DECIMAL(38, 12), nullable=False),
    sa.Column('tax', sa.DECIMAL(38, 12), nullable=False),
    sa.Column('gross', sa.DECIMAL(38, 12), nullable=False),
    sa.Column('tax_category', sa.String(length=2, collation='ascii_bin'), nullable=False),
    sa.Column('tax_percent', sa.DECIMAL(38, 12), nullable=False),
    sa.Column('invoice_date', sa.Date(), nullable=True),
    sa.Column('due_date', sa.Date(), nullable=True),
    sa.Column('issued_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.Column('parties', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['bill_run_id'], ['bill_runs.id'], name=op.f('fk_invoices_bill_run_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['buyer_id'], ['organisations.id'], name=op.f('fk_invoices_buyer_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['seller_id'], ['organisations.id'], name=op.f('fk_invoices_seller_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_invoices')),
    sa.UniqueConstraint('seller_id', 'number', name=op.f('uq_invoices_seller_id_number'))
    )
    op.create_index('ix_invoices_bill_run_id', 'invoices', ['bill_run_id'], unique=False)
    op.create_index('ix_invoices_buyer_id', 'invoices', ['buyer_id', 'id'], unique=False)
    op.create_table('meters',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('service_id', sa.Uuid(), nullable=False),
    sa.Column('slug', sa.String(length=127, collation='ascii_bin'), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('unit', sa.String(length=60), nullable=False),
    sa.Column('combine', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('counted', sa.String(length=40), nullable=True),
    sa.ForeignKeyConstraint(['service_id'], ['services.id'], name=op.f('fk_meters_service_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_meters')),
    sa.UniqueConstraint('slug', name=op.f('uq_meters_slug'))
    )
    op.create_table('plan_versions',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('plan_id', sa.Uuid(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('published_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['plan_id'], ['plans.id'], name=op.f('fk_plan_versions_plan_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_plan_versions')),
    sa.UniqueConstraint('plan_id', 'number', name=op.f('uq_plan_versions_plan_id_number'))
    )
    op.create_table('quotas',
    sa.Column('holder_id', sa.Uuid(), nullable=False),
    sa.Column('measure', sa.String(length=32, collation='ascii_bin'), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('project_id', sa.Uuid(), nullable=True),
    sa.Column('giver_id', sa.Uuid(), nullable=True),
    sa.Column('limit_value', sa.DECIMAL(38, 6), nullable=True),
    sa.Column('reservation', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('factor', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('label', sa.String(length=120), nullable=True),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['giver_id'], ['organisations.id'], name=op.f('fk_quotas_giver_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_quotas_organisation_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['project_id'], ['projects.id'], name=op.f('fk_quotas_project_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('holder_id', 'measure', name=op.f('pk_quotas'))
    )
    op.create_index('ix_quotas_giver_id_measure', 'quotas', ['giver_id', 'measure'], unique=False)
    op.create_table('rate_card_versions',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('rate_card_id', sa.Uuid(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('starts_on', sa.Date(), nullable=False),
    sa.Column('published_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['rate_card_id'], ['rate_cards.id'], name=op.f('fk_rate_card_versions_rate_card_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_rate_card_versions')),
    sa.UniqueConstraint('rate_card_id', 'number', name=op.f('uq_rate_card_versions_rate_card_id_number')),
    sa.UniqueConstraint('rate_card_id', 'starts_on', name=op.f('uq_rate_card_versions_rate_card_id_starts_on'))
    )
    op.create_table('rated_periods',
    sa.Column('bill_run_id', sa.Uuid(), nullable=False),
    sa.Column('period', sa.String(length=7, collation='ascii_bin'), nullable=False),
    sa.Column('revision', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['bill_run_id'], ['bill_runs.id'], name=op.f('fk_rated_periods_bill_run_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('bill_run_id', 'period', name=op.f('pk_rated_periods'))
    )
    op.create_table('service_versions',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('service_id', sa.Uuid(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('published_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['service_id'], ['services.id'], name=op.f('fk_service_versions_service_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_service_versions')),
    sa.UniqueConstraint('service_id', 'number', name=op.f('uq_service_versions_service_id_number'))
    )
    op.create_table('subscriptions',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('project_id', sa.Uuid(), nullable=True),
    sa.Column('plan_version_id', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('quantity', sa.Integer(), nullable=False),
    sa.Column('starts_on', sa.Date(), nullable=False),
    sa.Column('ends_on', sa.Date(), nullable=True),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('created_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_subscriptions_organisation_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['plan_version_id'], ['plan_versions.id'], name=op.f('fk_subscriptions_plan_version_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['project_id'], ['projects.id'], name=op.f('fk_subscriptions_project_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_subscriptions')),
    sa.UniqueConstraint('organisation_id', 'name', name=op.f('uq_subscriptions_organisation_id_name'))
    )
    op.create_index('ix_subscriptions_organisation_id_starts_on', 'subscriptions', ['organisation_id', 'starts_on'], unique=False)
    op.create_table('usage_hours',
    sa.Column('project_id', sa.Uuid(), nullable=False),
    sa.Column('meter_id', sa.Integer(), nullable=False),
    sa.Column('hour', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('resource', sa.String(length=191, collation='utf8mb4_bin'), nullable=False),
    sa.Column('attribute_set_id', sa.Integer(), nullable=False),
    sa.Column('quantity', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('readings', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['attribute_set_id'], ['attribute_sets.id'], name=op.f('fk_usage_hours_attribute_set_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['meter_id'], ['meters.id'], name=op.f('fk_usage_hours_meter_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['project_id'], ['projects.id'], name=op.f('fk_usage_hours_project_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('project_id', 'meter_id', 'hour', 'resource', 'attribute_set_id', name=op.f('pk_usage_hours'))
    )
    op.create_table('supply_lines',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('subscription_id', sa.Uuid(), nullable=False),
    sa.Column('depth', sa.Integer(), nullable=False),
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('buyer_id', sa.Uuid(), nullable=False),
    sa.Column('tier', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.Column('rate_card_id', sa.Uuid(), nullable=False),
    sa.ForeignKeyConstraint(['buyer_id'], ['organisations.id'], name=op.f('fk_supply_lines_buyer_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['rate_card_id'], ['rate_cards.id'], name=op.f('fk_supply_lines_rate_card_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['seller_id'], ['organisations.id'], name=op.f('fk_supply_lines_seller_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['subscription_id'], ['subscriptions.id'], name=op.f('fk_supply_lines_subscription_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_supply_lines')),
    sa.UniqueConstraint('subscription_id', 'depth', name=op.f('uq_supply_lines_subscription_id_depth'))
    )
    op.create_index('ix_supply_lines_seller_id_buyer_id', 'supply_lines', ['seller_id', 'buyer_id'], unique=False)
    op.create_table('charges',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('invoice_id', sa.Uuid(), nullable=False),
    sa.Column('supply_line_id', sa.Uuid(), nullable=False),
    sa.Column('period', sa.String(length=7, collation='ascii_bin'), nullable=False),
    sa.Column('rate_card_version_id', sa.Uuid(), nullable=False),
    sa.Column('rate', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.Column('meter', sa.String(length=127, collation='ascii_bin'), nullable=True),
    sa.Column('quantity', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('amount', sa.DECIMAL(38, 12), nullable=False),
    sa.Column('service_start', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('service_end', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('evidence', sa.String(length=64, collation='ascii_bin'), nullable=False),
    sa.Column('explanation', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['invoice_id'], ['invoices.id'], name=op.f('fk_charges_invoice_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['rate_card_version_id'], ['rate_card_versions.id'], name=op.f('fk_charges_rate_card_version_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['supply_line_id'], ['supply_lines.id'], name=op.f('fk_charges_supply_line_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_charges'))
    )
    op.create_index(op.f('ix_charges_invoice_id'), 'charges', ['invoice_id'], unique=False)
    op.create_index('ix_charges_supply_line_id_period', 'charges', ['supply_line_id', 'period'], unique=False)
    op.create_table('charge_parts',
    sa.Column('charge_id', sa.Uuid(), nullable=False),
    sa.Column('position', sa.Integer(), nullable=False),
    sa.Column('project_id', sa.Uuid(), nullable=True),
    sa.Column('resource', sa.String(length=191, collation='utf8mb4_bin'), nullable=True),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('quantity', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('amount', sa.DECIMAL(38, 12), nullable=False),
    sa.ForeignKeyConstraint(['charge_id'], ['charges.id'], name=op.f('fk_charge_parts_charge_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['project_id'], ['projects.id'], name=op.f('fk_charge_parts_project_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('charge_id', 'position', name=op.f('pk_charge_parts'))
    )
    op.create_table('invoice_lines',
    sa.Column('invoice_id', sa.Uuid(), nullable=False),
    sa.Column('position', sa.Integer(), nullable=False),
    sa.Column('charge_id', sa.Uuid(), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.Column('amount', sa.DECIMAL(38, 12), nullable=False),
    sa.ForeignKeyConstraint(['charge_id'], ['charges.id'], name=op.f('fk_invoice_lines_charge_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['invoice_id'], ['invoices.id'], name=op.f('fk_invoice_lines_invoice_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('invoice_id', 'position', name=op.f('pk_invoice_lines'))
    )
    op.execute(
        "ALTER TABLE readings PARTITION BY RANGE COLUMNS (start_at) (PARTITION p_later VALUES LESS THAN (MAXVALUE))"
    )
    op.execute("INSERT INTO business_clock (id, held_at, offset_seconds) VALUES (1, NULL, 0)")


def downgrade() -> None:
    op.drop_table('invoice_lines')
    op.drop_table('charge_parts')
    op.drop_index('ix_charges_supply_line_id_period', table_name='charges')
    op.drop_index(op.f('ix_charges_invoice_id'), table_name='charges')
    op.drop_table('charges')
    op.drop_index('ix_supply_lines_seller_id_buyer_id', table_name='supply_lines')
    op.drop_table('supply_lines')
    op.drop_table('usage_hours')
    op.drop_index('ix_subscriptions_organisation_id_starts_on', table_name='subscriptions')
    op.drop_table('subscriptions')
    op.drop_table('service_versions')
    op.drop_table('rated_periods')
    op.drop_table('rate_card_versions')
    op.drop_index('ix_quotas_giver_id_measure', table_name='quotas')
    op.drop_table('quotas')
    op.drop_table('plan_versions')
    op.drop_table('meters')
    op.drop_index('ix_invoices_buyer_id', table_name='invoices')
    op.drop_index('ix_invoices_bill_run_id', table_name='invoices')
    op.drop_table('invoices')
    op.drop_table('feed_senders')
    op.drop_index('ix_deliveries_feed_id_id', table_name='deliveries')
    op.drop_table('deliveries')
    op.drop_table('usage_revisions')
    op.drop_table('tokens')
    op.drop_table('tax_rates')
    op.drop_table('sessions')
    op.drop_table('services')
    op.drop_table('rate_cards')
    op.drop_table('projects')
    op.drop_table('plans')
    op.drop_index('ix_parent_edges_parent_id', table_name='parent_edges')
    op.drop_table('parent_edges')
    op.drop_table('members')
    op.drop_table('feeds')
    op.drop_table('document_counters')
    op.drop_table('billing_zones')
    op.drop_index('ix_bill_runs_seller_id_period', table_name='bill_runs')
    op.drop_table('bill_runs')
    op.drop_table('users')
    op.drop_table('superseded_readings')
    op.drop_table('stale_usage')
    op.drop_index('ix_sign_in_failures_subject_at', table_name='sign_in_failures')
    op.drop_table('sign_in_failures')
    op.drop_index('ix_readings_project_id_meter_id_start_at', table_name='readings')
    op.drop_index('ix_readings_delivery_id', table_name='readings')
    op.drop_table('readings')
    op.drop_table('reading_keys')
    op.drop_table('organisations')
    op.drop_index(op.f('ix_idempotency_keys_at'), table_name='idempotency_keys')
    op.drop_table('idempotency_keys')
    op.drop_table('business_clock')
    op.drop_table('attribute_sets')
