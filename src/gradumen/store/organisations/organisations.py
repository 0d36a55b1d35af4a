"""Queries of organisations and their projects."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import bindparam, exists, func, or_, select, update
from sqlalchemy.orm import Session

from gradumen.store.columns import has_text
from gradumen.store.organisations.tables import BuyerTagRow, OrganisationRow, ParentEdgeRow, ProjectRow

# Nearly every call asks these: they are made once.
_BY_SLUG = select(OrganisationRow).where(OrganisationRow.slug == bindparam("slug"))
_BY_ID = select(OrganisationRow).where(OrganisationRow.id.in_(bindparam("ids", expanding=True)))
_SLUGS = select(OrganisationRow.id, OrganisationRow.slug).where(
    OrganisationRow.id.in_(bindparam("ids", expanding=True))
)


def find_organisation(tx: Session, slug: str) -> OrganisationRow | None:
    """The organisation of a slug."""
    return tx.scalars(_BY_SLUG, {"slug": slug}).first()


def organisations_by_id(tx: Session, ids: Collection[UUID]) -> dict[UUID, OrganisationRow]:
    """Organisations by id."""
    if not ids:
        return {}
    return {row.id: row for row in tx.scalars(_BY_ID, {"ids": [*ids]})}


def slugs_of(tx: Session, ids: Collection[UUID]) -> dict[UUID, str]:
    """The slugs of organisations."""
    if not ids:
        return {}
    return dict(tx.execute(_SLUGS, {"ids": [*ids]}).all())


def organisations_by_slug(tx: Session, slugs: Collection[str]) -> dict[str, OrganisationRow]:
    """Those of some slugs that there are."""
    rows = tx.scalars(
        select(OrganisationRow).where(OrganisationRow.slug.in_([each for each in slugs if each.isascii()]))
    )
    return {row.slug: row for row in rows}


def is_any(tx: Session) -> bool:
    """Whether there is an organisation at all."""
    return bool(tx.scalar(select(func.count()).select_from(OrganisationRow)))


FEW = 500
"""So many organisations are named in a query; of more, those wanted are picked from pages of all."""


@dataclass(frozen=True, slots=True)
class Listed:
    """What a list of organisations shows of one."""

    id: UUID
    type: str
    slug: str
    name: str
    country: str
    currency: str
    segment: str | None
    cost_centre: str | None
    tags: tuple[str, ...] = ()
    """Those that some sellers gave it, where they are asked for."""


def page_of_organisations(
    tx: Session,
    ids: Collection[UUID],
    *,
    after: str | None,
    limit: int,
    search: str,
    type: str | None,
    of_all: int,
    parent: UUID | None = None,
    taggers: Collection[UUID] = (),
) -> list[Listed]:
    """Some of these organisations, by slug, after a slug; ``search`` is found in slug or name.

    Args:
        of_all: how many there are from which these are: all, or those that ``parent`` sells to.
        parent: who sells to all of them, where somebody does.
        taggers: sellers whose tags are wanted too.
    """
    if len(ids) <= FEW:
        return _page(tx, ids, None, after, limit, search, type, taggers)
    found: list[Listed] = []
    # A few more than there should have to be: another page costs more than they do.
    size = limit if len(ids) == of_all else max(limit, min(limit * of_all // len(ids) * 9 // 8 + 2, 5000))
    while len(found) < limit:
        rows = _page(tx, None, parent, after, size, search, type, taggers)
        found += [row for row in rows if row.id in ids]
        if len(rows) < size:
            break
        after = rows[-1].slug
    return found[:limit]


def _page(
    tx: Session,
    ids: Collection[UUID] | None,
    parent: UUID | None,
    after: str | None,
    limit: int,
    search: str,
    type: str | None,
    taggers: Collection[UUID],
) -> list[Listed]:
    row, tag = OrganisationRow, BuyerTagRow
    query = select(row.id, row.type, row.slug, row.name, row.country, row.currency, row.segment, row.cost_centre)
    if taggers:
        given = select(func.aggregate_strings(tag.tag, "\n"))
        own = given.where(tag.buyer_id == row.id, tag.seller_id.in_(taggers))
        query = query.add_columns(own.scalar_subquery())
    query = query.order_by(row.slug)
    if ids is not None:
        query = query.where(row.id.in_(ids))
    if parent is not None:
        # Those of other times too: who asks for some knows which they are.
        query = query.where(exists().where(ParentEdgeRow.child_id == row.id, ParentEdgeRow.parent_id == parent))
    if after is not None:
        query = query.where(row.slug > after)
    if type is not None:
        query = query.where(row.type == type)
    if search:
        query = query.where(or_(*(has_text(column, search) for column in (row.slug, row.name))))
        # All are looked into: sorting those that are found costs less than fetching each by the order of the slugs.
        query = query.with_hint(row, "IGNORE INDEX FOR ORDER BY (uq_organisations_slug)")
    elif ids is None and parent is None and type is None:
        # A page of all is the next so many of the index; the database would look at all and sort them.
        query = query.with_hint(row, "FORCE INDEX FOR ORDER BY (uq_organisations_slug)")
    rows: Sequence[Any] = tx.execute(query.limit(limit)).all()
    if not taggers:
        return [Listed(*each) for each in rows]
    return [Listed(*(*each[:-1], _tags(each[-1]))) for each in rows]


def _tags(written: str | None) -> tuple[str, ...]:
    return tuple(sorted(written.split("\n"))) if written else ()


def end_edge(tx: Session, child: UUID, parent: UUID, at: datetime) -> None:
    """Nobody sells to an organisation any more, from a moment on."""
    row = ParentEdgeRow
    open_edge = update(row).where(row.child_id == child, row.parent_id == parent, row.ends_at.is_(None))
    tx.execute(open_edge.values(ends_at=at))


def lock_organisation(tx: Session, organisation: UUID) -> None:
    """Write the row that every decision about an organisation's members, state and what is new for it writes."""
    tx.execute(
        update(OrganisationRow)
        .where(OrganisationRow.id == organisation)
        .values(members_version=OrganisationRow.members_version + 1)
    )


def find_project(tx: Session, organisation: UUID, slug: str) -> ProjectRow | None:
    """The project of a slug in an organisation."""
    return tx.scalars(
        select(ProjectRow).where(ProjectRow.organisation_id == organisation, ProjectRow.slug == slug)
    ).first()


def names_of_owners(
    tx: Session, owners: Collection[tuple[str, str | None]]
) -> dict[tuple[str, str | None], tuple[str, str | None]]:
    """The names of organisations and of projects of theirs, by their slugs; of a project that is gone, its slug."""
    organisations = {organisation for organisation, _ in owners}
    named = dict(
        tx.execute(
            select(OrganisationRow.slug, OrganisationRow.name).where(OrganisationRow.slug.in_(organisations))
        ).all()
    )
    query = (
        select(OrganisationRow.slug, ProjectRow.slug, ProjectRow.name)
        .join(OrganisationRow, OrganisationRow.id == ProjectRow.organisation_id)
        .where(OrganisationRow.slug.in_(organisations), ProjectRow.slug.in_({each for _, each in owners if each}))
    )
    projects = {(organisation, project): name for organisation, project, name in tx.execute(query)}
    return {
        (organisation, project): (
            named.get(organisation, organisation),
            projects.get((organisation, project), project) if project else None,
        )
        for organisation, project in owners
    }
