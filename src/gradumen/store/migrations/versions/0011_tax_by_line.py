"""tax by line: what is given back has the tax that it was charged with; taxes of a document by category and percentage

Before the new code: it writes the tax of each line. The account that runs this needs the right TRIGGER.
"""

from decimal import Decimal

import sqlalchemy as sa
from alembic import op

revision = '0011'
down_revision = '0010'
branch_labels = None
depends_on = None

AMOUNT: sa.DECIMAL[Decimal] = sa.DECIMAL(38, 12)
ISSUED = "EXISTS (SELECT 1 FROM invoices WHERE id = {row}.invoice_id AND state = 'issued')"


def upgrade() -> None:
    op.create_table('invoice_taxes',
    sa.Column('invoice_id', sa.Uuid(), nullable=False),
    sa.Column('category', sa.String(length=2, collation='ascii_bin'), nullable=False),
    sa.Column('percent', AMOUNT, nullable=False),
    sa.Column('net', AMOUNT, nullable=False),
    sa.Column('tax', AMOUNT, nullable=False),
    sa.ForeignKeyConstraint(['invoice_id'], ['invoices.id'], name=op.f('fk_invoice_taxes_invoice_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('invoice_id', 'category', 'percent', name=op.f('pk_invoice_taxes'))
    )
    op.execute(
        "INSERT INTO invoice_taxes (invoice_id, category, percent, net, tax) "
        "SELECT id, tax_category, tax_percent, net, tax FROM invoices"
    )
    op.create_table('returned_taxes',
    sa.Column('invoice_id', sa.Uuid(), nullable=False),
    sa.Column('corrects_id', sa.Uuid(), nullable=False),
    sa.Column('tax', AMOUNT, nullable=False),
    sa.ForeignKeyConstraint(['corrects_id'], ['invoices.id'], name=op.f('fk_returned_taxes_corrects_id'), ondelete='RESTRICT'),
    sa.ForeignKeyConstraint(['invoice_id'], ['invoices.id'], name=op.f('fk_returned_taxes_invoice_id'), ondelete='RESTRICT'),
    sa.PrimaryKeyConstraint('invoice_id', 'corrects_id', name=op.f('pk_returned_taxes'))
    )
    op.create_index(op.f('ix_returned_taxes_corrects_id'), 'returned_taxes', ['corrects_id'])
    op.add_column('invoice_lines', sa.Column('tax_category', sa.String(length=2, collation='ascii_bin'), nullable=True))
    op.add_column('invoice_lines', sa.Column('tax_percent', AMOUNT, nullable=True))
    op.add_column('invoice_lines', sa.Column('corrects_id', sa.Uuid(), nullable=True))
    # Lines of before have the tax of their document; what is issued is not changed by that, only written out.
    op.execute('DROP TRIGGER invoice_lines_update')
    op.execute(
        "UPDATE invoice_lines JOIN invoices ON invoices.id = invoice_lines.invoice_id "
        "SET invoice_lines.tax_category = invoices.tax_category, invoice_lines.tax_percent = invoices.tax_percent"
    )
    op.alter_column('invoice_lines', 'tax_category', existing_type=sa.String(length=2, collation='ascii_bin'), nullable=False)
    op.alter_column('invoice_lines', 'tax_percent', existing_type=AMOUNT, nullable=False)
    op.create_foreign_key(op.f('fk_invoice_lines_corrects_id'), 'invoice_lines', 'invoices', ['corrects_id'], ['id'], ondelete='RESTRICT')
    changed, removed = 'what is issued is never changed', 'what is issued is never removed'
    old, new = (ISSUED.format(row=row) for row in ('OLD', 'NEW'))
    refuse('invoice_lines', 'UPDATE', f'{old} OR {new}', changed)
    for table in ('invoice_taxes', 'returned_taxes'):
        refuse(table, 'INSERT', new, changed)
        refuse(table, 'UPDATE', f'{old} OR {new}', changed)
        refuse(table, 'DELETE', old, removed)


def refuse(table: str, act: str, where: str, message: str) -> None:
    """A trigger that refuses an act on rows of a table."""
    op.execute(
        f"CREATE TRIGGER {table}_{act.lower()} BEFORE {act} ON {table} FOR EACH ROW "
        f"IF {where} THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{message}'; END IF"
    )
