"""readings keep what was sent, by resource; usage is packed by day, and made again by a task

With the new code: stop the service before. Usage is made from the readings anew, so until the task "usage by day" is
done, pages and documents wait for it.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0012'
down_revision = '0011'
branch_labels = None
depends_on = None

MOMENT = mysql.DATETIME(fsp=6)
SECOND = mysql.DATETIME()
HASH = sa.LargeBinary(16).with_variant(mysql.BINARY(16), 'mysql', 'mariadb')
NAME = sa.String(length=191, collation='utf8mb4_bin')


def key_of(*texts: str) -> str:
    """The first 16 bytes of SHA-256 of texts with a unit separator between them."""
    return f"UNHEX(LEFT(SHA2(CONCAT_WS(CHAR(31), {', '.join(texts)}), 256), 32))"


def upgrade() -> None:
    op.execute(
        'ALTER TABLE projects ADD COLUMN number INTEGER NOT NULL AUTO_INCREMENT, '
        'ADD CONSTRAINT uq_projects_number UNIQUE (number)'
    )
    make_tables()
    carry_over()
    for table in ('readings', 'reading_keys', 'superseded_readings', 'stale_usage'):
        op.execute(f'DROP TABLE {table}')
        op.execute(f'RENAME TABLE {table}_new TO {table}')
    op.execute('DROP TABLE usage_hours')
    op.execute('DROP TABLE carried_readings')
    op.execute(
        "INSERT INTO tasks (id, kind, subject, once, state, inputs, made, counted, attempts, not_before, fence, asked_at) "
        "SELECT REPLACE(UUID(), '-', ''), 'usage by day', 'all readings', 'usage by day', 'waiting', '{}', 0, "
        "'resource days', 0, UTC_TIMESTAMP(6), 0, UTC_TIMESTAMP(6) FROM stale_usage LIMIT 1"
    )


def make_tables() -> None:
    op.create_table('resources',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('feed_id', sa.Integer(), nullable=False),
    sa.Column('name', NAME, nullable=False),
    sa.Column('passes', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['feed_id'], ['feeds.id'], name=op.f('fk_resources_feed_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_resources')),
    sa.UniqueConstraint('feed_id', 'name', name=op.f('uq_resources_feed_id_name'))
    )
    op.create_table('origins',
    sa.Column('id', sa.Integer(), autoincrement=True, nullable=False),
    sa.Column('hash', HASH, nullable=False),
    sa.Column('source', NAME, nullable=False),
    sa.Column('account', NAME, nullable=True),
    sa.Column('owner', NAME, nullable=True),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_origins')),
    sa.UniqueConstraint('hash', name=op.f('uq_origins_hash'))
    )
    op.create_table('readings_new',
    sa.Column('resource_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('meter_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('start_at', SECOND, nullable=False),
    sa.Column('delivery_id', sa.BigInteger(), autoincrement=False, nullable=False),
    sa.Column('position', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('end_at', SECOND, nullable=False),
    sa.Column('origin_id', sa.Integer(), nullable=False),
    sa.Column('attribute_set_id', sa.Integer(), nullable=False),
    sa.Column('event_id', NAME, nullable=False),
    sa.Column('sequence', sa.Integer(), nullable=False),
    sa.Column('quantity', sa.DECIMAL(38, 6), nullable=False),
    sa.PrimaryKeyConstraint('resource_id', 'meter_id', 'start_at', 'delivery_id', 'position', name=op.f('pk_readings')),
    )
    op.create_table('reading_keys_new',
    sa.Column('key', HASH, nullable=False),
    sa.Column('content', HASH, nullable=False),
    sa.Column('sequence', sa.Integer(), nullable=False),
    sa.Column('delivery_id', sa.BigInteger(), nullable=False),
    sa.Column('position', sa.Integer(), nullable=False),
    sa.Column('resource_id', sa.Integer(), nullable=False),
    sa.Column('meter_id', sa.Integer(), nullable=False),
    sa.Column('start_at', SECOND, nullable=False),
    sa.PrimaryKeyConstraint('key', name=op.f('pk_reading_keys')),
    )
    op.create_table('superseded_readings_new',
    sa.Column('delivery_id', sa.BigInteger(), autoincrement=False, nullable=False),
    sa.Column('position', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('by_delivery_id', sa.BigInteger(), nullable=False),
    sa.PrimaryKeyConstraint('delivery_id', 'position', name=op.f('pk_superseded_readings')),
    )
    op.create_table('stale_usage_new',
    sa.Column('id', sa.BigInteger(), autoincrement=True, nullable=False),
    sa.Column('resource_id', sa.Integer(), nullable=False),
    sa.Column('meter_id', sa.Integer(), nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('marked_at', MOMENT, nullable=False),
    sa.Column('quiet', sa.Boolean(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_stale_usage')),
    )
    op.create_table('usage_days',
    sa.Column('project_number', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('meter_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('day', sa.Date(), nullable=False),
    sa.Column('resource_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('attribute_set_id', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('hours', sa.Integer(), nullable=False),
    sa.Column('slots', sa.VARBINARY(384), nullable=False),
    sa.Column('total', sa.DECIMAL(38, 6), nullable=False),
    sa.Column('readings', sa.Integer(), nullable=False),
    sa.PrimaryKeyConstraint('project_number', 'meter_id', 'day', 'resource_id', 'attribute_set_id', name=op.f('pk_usage_days')),
    )
    op.create_index('ix_usage_days_resource_id_meter_id_day', 'usage_days', ['resource_id', 'meter_id', 'day'])
    split_by_month()


def split_by_month() -> None:
    """Partitions like those that the readings have."""
    rows = op.get_bind().execute(sa.text(
        "SELECT partition_name, partition_description FROM information_schema.partitions "
        "WHERE table_schema = DATABASE() AND table_name = 'readings' ORDER BY partition_ordinal_position"
    ))
    parts = [(name, until) for name, until in rows]
    for table, column in (('readings_new', 'start_at'), ('usage_days', 'day')):
        bounds = [
            f"PARTITION {name} VALUES LESS THAN ({until if until == 'MAXVALUE' else repr(until.strip(chr(39))[:10])})"
            for name, until in parts
        ]
        op.execute(f"ALTER TABLE {table} PARTITION BY RANGE COLUMNS ({column}) ({', '.join(bounds)})")


def carry_over() -> None:
    """What there is, in the new tables; every day that a reading touches is marked."""
    key = key_of('r.feed_id', 'r.source', 'r.event_id')
    origin = key_of('r.source', "COALESCE(r.account, '')", "COALESCE(CONCAT(o.slug, '/', p.slug), '')")
    op.execute('INSERT INTO resources (feed_id, name, passes) SELECT DISTINCT feed_id, resource, 0 FROM readings')
    op.execute(
        'CREATE TABLE carried_readings (id BIGINT PRIMARY KEY, `key` BINARY(16) NOT NULL, position INT NOT NULL, '
        'resource_id INT NOT NULL, origin BINARY(16) NOT NULL, owner VARCHAR(191) COLLATE utf8mb4_bin, '
        'KEY by_key (`key`))'
    )
    op.execute(
        'INSERT INTO carried_readings (id, `key`, position, resource_id, origin, owner) '
        f'SELECT r.id, {key}, ROW_NUMBER() OVER (PARTITION BY r.delivery_id ORDER BY r.id) - 1, s.id, {origin}, '
        "CONCAT(o.slug, '/', p.slug) FROM readings r JOIN resources s ON s.feed_id = r.feed_id AND s.name = r.resource "
        'LEFT JOIN projects p ON p.id = r.project_id LEFT JOIN organisations o ON o.id = p.organisation_id'
    )
    op.execute(
        'INSERT INTO origins (hash, source, account, owner) '
        'SELECT c.origin, MIN(r.source), MIN(r.account), MIN(c.owner) '
        'FROM carried_readings c JOIN readings r ON r.id = c.id GROUP BY c.origin'
    )
    op.execute(
        'INSERT INTO readings_new (resource_id, meter_id, start_at, delivery_id, position, end_at, origin_id, '
        'attribute_set_id, event_id, sequence, quantity) '
        'SELECT c.resource_id, r.meter_id, r.start_at, r.delivery_id, c.position, r.end_at, o.id, r.attribute_set_id, '
        'r.event_id, r.sequence, r.quantity FROM readings r JOIN carried_readings c ON c.id = r.id '
        'JOIN origins o ON o.hash = c.origin ORDER BY c.resource_id, r.meter_id, r.start_at'
    )
    op.execute(
        'INSERT INTO reading_keys_new (`key`, content, sequence, delivery_id, position, resource_id, meter_id, start_at) '
        'SELECT k.`key`, k.content, k.sequence, k.delivery_id, COALESCE(c.position, 0), COALESCE(c.resource_id, 0), '
        'COALESCE(r.meter_id, 0), k.start_at FROM reading_keys k LEFT JOIN (carried_readings c '
        'JOIN readings r ON r.id = c.id) ON c.`key` = k.`key` AND r.delivery_id = k.delivery_id'
    )
    op.execute(
        'INSERT INTO superseded_readings_new (delivery_id, position, by_delivery_id) '
        'SELECT delivery_id, position, follows FROM (SELECT r.delivery_id, c.position, '
        'LEAD(r.delivery_id) OVER (PARTITION BY c.`key` ORDER BY r.sequence) AS follows '
        'FROM carried_readings c JOIN readings r ON r.id = c.id) AS ordered WHERE follows IS NOT NULL'
    )
    op.execute(
        'INSERT INTO stale_usage_new (resource_id, meter_id, day, marked_at, quiet) '
        'SELECT resource_id, meter_id, day, UTC_TIMESTAMP(6), 1 FROM ('
        'SELECT resource_id, meter_id, DATE(start_at) AS day FROM readings_new UNION '
        'SELECT resource_id, meter_id, DATE(end_at - INTERVAL 1 SECOND) FROM readings_new) AS touched '
        'ORDER BY day, resource_id, meter_id'
    )
