"""offers, terms and deviations of subscriptions, assignment rules, one-off charges, rules for rate cards

Before the new code: it reads what is added here. Every plan is offered to all by its owner and by every reseller
below it, as it could be subscribed to before.
"""

import json
from uuid import UUID, uuid4

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0004'
down_revision = '0003'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('organisations', sa.Column('segment', sa.String(length=60), nullable=True))
    op.add_column('rate_cards', sa.Column('rule', sa.JSON(), nullable=True))
    op.execute('UPDATE rate_cards SET rule = JSON_QUOTE(buyers)')
    op.drop_column('rate_cards', 'buyers')
    op.alter_column('rate_cards', 'rule', new_column_name='buyers', existing_type=sa.JSON(), nullable=False)
    _offers()
    _subscriptions()
    op.create_table('accepted_terms',
    sa.Column('subscription_id', sa.Uuid(), nullable=False),
    sa.Column('plan_version_id', sa.Uuid(), nullable=False),
    sa.Column('terms', sa.String(length=40), nullable=False),
    sa.Column('accepted_by', sa.Uuid(), nullable=False),
    sa.Column('accepted_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['accepted_by'], ['users.id'], name=op.f('fk_accepted_terms_accepted_by'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['plan_version_id'], ['plan_versions.id'], name=op.f('fk_accepted_terms_plan_version_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['subscription_id'], ['subscriptions.id'], name=op.f('fk_accepted_terms_subscription_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('subscription_id', 'plan_version_id', name=op.f('pk_accepted_terms'))
    )
    op.create_table('assignment_rules',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('slug', sa.String(length=63, collation='ascii_bin'), nullable=False),
    sa.Column('subscription_id', sa.Uuid(), nullable=False),
    sa.Column('position', sa.Integer(), nullable=False),
    sa.Column('starts_on', sa.Date(), nullable=False),
    sa.Column('ends_on', sa.Date(), nullable=True),
    sa.Column('conditions', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_assignment_rules_organisation_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['subscription_id'], ['subscriptions.id'], name=op.f('fk_assignment_rules_subscription_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_assignment_rules')),
    sa.UniqueConstraint('organisation_id', 'slug', name=op.f('uq_assignment_rules_organisation_id_slug'))
    )
    op.create_table('one_off_charges',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('subscription_id', sa.Uuid(), nullable=False),
    sa.Column('seller_id', sa.Uuid(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('description', sa.String(length=200), nullable=False),
    sa.Column('amount', sa.DECIMAL(precision=38, scale=12), nullable=False),
    sa.Column('currency', sa.String(length=3, collation='ascii_bin'), nullable=False),
    sa.Column('entered_by', sa.Uuid(), nullable=False),
    sa.Column('entered_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('withdrawn_by', sa.Uuid(), nullable=True),
    sa.Column('withdrawn_at', mysql.DATETIME(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['entered_by'], ['users.id'], name=op.f('fk_one_off_charges_entered_by'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['seller_id'], ['organisations.id'], name=op.f('fk_one_off_charges_seller_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['subscription_id'], ['subscriptions.id'], name=op.f('fk_one_off_charges_subscription_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['withdrawn_by'], ['users.id'], name=op.f('fk_one_off_charges_withdrawn_by'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_one_off_charges'))
    )
    op.create_index(op.f('ix_one_off_charges_subscription_id'), 'one_off_charges', ['subscription_id'])


def _offers() -> None:
    offers = op.create_table('offers',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('plan_id', sa.Uuid(), nullable=False),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_offers_organisation_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['plan_id'], ['plans.id'], name=op.f('fk_offers_plan_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_offers')),
    sa.UniqueConstraint('organisation_id', 'plan_id', name=op.f('uq_offers_organisation_id_plan_id'))
    )
    versions = op.create_table('offer_versions',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('offer_id', sa.Uuid(), nullable=False),
    sa.Column('number', sa.Integer(), nullable=False),
    sa.Column('published_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['offer_id'], ['offers.id'], name=op.f('fk_offer_versions_offer_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_offer_versions')),
    sa.UniqueConstraint('offer_id', 'number', name=op.f('uq_offer_versions_offer_id_number'))
    )
    bind = op.get_bind()
    types = {row.id: row.type for row in bind.execute(sa.text('SELECT id, type FROM organisations'))}
    edges = bind.execute(sa.text('SELECT child_id, parent_id FROM parent_edges WHERE ends_at IS NULL'))
    parents = {row.child_id: row.parent_id for row in edges}
    newest = {
        row.id: row
        for row in bind.execute(
            sa.text(
                'SELECT p.id, p.organisation_id, p.slug, v.document, v.published_at FROM plans p '
                'JOIN plan_versions v ON v.plan_id = p.id ORDER BY v.number'
            )
        )
    }
    for plan in newest.values():
        document = json.loads(plan.document)
        form = {
            'offer': plan.slug,
            'to': 'all',
            'name': document.get('name', plan.slug),
            'description': document.get('description', ''),
            'tiers': {tier['tier']: tier['name'] for tier in document.get('tiers', [])},
        }
        for seller, type in types.items():
            above = [seller]
            while above[-1] in parents:
                above.append(parents[above[-1]])
            if type != 'tenant' and plan.organisation_id in above:
                offer = uuid4()
                bind.execute(offers.insert(), {'id': offer, 'organisation_id': UUID(str(seller)), 'plan_id': UUID(str(plan.id))})
                values = {'id': uuid4(), 'offer_id': offer, 'number': 1, 'published_at': plan.published_at}
                bind.execute(versions.insert(), {**values, 'document': form})


def _subscriptions() -> None:
    op.add_column('supply_lines', sa.Column('plan_version_id', sa.Uuid(), nullable=True))
    op.add_column('supply_lines', sa.Column('card_named', sa.Boolean(), nullable=False, server_default=sa.text('0')))
    op.add_column('supply_lines', sa.Column('choices', sa.JSON(), nullable=False, server_default='{}'))
    op.add_column('supply_lines', sa.Column('deviations', sa.JSON(), nullable=False, server_default='{}'))
    op.execute(
        'UPDATE supply_lines l JOIN subscriptions s ON s.id = l.subscription_id '
        'SET l.plan_version_id = s.plan_version_id'
    )
    op.alter_column('supply_lines', 'plan_version_id', existing_type=sa.Uuid(), nullable=False)
    op.create_foreign_key(op.f('fk_supply_lines_plan_version_id'), 'supply_lines', 'plan_versions', ['plan_version_id'], ['id'], ondelete='RESTRICT')
    op.alter_column('supply_lines', 'card_named', existing_type=sa.Boolean(), nullable=False, server_default=None)
    op.alter_column('supply_lines', 'choices', existing_type=sa.JSON(), nullable=False, server_default=None)
    op.alter_column('supply_lines', 'deviations', existing_type=sa.JSON(), nullable=False, server_default=None)
    op.add_column('subscriptions', sa.Column('plan_id', sa.Uuid(), nullable=True))
    op.execute(
        'UPDATE subscriptions s JOIN plan_versions v ON v.id = s.plan_version_id SET s.plan_id = v.plan_id'
    )
    op.alter_column('subscriptions', 'plan_id', existing_type=sa.Uuid(), nullable=False)
    op.create_foreign_key(op.f('fk_subscriptions_plan_id'), 'subscriptions', 'plans', ['plan_id'], ['id'], ondelete='RESTRICT')
    op.drop_constraint(op.f('fk_subscriptions_plan_version_id'), 'subscriptions', type_='foreignkey')
    op.drop_column('subscriptions', 'plan_version_id')
