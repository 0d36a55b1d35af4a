"""messages to people, sent after what they tell; secrets sealed with a key outside the database"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0024'
down_revision = '0023'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)


def ascii_text(length: int) -> sa.String:
    return sa.String(length=length, collation='ascii_bin')


def of(table: str, column: str, target: str) -> sa.ForeignKeyConstraint:
    name = op.f(f'fk_{table}_{column}')
    return sa.ForeignKeyConstraint([column], [f'{target}.id'], name=name, ondelete='RESTRICT')


def upgrade() -> None:
    op.create_table('seal_proofs',
    sa.Column('id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('proof', sa.Text(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_seal_proofs'))
    )
    op.create_table('messages',
    sa.Column('id', sa.Uuid(), nullable=False),
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('from_id', sa.Uuid(), nullable=False),
    sa.Column('user_id', sa.Uuid(), nullable=True),
    sa.Column('email', sa.String(length=200), nullable=False),
    sa.Column('kind', ascii_text(32), nullable=False),
    sa.Column('facts', sa.JSON(), nullable=False),
    sa.Column('path', sa.String(length=300), nullable=False),
    sa.Column('sealed', sa.Text(), nullable=True),
    sa.Column('state', ascii_text(16), nullable=False),
    sa.Column('attempts', sa.Integer(), nullable=False),
    sa.Column('due_at', MOMENT, nullable=True),
    sa.Column('problem', sa.String(length=300), nullable=True),
    sa.Column('created_at', MOMENT, nullable=False),
    sa.Column('sent_at', MOMENT, nullable=True),
    sa.Column('read_at', MOMENT, nullable=True),
    of('messages', 'organisation_id', 'organisations'),
    of('messages', 'from_id', 'organisations'),
    of('messages', 'user_id', 'users'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_messages'))
    )
    op.create_index('ix_messages_state_due_at', 'messages', ['state', 'due_at'])
    op.create_index('ix_messages_organisation_id_created_at', 'messages', ['organisation_id', 'created_at'])
    op.create_index('ix_messages_user_id_created_at', 'messages', ['user_id', 'created_at'])
    op.create_table('message_texts',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('kind', ascii_text(32), nullable=False),
    sa.Column('subject', sa.String(length=200), nullable=False),
    sa.Column('body', sa.Text(), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    of('message_texts', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('organisation_id', 'kind', name=op.f('pk_message_texts'))
    )
    op.create_table('second_factors',
    sa.Column('user_id', sa.Uuid(), nullable=False),
    sa.Column('sealed', sa.Text(), nullable=False),
    sa.Column('made_at', MOMENT, nullable=False),
    sa.Column('since', MOMENT, nullable=True),
    sa.Column('last_step', sa.BigInteger(), nullable=False),
    of('second_factors', 'user_id', 'users'),
    sa.PrimaryKeyConstraint('user_id', name=op.f('pk_second_factors'))
    )
    op.create_table('recovery_codes',
    sa.Column('hash', ascii_text(64), nullable=False),
    sa.Column('user_id', sa.Uuid(), nullable=False),
    of('recovery_codes', 'user_id', 'users'),
    sa.PrimaryKeyConstraint('hash', name=op.f('pk_recovery_codes'))
    )
    op.create_table('sign_in_policies',
    sa.Column('organisation_id', sa.Uuid(), nullable=False),
    sa.Column('second_factor', ascii_text(16), nullable=False),
    of('sign_in_policies', 'organisation_id', 'organisations'),
    sa.PrimaryKeyConstraint('organisation_id', name=op.f('pk_sign_in_policies'))
    )
