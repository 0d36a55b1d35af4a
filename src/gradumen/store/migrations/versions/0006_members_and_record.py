"""invitations, resting memberships, sessions with their place, password resets, the record of who did what

Before the new code: it reads and writes what is added here. Deliveries get names that do not count them.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0006'
down_revision = '0005'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.add_column('organisations', sa.Column('members_version', sa.Integer(), nullable=False, server_default='0'))
    op.alter_column('organisations', 'members_version', existing_type=sa.Integer(), existing_nullable=False, server_default=None)
    op.add_column('members', sa.Column('disabled_at', MOMENT, nullable=True))
    _sessions()
    _deliveries()
    op.create_table('invitations',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('email', sa.String(length=190), nullable=False),
    sa.Column('role', sa.String(length=16, collation='ascii_bin'), nullable=False),
    sa.Column('hash', sa.String(length=64, collation='ascii_bin'), nullable=False),
    sa.Column('invited_by', sa.Uuid(), nullable=False),
    sa.Column('invited_from', sa.Uuid(), nullable=False),
    sa.Column('created_at', MOMENT, nullable=False),
    sa.Column('expires_at', MOMENT, nullable=False),
    sa.Column('accepted_at', MOMENT, nullable=True),
    sa.Column('withdrawn_at', MOMENT, nullable=True),
    sa.ForeignKeyConstraint(['invited_by'], ['users.id'], name=op.f('fk_invitations_invited_by'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['invited_from'], ['organisations.id'], name=op.f('fk_invitations_invited_from'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_invitations_organisation_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_invitations')),
    sa.UniqueConstraint('hash', name=op.f('uq_invitations_hash'))
    )
    op.create_table('password_resets',
    sa.Column('hash', sa.String(length=64, collation='ascii_bin'), nullable=False),
    sa.Column('user_id', sa.Uuid(), nullable=False),
    sa.Column('made_by', sa.Uuid(), nullable=False),
    sa.Column('expires_at', MOMENT, nullable=False),
    sa.Column('used_at', MOMENT, nullable=True),
    sa.ForeignKeyConstraint(['made_by'], ['users.id'], name=op.f('fk_password_resets_made_by'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['user_id'], ['users.id'], name=op.f('fk_password_resets_user_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('hash', name=op.f('pk_password_resets'))
    )
    op.create_table('audit_entries',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('at', MOMENT, nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=True),
    sa.Column('for_id', sa.Uuid(), nullable=True),
    sa.Column('user_id', sa.Uuid(), nullable=True),
    sa.Column('token_id', sa.Uuid(), nullable=True),
    sa.Column('address', sa.String(length=60), nullable=False),
    sa.Column('action', sa.String(length=40, collation='ascii_bin'), nullable=False),
    sa.Column('subject', sa.String(length=300), nullable=False),
    sa.Column('before', sa.JSON(), nullable=True),
    sa.Column('after', sa.JSON(), nullable=True),
    sa.ForeignKeyConstraint(['for_id'], ['organisations.id'], name=op.f('fk_audit_entries_for_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['organisation_id'], ['organisations.id'], name=op.f('fk_audit_entries_organisation_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['token_id'], ['tokens.id'], name=op.f('fk_audit_entries_token_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['user_id'], ['users.id'], name=op.f('fk_audit_entries_user_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_audit_entries'))
    )
    op.create_index('ix_audit_entries_organisation_id_at', 'audit_entries', ['organisation_id', 'at'])
    op.create_index('ix_audit_entries_for_id_at', 'audit_entries', ['for_id', 'at'])


def _sessions() -> None:
    """Those of before are over at the next restart anyway; where they came from is not known."""
    op.execute('DELETE FROM sessions')
    op.add_column('sessions', sa.Column('started_at', MOMENT, nullable=False))
    op.add_column('sessions', sa.Column('address', sa.String(length=60), nullable=False))
    op.add_column('sessions', sa.Column('agent', sa.String(length=200), nullable=False))


def _deliveries() -> None:
    op.add_column('deliveries', sa.Column('sent_by', sa.Uuid(), nullable=True))
    op.create_foreign_key(op.f('fk_deliveries_sent_by'), 'deliveries', 'users', ['sent_by'], ['id'], ondelete='RESTRICT')
    op.add_column('deliveries', sa.Column('public_id', sa.Uuid(), nullable=True))
    op.execute("UPDATE deliveries SET public_id = LOWER(REPLACE(UUID(), '-', ''))")
    op.alter_column('deliveries', 'public_id', existing_type=sa.Uuid(), nullable=False)
    op.create_unique_constraint(op.f('uq_deliveries_public_id'), 'deliveries', ['public_id'])
