"""Trials, subscriptions and states that are about to end: told to their people before, once each time."""

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from uuid import UUID

from gradumen.core.catalogue.offers import renamed
from gradumen.core.exact import money
from gradumen.core.messages import Kind, day_words
from gradumen.core.permissions import Right
from gradumen.core.subscriptions.endings import AHEAD, Ending, due
from gradumen.store.catalogue.tables import PlanVersionRow
from gradumen.store.organisations.organisations import organisations_by_id
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.subscriptions import endings as store
from gradumen.store.subscriptions.endings import Coming
from gradumen.store.subscriptions.subscriptions import subscriptions_by_id
from gradumen.store.subscriptions.tables import SubscriptionRow
from gradumen.store.unit_of_work import Session, UnitOfWork, use_case
from gradumen.usecases.catalogue.offers import Offers
from gradumen.usecases.catalogue.published import Published, load_published, plan_of
from gradumen.usecases.messages import people_with, tell
from gradumen.usecases.scope import business_now, scope_of_nobody
from gradumen.usecases.subscriptions.orders import monthly_of
from gradumen.usecases.subscriptions.supply_lines import own_lines


def tell_endings(uow: UnitOfWork, *, at: datetime) -> int:
    """Tell what is due to be told, each in a transaction of its own; gives how many endings were told."""
    return sum(tell_ending(uow, coming=coming, at=at) for coming in due_endings(uow, at=at))


@use_case
def due_endings(tx: Session, *, at: datetime) -> list[Coming]:
    """What ends soon and is to be told now, as far as it was not told yet."""
    today = business_now(tx, at).date()
    found = store.endings(tx, today + timedelta(days=1), today + timedelta(days=max(AHEAD)))
    known = store.told_of(tx, [each.subject for each in found])
    return [
        each
        for each in found
        if (days := due(each.day, each.since, today)) is not None
        and (each.subject, each.kind, each.day, days) not in known
    ]


@use_case
def tell_ending(tx: Session, *, coming: Coming, at: datetime) -> bool:
    """Tell those who may do something about an ending; False where that was done already."""
    scope = scope_of_nobody(tx, at)
    days = due(coming.day, coming.since, scope.now.date())
    if days is None or not store.note_told(tx, coming, days, at):
        return False
    seller = scope.tree.parents.get(coming.organisation, coming.organisation)
    owner = organisations_by_id(tx, {coming.organisation})[coming.organisation]
    what, then = Words(tx, [coming], load_published(tx)).of(coming, seller)
    right = Right.MANAGE_MEMBERS if coming.kind is Ending.STATE else Right.ORDER
    for reader in people_with(tx, scope, owner.id, right):
        tell(
            tx,
            Kind.ENDS_SOON,
            reader,
            {"customer": owner.name, "what": what, "then": then},
            at=at,
            organisation=owner.id,
            sender=seller,
            path=path_of(coming, owner),
        )
    return True


def path_of(coming: Coming, owner: OrganisationRow) -> str:
    """Where something is done about it."""
    tab = "details" if coming.kind is Ending.STATE else "subscriptions"
    return f"/organisations/{owner.slug}/{tab}"


class Words:
    """Endings in the words of who sells, with what comes after them."""

    def __init__(self, tx: Session, coming: Sequence[Coming], published: Published) -> None:
        self.tx, self.published = tx, published
        self.rows: Mapping[UUID, SubscriptionRow] = subscriptions_by_id(
            tx, {each.subject for each in coming if each.kind is not Ending.STATE}
        )

    def of(self, coming: Coming, seller: UUID) -> tuple[str, str]:
        """What ends with which day, and what holds from then on, as sentences without and with an end."""
        last, day = day_words(coming.day - timedelta(days=1)), day_words(coming.day)
        if coming.kind is Ending.STATE:
            return f"it will be {coming.state} from {day} on", "Ask your seller if that is not what you expect."
        row = self.rows[coming.subject]
        named = f"{row.name} ({self._plan(row, seller)})"
        if coming.kind is Ending.SUBSCRIPTION:
            return f"{named} ends with {last}", "From then on it is not charged, and nothing is promised any more."
        if row.ends_on == coming.day:
            return f"the trial of {named} ends with {last}", "It ends with its trial; order it to go on."
        amount, currency = monthly_of(self.tx, row, coming.day, self.published)
        costs = f"From {day} on it costs {money(amount, currency)} {currency} a month and what it uses."
        return f"the trial of {named} ends with {last}", costs

    def _plan(self, row: SubscriptionRow, seller: UUID) -> str:
        """Plan and tier of its last line, as its seller calls them."""
        line = own_lines(self.tx, row.id)[-1]
        plan = plan_of(self.tx.get_one(PlanVersionRow, line.plan_version_id), self.published)
        offers = Offers(self.tx, [seller], self.published).of.values()
        shown = next((renamed(plan, each.offer) for each in offers if each.slug == plan.slug), plan)
        tier = next((each.name for each in shown.tiers if each.slug == line.tier), line.tier)
        return f"{shown.name} {tier}"


def endings_of(tx: Session, owners: Sequence[UUID], today: date) -> list[Coming]:
    """What of some organisations ends within the days in which people are told, the earliest first."""
    return store.endings(tx, today + timedelta(days=1), today + timedelta(days=max(AHEAD)), owners)
