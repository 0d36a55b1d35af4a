"""Unpublished changes of the catalogue: services, plans and rate cards being written, before they are published."""

from collections.abc import Sequence
from typing import Any
from uuid import uuid4

from gradumen.core.errors import EditedMeanwhile, Invalid, NotFound
from gradumen.core.names import slug_of
from gradumen.core.permissions import Right
from gradumen.store.access.tables import UserRow
from gradumen.store.catalogue.rate_cards import find_unpublished_change, unpublished_changes_of
from gradumen.store.catalogue.tables import UnpublishedChangeRow
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session, add_new, use_case
from gradumen.usecases.catalogue.publishing import Document, publish
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.catalogue.catalogue import ChangeBody
from gradumen.wire.catalogue.unpublished_changes import UnpublishedChangeBody

KINDS = ("service", "plan", "offer", "rate-card")
_MOST_CHARACTERS = 500_000


def _seller(tx: Session, caller: Caller, organisation: str) -> OrganisationRow:
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_CATALOGUE, seller)
    return seller


def _find(tx: Session, seller: OrganisationRow, kind: str, slug: str) -> UnpublishedChangeRow | None:
    return find_unpublished_change(tx, seller.id, kind, slug, lock=True)


def _get(tx: Session, seller: OrganisationRow, kind: str, slug: str) -> UnpublishedChangeRow:
    row = _find(tx, seller, kind, slug)
    if row is None:
        raise NotFound("unpublished change", f"{kind[:20]}/{slug[:70]}")
    return row


def _view(tx: Session, row: UnpublishedChangeRow) -> UnpublishedChangeBody:
    return _with_name(row, tx.get_one(UserRow, row.edited_by).name)


def _with_name(row: UnpublishedChangeRow, name: str) -> UnpublishedChangeBody:
    return UnpublishedChangeBody(
        kind=row.kind, slug=row.slug, form=row.form, version=row.version, edited_by=name, edited_at=row.edited_at
    )


@use_case
def list_changes(tx: Session, caller: Caller, *, organisation: str) -> list[UnpublishedChangeBody]:
    """A seller's unpublished changes, by kind and slug."""
    seller = _seller(tx, caller, organisation)
    return [_with_name(row, name) for row, name in unpublished_changes_of(tx, seller.id)]


@use_case
def read_change(tx: Session, caller: Caller, *, organisation: str, kind: str, slug: str) -> UnpublishedChangeBody:
    """One unpublished change."""
    return _view(tx, _get(tx, _seller(tx, caller, organisation), kind, slug))


@use_case
def save_change(
    tx: Session, caller: Caller, *, organisation: str, kind: str, slug: str, form: dict[str, Any], version: int | None
) -> UnpublishedChangeBody:
    """Keep an unpublished change, also with mistakes.

    Args:
        version: the one that was edited; None begins one.

    Raises:
        EditedMeanwhile: somebody else saved it since; nothing is kept, the caller still has its text.
    """
    seller = _seller(tx, caller, organisation)
    if kind not in KINDS:
        raise Invalid(f"kind is one of {', '.join(KINDS)}", field="kind", value=kind)
    slug_of(slug, field=kind)
    if form.get(kind) != slug:
        raise Invalid(f"the form's {kind} must be '{slug}'", field=kind, value=form.get(kind))
    if len(str(form)) > _MOST_CHARACTERS:
        raise Invalid(f"what is written has at most {_MOST_CHARACTERS} characters", field="form")
    row = _find(tx, seller, kind, slug)
    if row is None and version is None:
        row = UnpublishedChangeRow(id=uuid4(), organisation_id=seller.id, kind=kind, slug=slug, version=0)
        row.form, row.edited_by, row.edited_at = form, caller.user_id, caller.at
        if not add_new(tx, row):
            raise _edited(tx, None, kind, slug)
    if row is None or (row.version or None) != version:
        raise _edited(tx, row, kind, slug)
    row.form, row.edited_by, row.edited_at, row.version = form, caller.user_id, caller.at, row.version + 1
    tx.flush()
    return _view(tx, row)


def _edited(tx: Session, row: UnpublishedChangeRow | None, kind: str, slug: str) -> EditedMeanwhile:
    if row is None:
        return EditedMeanwhile(
            f"the unpublished {kind} '{slug}' is gone, published or discarded by somebody; your text is not "
            "lost, save it as a new one",
            version=None,
        )
    view = _view(tx, row)
    return EditedMeanwhile(
        f"{view.edited_by} saved this meanwhile, it is at version {row.version}; your text is not lost, compare "
        "it with theirs and save again over that version",
        version=row.version,
    )


@use_case
def discard_change(tx: Session, caller: Caller, *, organisation: str, kind: str, slug: str) -> None:
    """Throw an unpublished change away; what is published stays. Asking again does no harm."""
    row = _find(tx, _seller(tx, caller, organisation), kind, slug)
    if row is not None:
        tx.delete(row)


@use_case
def publish_change(
    tx: Session,
    caller: Caller,
    *,
    organisation: str,
    kind: str,
    slug: str,
    version: int,
    documents: Sequence[Document],
) -> list[ChangeBody]:
    """Publish an unpublished change, given as a document of the version that was looked at; that is gone after it.

    Raises:
        EditedMeanwhile: it is at another version.
        CatalogueInvalid: it has mistakes; it stays unpublished.
    """
    seller = _seller(tx, caller, organisation)
    row = _get(tx, seller, kind, slug)
    if row.version != version:
        raise _edited(tx, row, kind, slug)
    changes = publish(tx, caller, organisation, documents)
    tx.delete(row)
    return changes
