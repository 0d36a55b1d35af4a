"""Supply lines: what a subscription is on each link above its subscriber, from a day on."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from itertools import pairwise
from typing import Any
from uuid import UUID, uuid4

from gradumen.core.catalogue.plans import Plan, Tier
from gradumen.core.errors import Invalid
from gradumen.core.mistakes import at
from gradumen.core.periods import months_after
from gradumen.store.catalogue.rate_cards import find_card, versions_of
from gradumen.store.catalogue.tables import RateCardRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions.subscriptions import lines_of
from gradumen.store.subscriptions.tables import SubscriptionRow, SupplyLineRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.card_choice import choose_card
from gradumen.usecases.catalogue.published import Published
from gradumen.wire.catalogue.forms.plans import read_special_terms

SAME = ("plan_version_id", "tier", "quantity", "paused", "trial", "choices")
"""What a line has of what its subscriber subscribed to, on every link."""
Held = tuple[date, dict[str, Any]]
"""From which day on columns of a line have which values."""


def links_of(chain: list[UUID], plan: Plan, published: Published) -> list[tuple[UUID, UUID]]:
    """The links (buyer, seller) of a chain on which a plan's services are bought, from the subscriber up.

    Above the owner of a service nobody sells it. The root's own use is a link to itself.
    """
    highest = max(chain.index(published.owners["service", service]) for service in plan.services)
    return list(pairwise(chain))[:highest] or [(chain[0], chain[0])]


def add_lines(
    tx: Session,
    row: SubscriptionRow,
    links: list[tuple[UUID, UUID]],
    plan: Plan,
    wanted: Sequence[Held],
    rate_card: str | None,
) -> None:
    """Lines of each link; where a card goes over to another at renewal, so does the line.

    Args:
        wanted: what is subscribed to from day to day, the columns `SAME`.
    """
    known = organisations_by_id(tx, {each for link in links for each in link})
    for depth, (buyer_id, seller_id) in enumerate(links):
        named = rate_card if depth == 0 else None
        card = choose_card(tx, known[seller_id], known[buyer_id], named)
        lines = [
            SupplyLineRow(
                id=uuid4(),
                subscription_id=row.id,
                depth=depth,
                seller_id=seller_id,
                buyer_id=buyer_id,
                starts_on=day,
                rate_card_id=card.id,
                card_named=named is not None,
                special_terms={},
                **same,
            )
            for day, same in as_sold(wanted, depth, plan, row.starts_on)
        ]
        renewal = find_renewal(tx, known[seller_id], card, plan, row.starts_on)
        if renewal is not None:
            renews_on, renewed = renewal
            held = [line for line in lines if line.starts_on <= renews_on][-1]
            if held.starts_on < renews_on:
                lines.append(copy_line(held, renews_on))
            for line in lines:
                if line.starts_on >= renews_on:
                    line.rate_card_id = renewed.id
        tx.add_all(lines)
    tx.flush()


def as_sold(wanted: Sequence[Held], depth: int, plan: Plan, first_day: date) -> list[Held]:
    """What a link's lines have of what is subscribed to.

    Who sells directly may give any trial; sellers above give the days that the plan has, whatever is sold on as free.
    """
    until = plan.tried_until(first_day)
    found: list[Held] = []
    for (day, same), end in zip(wanted, [*(day for day, _ in wanted[1:]), date.max], strict=True):
        pieces = [(day, same)]
        if depth and same["trial"] and end > until:
            pieces = [*(pieces if day < until else ()), (max(day, until), same | {"trial": False})]
        found += [each for each in pieces if not found or each[1] != found[-1][1]]
    return found


def is_tried(lines: Sequence[SupplyLineRow], plan: Plan, first_day: date, day: date) -> bool:
    """Whether a subscription is on a trial that the plan has up to a day: until then no term is agreed.

    Args:
        lines: between its subscriber and who sells to that.
    """
    before = [line for line in lines if line.starts_on < day][-1:]
    return any(line.trial for line in before) and day <= plan.tried_until(first_day)


def find_renewal(
    tx: Session, seller: OrganisationRow, card: RateCardRow, plan: Plan, first_day: date
) -> tuple[date, RateCardRow] | None:
    """When a subscription's first term ends, and the card that prices it from then on; None if none is said."""
    months = plan.duration.minimum_months or (plan.duration.renewal.months if plan.duration.renewal else 0)
    versions = versions_of(tx, card.id)
    held = [each for each in versions if each.starts_on <= first_day] or versions[:1]
    slug = held[-1].document.get("at-renewal") if held and months else None
    if slug is None:
        return None
    found = find_card(tx, seller.id, slug)
    return None if found is None else (months_after(first_day, months), found)


def cards_by_rules(
    tx: Session, seller: OrganisationRow, buyer: OrganisationRow, plan: Plan, first_day: date
) -> list[tuple[date, RateCardRow]]:
    """The card by a seller's rules, and from its day on the one that this goes over to where a subscription renews.

    Raises:
        NotPriceable: see `choose_card`.
    """
    card = choose_card(tx, seller, buyer, None)
    renewal = find_renewal(tx, seller, card, plan, first_day)
    return [(date.min, card), *([renewal] if renewal else [])]


def copy_line(line: SupplyLineRow, starts_on: date) -> SupplyLineRow:
    """The same from another day on."""
    values = {
        column.name: getattr(line, column.name)
        for column in SupplyLineRow.__table__.columns
        if column.name not in ("id", "starts_on", "opens_at")
    }
    return SupplyLineRow(id=uuid4(), starts_on=starts_on, **values)


def by_link(lines: Iterable[SupplyLineRow]) -> dict[tuple[UUID, UUID], list[SupplyLineRow]]:
    """Lines by buyer and seller, as they come; where somebody moves, a link may stay at another depth than it was."""
    found: dict[tuple[UUID, UUID], list[SupplyLineRow]] = {}
    for line in lines:
        found.setdefault((line.buyer_id, line.seller_id), []).append(line)
    return found


def held_from(lines: Iterable[SupplyLineRow], day: date) -> list[SupplyLineRow]:
    """The lines of a link that hold on a day and after it; none where all end before."""
    known = list(lines)
    before = [line for line in known if line.starts_on <= day][-1:]
    after = [line for line in known if line.starts_on > day]
    return [line for line in before if line.ends_on is None or line.ends_on > day] + after


def link_from(lines: Iterable[SupplyLineRow], day: date) -> list[SupplyLineRow]:
    """Of a seller's lines those of the link that holds on a day, else of the next that begins; none where all end."""
    held = [here for each in by_link(lines).values() if (here := held_from(each, day))]
    return min(held, key=lambda here: max(here[0].starts_on, day), default=[])


def own_lines(tx: Session, subscription: UUID) -> list[SupplyLineRow]:
    """A subscription's lines between its subscriber and who sells to that, in the order of their days."""
    return [line for line in lines_of(tx, subscription) if line.depth == 0]


def from_day(tx: Session, lines: list[SupplyLineRow], day: date) -> list[SupplyLineRow]:
    """The lines of a link from a day on; the one that holds then is divided there. None where all end before."""
    changed = held_from(lines, day)
    if changed and changed[0].starts_on < day:
        changed[0] = copy_line(changed[0], day)
        tx.add(changed[0])
    return changed


def check_quantity(quantity: int) -> None:
    """Check how many of a subscription are wanted."""
    if not 1 <= quantity <= 1_000_000:
        raise Invalid(f"quantity lies between 1 and 1000000; got {quantity}", field="quantity", value=quantity)


def read_choices(raw: Mapping[str, str], plan: Plan, published: Published) -> dict[str, str]:
    """A subscriber's choices by ``service/choice``, with the defaults of those not made.

    Raises:
        Invalid: no such choice or value.
    """
    offered = {
        f"{service}/{choice.slug}": choice
        for service in plan.services
        for choice in published.services[service].choices
    }
    for key, value in raw.items():
        if key not in offered:
            known = ", ".join(offered) or "none"
            raise Invalid(f"choice '{key[:80]}' is not one of this plan's: {known}", field="choices", value=key)
        if value not in offered[key].values:
            known = ", ".join(offered[key].values)
            raise Invalid(f"choice '{key}' has the values {known}", field="choices", value=value)
    return {key: raw.get(key, choice.default) for key, choice in offered.items()}


def with_special_terms(tier: Tier, special_terms: Mapping[str, Any], plan: Plan, published: Published) -> Tier:
    """A tier with the allowances and levels of a line in place of its own.

    Raises:
        Invalid: as a tier's would be.
    """
    with at("special_terms"):
        return read_special_terms(tier, special_terms, plan, published.meters)
