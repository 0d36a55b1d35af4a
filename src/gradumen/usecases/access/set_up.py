"""The provider and its first administrator."""

from datetime import datetime
from uuid import UUID

from gradumen.core.errors import Conflict
from gradumen.core.permissions import Role
from gradumen.store.access.tables import MemberRow
from gradumen.store.clock import BusinessClockRow
from gradumen.store.organisations.organisations import is_any
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.access.users import add_user
from gradumen.usecases.audit_entries import record_sign_in
from gradumen.usecases.organisations.organisations import new_row


@use_case
def set_up_provider(
    tx: Session,
    *,
    slug: str,
    name: str,
    country: str,
    currency: str,
    billing_zone: str,
    email: str,
    user_name: str,
    password: str,
    at: datetime,
    address: str,
) -> UUID:
    """Make the provider, root of the tree, and its first administrator; only while there is none.

    Raises:
        Conflict: a provider is there already.
    """
    tx.get_one(BusinessClockRow, 1, with_for_update=True)
    if is_any(tx):
        raise Conflict("a provider is set up already; sign in instead")
    row = new_row(
        tx,
        type="provider",
        slug=slug,
        name=name,
        country=country,
        currency=currency,
        zone=billing_zone,
        cost_centre=None,
        segment=None,
        caller_at=at,
    )
    user = add_user(tx, email=email, name=user_name, password=password)
    tx.add(MemberRow(user_id=user.id, organisation_id=row.id, role=Role.ADMINISTRATOR))
    tx.flush()
    record_sign_in(tx, "set up", row.id, row.slug, at=at, user=user.id, address=address)
    return row.id


@use_case
def is_set_up(tx: Session) -> bool:
    """Whether a provider is there."""
    return is_any(tx)
