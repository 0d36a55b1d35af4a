"""Rate cards that follow others: what they come to when published, and which follow a new version of their base."""

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.catalogue.derived import Derivation
from gradumen.core.errors import Invalid
from gradumen.store.catalogue.rate_cards import (
    find_card,
    find_card_of,
    find_unpublished_change,
    versions_following,
    versions_of,
)
from gradumen.store.catalogue.tables import RateCardRow, RateCardVersionRow, UnpublishedChangeRow
from gradumen.store.organisations.tables import OrganisationRow, Tree, local_day
from gradumen.store.subscriptions.sales import prices_any
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.card_choice import cards_offered
from gradumen.usecases.catalogue.published import Published
from gradumen.wire.catalogue.forms.derivations import read_derivation, source_form
from gradumen.wire.catalogue.forms.rate_cards import rate_card_form, read_rate_card
from gradumen.wire.catalogue.forms.rates import rate_form


def bases_first(forms: Sequence[Mapping[str, Any]], seller: str) -> list[int]:
    """The places of forms that are published together, so that each card comes after the one that it follows."""
    cards = {str(form.get("rate-card")): place for place, form in enumerate(forms) if "rate-card" in form}
    found: list[int] = []

    def put(place: int, above: tuple[int, ...] = ()) -> None:
        derived = forms[place].get("derived")
        owner, _, slug = str(derived.get("base") if isinstance(derived, dict) else "").partition("/")
        base = cards.get(slug) if owner == seller else None
        if base is not None and base not in (*found, *above, place):
            put(base, (*above, place))
        if place not in found:
            found.append(place)

    for place in range(len(forms)):
        put(place)
    return found


def expand(
    tx: Session, tree: Tree, seller: OrganisationRow, published: Published, form: dict[str, Any]
) -> dict[str, Any]:
    """A derived card's form with the rates of its base at the derived prices, then those of its own; others as is.

    A rate of its own replaces the base's of the same name.

    Raises:
        Invalid: the base is not there, has no version on that day, another currency, or follows this card.
    """
    derivation = read_derivation(form)
    if derivation is None:
        return form
    own = [rate for rate in form.get("rates") or [] if isinstance(rate, dict)]
    base = _base(tx, tree, seller, derivation, form)
    starts_on = str(form.get("starts-on"))
    held = [each for each in versions_of(tx, base.id) if each.starts_on.isoformat() <= starts_on]
    if not held:
        message = f"the base '{derivation.card}' has no version on {starts_on[:20]}"
        raise Invalid(message, field="derived", value=starts_on)
    rates = read_rate_card(held[-1].document, published.stored, 1).version.rates
    taken = {str(rate.get("rate")) for rate in own}
    derived = [rate_form(rate) for rate in derivation.derive(rates) if rate.slug not in taken]
    how = {**form["derived"], **({"own": own} if own else {})}
    return {**form, "rates": [*derived, *own], "derived": how}


def _base(
    tx: Session, tree: Tree, seller: OrganisationRow, derivation: Derivation, form: dict[str, Any]
) -> RateCardRow:
    """The card that another follows: the seller's own, or one by which it buys or would, in the same currency."""
    found = find_card_of(tx, derivation.seller, derivation.card)
    path = f"{derivation.seller}/{derivation.card}"
    if found is None or not _may_follow(tx, tree, seller, *found):
        message = f"rate card '{path}' is none of yours and none that you buy by"
        raise Invalid(message, field="derived", value=path)
    card: RateCardRow = found[0]
    if card.currency != form.get("currency"):
        message = f"the base is in {card.currency}; a derived card has its base's currency"
        raise Invalid(message, field="currency", value=form.get("currency"))
    _check_circle(tx, seller, card, str(form.get("rate-card")))
    return card


def _may_follow(tx: Session, tree: Tree, seller: OrganisationRow, card: RateCardRow, owner: OrganisationRow) -> bool:
    own = owner.id == seller.id or prices_any(tx, card.id, [seller.id])
    return own or card.id in cards_offered(tx, tree, [seller.id])


def _check_circle(tx: Session, seller: OrganisationRow, base: RateCardRow, slug: str) -> None:
    """A card follows none that follows it; another seller's card cannot follow one of a buyer's."""
    way = [slug]
    card: RateCardRow | None = base
    while card is not None and card.organisation_id == seller.id:
        way.append(card.slug)
        if card.slug == slug:
            message = f"rate cards follow each other in a circle: {' → '.join(way)}"
            raise Invalid(message, field="derived", value=slug)
        versions = versions_of(tx, card.id)
        following = read_derivation(source_form(versions[-1].document)) if versions else None
        card = find_card(tx, seller.id, following.card) if following else None


def followers(
    tx: Session, tree: Tree, seller: OrganisationRow, published: Published, form: dict[str, Any], now: datetime
) -> list[tuple[OrganisationRow, dict[str, Any]]]:
    """The cards that follow one, with what they are written as from the day of its new version, or of their notice.

    On their sellers' clocks that day may have begun already; then from the next one. Where they have a later version
    already that was made without the base's new one, from the day after that.
    """
    starts_on = date.fromisoformat(str(form["starts-on"]))
    path = f"{seller.slug}/{form['rate-card']}"
    newest = {version.rate_card_id: (version, owner) for version, owner in versions_following(tx, path)}
    found: list[tuple[OrganisationRow, dict[str, Any]]] = []
    for version, owner in newest.values():
        derivation = read_derivation(source_form(version.document))
        if derivation is None or f"{derivation.seller}/{derivation.card}" != path:
            continue
        day = max(starts_on, local_day(tx, owner.id, now) + timedelta(days=max(1, derivation.notice_days)))
        written = source_form(version.document)
        if version.starts_on >= day:
            if _stands(tx, tree, owner, published, written, version):
                continue
            day = version.starts_on + timedelta(days=1)
        found.append((owner, {**written, "starts-on": day.isoformat()}))
    return found


def _stands(
    tx: Session,
    tree: Tree,
    owner: OrganisationRow,
    published: Published,
    written: dict[str, Any],
    version: RateCardVersionRow,
) -> bool:
    """Whether a version has what comes of its base by now; not where nothing can come of that any more."""
    try:
        form = expand(tx, tree, owner, published, {**written, "starts-on": version.starts_on.isoformat()})
        card = read_rate_card(form, published.known, version.number)
    except Invalid:
        return False
    return bool(rate_card_form(card)["rates"] == version.document["rates"])


def leave_unpublished(tx: Session, owner: OrganisationRow, form: dict[str, Any], by: UUID, at: datetime) -> None:
    """Leave a version that does not fit its base as an unpublished change of its seller, unless it is writing one."""
    slug = str(form["rate-card"])
    if find_unpublished_change(tx, owner.id, "rate-card", slug) is None:
        row = UnpublishedChangeRow(id=uuid4(), organisation_id=owner.id, kind="rate-card", slug=slug, version=1)
        row.form, row.edited_by, row.edited_at = form, by, at
        tx.add(row)
        tx.flush()
