"""the database itself refuses to change or remove what is issued or recorded; PDFs of issued documents are kept

Before the new code: it keeps PDFs here. The account that runs this needs the right TRIGGER.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0008'
down_revision = '0007'
branch_labels = None
depends_on = None

ISSUED = "EXISTS (SELECT 1 FROM invoices WHERE id = {row}.{key} AND state = 'issued')"
PART_ISSUED = (
    "EXISTS (SELECT 1 FROM charges JOIN invoices ON invoices.id = charges.invoice_id "
    "WHERE charges.id = {row}.charge_id AND state = 'issued')"
)


def upgrade() -> None:
    op.create_table('issued_documents',
    sa.Column('invoice_id', sa.Uuid(), nullable=False),
    sa.Column('pdf', mysql.LONGBLOB(), nullable=False),
    sa.Column('made_at', mysql.DATETIME(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['invoice_id'], ['invoices.id'], name=op.f('fk_issued_documents_invoice_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('invoice_id', name=op.f('pk_issued_documents'))
    )
    changed, removed = 'what is issued is never changed', 'what is issued is never removed'
    refuse('invoices', 'UPDATE', "OLD.state = 'issued'", changed)
    refuse('invoices', 'DELETE', "OLD.state = 'issued'", removed)
    for table in ('invoice_lines', 'charges'):
        old, new = (ISSUED.format(row=row, key='invoice_id') for row in ('OLD', 'NEW'))
        refuse(table, 'INSERT', new, changed)
        refuse(table, 'UPDATE', f'{old} OR {new}', changed)
        refuse(table, 'DELETE', old, removed)
    refuse('charge_parts', 'UPDATE', PART_ISSUED.format(row='OLD'), changed)
    refuse('charge_parts', 'DELETE', PART_ISSUED.format(row='OLD'), removed)
    refuse('issued_documents', 'UPDATE', 'TRUE', changed)
    refuse('issued_documents', 'DELETE', 'TRUE', removed)
    refuse('document_counters', 'UPDATE', 'NEW.next_number < OLD.next_number', 'numbers of documents are given once')
    refuse('document_counters', 'DELETE', 'TRUE', 'numbers of documents are given once')
    refuse('audit_entries', 'UPDATE', 'TRUE', 'what is recorded is never changed')
    refuse('audit_entries', 'DELETE', 'TRUE', 'what is recorded is never removed')


def refuse(table: str, act: str, where: str, message: str) -> None:
    """A trigger that refuses an act on rows of a table."""
    op.execute(
        f"CREATE TRIGGER {table}_{act.lower()} BEFORE {act} ON {table} FOR EACH ROW "
        f"IF {where} THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{message}'; END IF"
    )
