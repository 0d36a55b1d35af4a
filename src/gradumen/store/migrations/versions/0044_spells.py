"""spells of what holds until it changes, and how far feeds have told; phases are conditions like others"""

import json

import sqlalchemy as sa
from alembic import op

revision = '0044'
down_revision = '0043'
branch_labels = None
depends_on = None

NAME = sa.String(191, collation='utf8mb4_bin')


def upgrade() -> None:
    op.create_table(
        'feed_watermarks',
        sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
        sa.Column('feed_id', sa.Integer(), nullable=False),
        sa.Column('source', NAME, nullable=False),
        sa.Column('told_until', sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ['feed_id'], ['feeds.id'], name=op.f('fk_feed_watermarks_feed_id'), ondelete='RESTRICT'
        ),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_feed_watermarks')),
        sa.UniqueConstraint('feed_id', 'source', name=op.f('uq_feed_watermarks_feed_id_source')),
    )
    op.create_table(
        'spells',
        sa.Column('resource_id', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('meter_id', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('start_at', sa.DateTime(), nullable=False),
        sa.Column('end_at', sa.DateTime(), nullable=False),
        sa.Column('project_number', sa.Integer(), autoincrement=False, nullable=False),
        sa.Column('attribute_set_id', sa.Integer(), nullable=False),
        sa.Column('level', sa.Numeric(38, 6), nullable=False),
        sa.Column('run_start', sa.DateTime(), nullable=False),
        sa.Column('watermark_id', sa.Integer(), nullable=True),
        sa.PrimaryKeyConstraint('resource_id', 'meter_id', 'start_at', 'project_number', name=op.f('pk_spells')),
    )
    op.create_index('ix_spells_project_number_end_at', 'spells', ['project_number', 'end_at'])
    op.create_index('ix_spells_watermark_id_end_at', 'spells', ['watermark_id', 'end_at'])
    _put_phases_among_conditions()


def _put_phases_among_conditions() -> None:
    """Rates named phases beside their conditions; nothing was charged by them, as no phase came in."""
    connection = op.get_bind()
    rows = connection.execute(
        sa.text("SELECT id, document FROM rate_card_versions WHERE document LIKE '%\"phases\"%'")
    ).all()
    for number, document in rows:
        form = json.loads(document)
        for rate in form.get('rates', []):
            phases = rate.pop('phases', None)
            if phases:
                rate['where'] = {**rate.get('where', {}), 'phase': phases[0] if len(phases) == 1 else phases}
        connection.execute(
            sa.text('UPDATE rate_card_versions SET document = :document WHERE id = :number'),
            {'document': json.dumps(form), 'number': number},
        )
