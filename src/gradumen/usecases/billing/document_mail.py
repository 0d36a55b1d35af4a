"""Who is sent an issued document."""

from datetime import date

from gradumen.core.exact import money
from gradumen.core.messages import Kind, month_words
from gradumen.core.permissions import Right
from gradumen.store.billing.tables import InvoiceRow
from gradumen.store.organisations.details import billing_contacts_of
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.messages import Reader, people_with, tell
from gradumen.usecases.scope import Scope


def tell_issued(tx: Session, scope: Scope, row: InvoiceRow, seller: OrganisationRow) -> None:
    """Send a document to the buyer's billing contacts; where it has named none, to its finance and administrators.

    Contacts are known to the seller, in whose list their messages are; the buyer's people are its own.
    """
    buyer = tx.get_one(OrganisationRow, row.buyer_id)
    contacts = [Reader(each.email, each.name) for each in billing_contacts_of(tx, buyer.id)]
    readers = contacts or people_with(tx, scope, buyer.id, Right.ORDER)
    facts = {
        "document": "Invoice" if row.kind == "invoice" else "Credit note",
        "number": row.number or "",
        "seller": seller.name,
        "customer": buyer.name,
        "total": f"{money(row.gross, row.currency)} {row.currency}",
        "period": month_words(date.fromisoformat(f"{row.period}-01")),
        "invoice": str(row.id),
    }
    for reader in readers:
        tell(
            tx,
            Kind.INVOICE,
            reader,
            facts,
            at=scope.caller.at,
            organisation=seller.id if contacts else buyer.id,
            sender=seller.id,
            path=f"/invoices/{row.id}",
        )
