"""Who organisations are on paper, and how to reach them: theirs and their seller's to change."""

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

from gradumen.core.errors import EditedMeanwhile, Forbidden, Invalid
from gradumen.core.names import name_of
from gradumen.core.organisations.papers import email_of, language_of, phone_of, street_of, tax_id_of
from gradumen.core.permissions import Right
from gradumen.store.organisations import details as store
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import DetailsRow, OrganisationRow
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.organisations.details import BillingContactBody, DetailsBody

MOST_CONTACTS = 20
_LENGTHS = {"legal_name": 200, "registration": 60, "postal_code": 20, "town": 100, "region": 100}
FIELDS = (*_LENGTHS, "tax_id", "street", "email", "phone", "language")


@use_case
def read_details(tx: Session, caller: Caller, *, organisation: str) -> DetailsBody:
    """What is known of an organisation, for its own members and those of its direct seller.

    Raises:
        Forbidden: the caller is further up: whom a reseller sells to, and how to reach them, is its own.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    _as_whom(scope, row, Right.READ)
    return _view(tx, scope, row)


@use_case
def change_details(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    billing_contacts: Sequence[BillingContactBody],
    version: int | None,
    given: Mapping[str, str | None],
) -> DetailsBody:
    """Put what is known of an organisation in the place of what was. Asking again changes nothing.

    Args:
        version: of what was read; None changes it whatever it is.
        given: see `FIELDS`; what is left out is not known.

    Raises:
        Forbidden: the caller is a member neither of it nor of its direct seller, or may not change it there.
        Invalid: a field cannot be read.
        EditedMeanwhile: it is at another version.
    """
    scope = load_scope(tx, caller)
    row = get_organisation(tx, scope, organisation)
    acting = _as_whom(scope, row, Right.MANAGE_ORGANISATIONS)
    wanted = {name: _read(name, given.get(name), row.country) for name in FIELDS}
    contacts = _contacts(billing_contacts)
    details = store.lock_details(tx, row.id)
    if version is not None and version != details.version:
        raise EditedMeanwhile(
            f"the details of {row.name} are at version {details.version}, you changed {version}; look again",
            version=details.version,
        )
    before = {**_values(details), "billing_contacts": _held(tx, row)}
    after: dict[str, Any] = {**wanted, "billing_contacts": contacts}
    changed = [name for name in after if before[name] != after[name]]
    if changed:
        for name in set(changed) & set(FIELDS):
            setattr(details, name, wanted[name])
        if "billing_contacts" in changed:
            store.set_billing_contacts(tx, row.id, contacts)
        details.version += 1
        tx.flush()
        values = [{name: each[name] for name in changed} for each in (before, after)]
        record(tx, caller, "details changed", acting, row.slug, concerns=row.id, before=values[0], after=values[1])
    return _view(tx, scope, row)


def _as_whom(scope: Scope, row: OrganisationRow, right: Right) -> UUID:
    """The organisation as whose member the caller has a right here: itself, or its direct seller."""
    for each in scope.tree.chain(row.id)[:2]:
        if scope.is_member(each, right):
            return each
    raise Forbidden(right=right, organisation=row.slug, name=row.name)


def _read(name: str, raw: str | None, country: str) -> str | None:
    if raw is None or not raw.strip():
        return None
    if name in _LENGTHS:
        return name_of(raw, field=name, most=_LENGTHS[name])
    if name == "tax_id":
        return tax_id_of(raw, country)
    if name == "email":
        return email_of(raw, field=name)
    return {"street": street_of, "phone": phone_of, "language": language_of}[name](raw)


def _contacts(given: Sequence[BillingContactBody]) -> list[tuple[str, str]]:
    if len(given) > MOST_CONTACTS:
        raise Invalid(
            f"an organisation has at most {MOST_CONTACTS} billing contacts; got {len(given)}", field="billing_contacts"
        )
    found = {
        email_of(each.email, field=f"billing_contacts[{place}].email").lower(): name_of(
            each.name, field=f"billing_contacts[{place}].name"
        )
        for place, each in enumerate(given)
    }
    if len(found) < len(given):
        raise Invalid("two billing contacts have the same e-mail address", field="billing_contacts")
    return sorted((name, email) for email, name in found.items())


def _values(details: DetailsRow) -> dict[str, Any]:
    return {name: getattr(details, name) for name in FIELDS}


def _held(tx: Session, row: OrganisationRow) -> list[tuple[str, str]]:
    return sorted((each.name, each.email) for each in store.billing_contacts_of(tx, row.id))


def _view(tx: Session, scope: Scope, row: OrganisationRow) -> DetailsBody:
    details = store.details_of(tx, [row.id]).get(row.id)
    payer = organisations_by_id(tx, [details.payer_id]) if details and details.payer_id else {}
    paying = next(iter(payer.values()), None)
    seller = scope.tree.parents.get(row.id)
    mine = seller is not None and scope.is_member(seller)
    return DetailsBody(
        organisation=row.slug,
        organisation_name=row.name,
        country=row.country,
        payer=paying.slug if paying else None,
        payer_name=paying.name if paying else None,
        notes=store.notes_of(tx, seller, row.id) if mine and seller else None,
        billing_contacts=[BillingContactBody(name=name, email=email) for name, email in _held(tx, row)],
        version=details.version if details else 0,
        **(_values(details) if details else dict.fromkeys(FIELDS)),
    )
