"""The catalogue: checked, compared with what is published, published in versions, and listed."""

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Any, Protocol
from uuid import uuid4

from gradumen.core.catalogue.offers import check_floors
from gradumen.core.catalogue.rates import PROMISED, RateCardVersion
from gradumen.core.catalogue.services import Service, find_circle
from gradumen.core.errors import CatalogueInvalid, Invalid, VersionInForce
from gradumen.core.periods import Period, months_after
from gradumen.core.permissions import Right
from gradumen.store.billing.invoices import last_billed_period
from gradumen.store.catalogue.published import find_offer, find_plan, find_service, offer_versions, plan_id
from gradumen.store.catalogue.rate_cards import find_card, versions_of
from gradumen.store.catalogue.tables import (
    MeterRow,
    OfferRow,
    OfferVersionRow,
    PlanRow,
    PlanVersionRow,
    RateCardRow,
    RateCardVersionRow,
    ServiceRow,
    ServiceVersionRow,
)
from gradumen.store.organisations.tables import OrganisationRow, Tree, local_day
from gradumen.store.pairs import raise_own_pairs, raise_pairs_since
from gradumen.store.revisions import CATALOGUE, revise
from gradumen.store.subscriptions.sales import priced_by
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.catalogue.card_choice import check_rules
from gradumen.usecases.catalogue.changes import change_of, differences
from gradumen.usecases.catalogue.derived_cards import bases_first, expand, followers, leave_unpublished
from gradumen.usecases.catalogue.names import meter_names
from gradumen.usecases.catalogue.offers import check_reached, check_services, offers_to, sellable
from gradumen.usecases.catalogue.published import Published, add_service, load_cards, load_published
from gradumen.usecases.scope import Caller, Scope, get_organisation, load_scope
from gradumen.wire.catalogue.catalogue import ChangeBody
from gradumen.wire.catalogue.forms.buyers import buyers_form
from gradumen.wire.catalogue.forms.offers import offer_form, read_offer
from gradumen.wire.catalogue.forms.plans import plan_form, read_plan
from gradumen.wire.catalogue.forms.rate_cards import WrittenCard, check_inputs, rate_card_form, read_rate_card
from gradumen.wire.catalogue.forms.services import read_service, service_form

MOST_RECORDED = 50
"""Differences of a version that the record lists; the versions themselves have all."""


class Document(Protocol):
    """A written service, plan or rate card, as files give it."""

    @property
    def file(self) -> str: ...
    @property
    def kind(self) -> str: ...
    @property
    def form(self) -> dict[str, Any]: ...
    def problem(self, path: str, message: str) -> dict[str, Any]: ...


@use_case
def check_may_publish(tx: Session, caller: Caller, *, organisation: str) -> None:
    """Check that the caller publishes for a seller, before anything that it sent is read.

    Raises:
        NotFound: no such organisation in scope.
        Forbidden: the caller sees it, but does not publish for it.
    """
    scope = load_scope(tx, caller)
    scope.require(Right.MANAGE_CATALOGUE, get_organisation(tx, scope, organisation))


@use_case
def compare_catalogue(
    tx: Session, caller: Caller, *, organisation: str, documents: Sequence[Document]
) -> list[ChangeBody]:
    """Check documents against each other and what is published, and say what publishing would do.

    It publishes and takes that back, so that both find the same.

    Raises:
        CatalogueInvalid: all problems found, each with file, line and path.
        VersionInForce: as `publish_catalogue`.
    """
    savepoint = tx.begin_nested()
    try:
        return publish(tx, caller, organisation, documents)
    finally:
        if savepoint.is_active:
            savepoint.rollback()


@use_case
def publish_catalogue(
    tx: Session, caller: Caller, *, organisation: str, documents: Sequence[Document]
) -> list[ChangeBody]:
    """Publish documents, all or none; what is unchanged stays as it is, so publishing again does nothing.

    Raises:
        CatalogueInvalid: as `compare_catalogue`; nothing of the documents is kept.
        VersionInForce: a rate card version that starts in the past of one in force, or in a billed period.
    """
    return publish(tx, caller, organisation, documents)


def publish(tx: Session, caller: Caller, organisation: str, documents: Sequence[Document]) -> list[ChangeBody]:
    """As `publish_catalogue`, inside a transaction."""
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require(Right.MANAGE_CATALOGUE, seller)
    return publish_as(tx, scope, seller, documents)


def publish_as(tx: Session, scope: Scope, seller: OrganisationRow, documents: Sequence[Document]) -> list[ChangeBody]:
    """As `publish`, whatever the caller may: for what follows from something that it may."""
    if not documents:
        return []
    caller = scope.caller
    revise(tx, CATALOGUE)  # Slugs are one namespace, and cards follow other sellers': whoever publishes queues.
    changes = _Publishing(tx, seller, scope.tree, scope.now, caller, load_published(tx)).run(documents)
    for each in changes:
        if each.change != "unchanged":
            after = {
                "version": each.version,
                "differences": [part.model_dump() for part in each.differences[:MOST_RECORDED]],
            }
            record(tx, caller, "catalogue published", seller.id, f"{each.kind} {each.slug}", after=after)
    return changes


class _Publishing:
    """One pass over documents: services first, then plans, then offers of them, then rate cards."""

    def __init__(
        self,
        tx: Session,
        seller: OrganisationRow,
        tree: Tree,
        now: datetime,
        caller: Caller,
        known: Published,
    ) -> None:
        self.tx, self.seller, self.tree, self.now, self.caller, self.known = tx, seller, tree, now, caller, known
        self.today = local_day(tx, seller.id, now)
        self.problems: list[dict[str, Any]] = []

    def run(self, documents: Sequence[Document]) -> list[ChangeBody]:
        changes: list[ChangeBody] = []
        seen: set[tuple[str, str]] = set()
        readers: dict[str, Callable[[dict[str, Any]], ChangeBody]] = {
            "service": self._service,
            "plan": self._plan,
            "offer": self._offer,
            "rate-card": self._rate_card,
        }
        places = bases_first([each.form for each in documents], self.seller.slug)
        for kind, reader in readers.items():
            for document in (documents[place] for place in places):
                if document.kind != kind:
                    continue
                try:
                    slug = (kind, str(document.form[kind]))
                    if slug in seen:
                        raise Invalid(f"{kind} '{slug[1][:60]}' stands in two documents; keep one")
                    seen.add(slug)
                    changes.append(reader(document.form))
                except Invalid as problem:
                    self.problems += (
                        document.problem(each.facts.get("path", ""), each.message) for each in problem.each
                    )
        if self.problems:
            raise CatalogueInvalid(self.problems)
        return changes

    def _check_owner(self, kind: str, slug: str) -> None:
        if self.known.owners.get((kind, slug), self.seller.id) != self.seller.id:
            raise Invalid(f"the {kind} slug '{slug}' is not available; choose another", field=kind, value=slug)

    def _service(self, form: dict[str, Any]) -> ChangeBody:
        service = read_service(form, self.known.measures)
        self._check_owner("service", service.slug)
        for meter in service.meters:
            before = self.known.meters.get(meter.slug)
            if before and (before.unit, before.combine, before.sampling) != (meter.unit, meter.combine, meter.sampling):
                raise Invalid(
                    f"meter '{meter.slug}' is published as {before.unit.text}, {before.combine}; that never changes, "
                    "add a meter of another name",
                    field="meters",
                )
        add_service(self.known, service)
        if service.sizes_of is not None and not getattr(self.known.services.get(service.sizes_of), "sizes", ()):
            raise Invalid(f"service '{service.sizes_of}' has no sizes to use", field="sizes", value=service.sizes_of)
        circle = find_circle({slug: each.requires for slug, each in self.known.services.items()})
        if circle:
            raise Invalid(f"services require each other in a circle: {' → '.join(circle)}", field="requires")
        change = self._change("service", service.slug, service_form(service))
        if change.change != "unchanged":
            self._store_service(service, change)
        return change

    def _store_service(self, service: Service, change: ChangeBody) -> None:
        row = find_service(self.tx, service.slug)
        if row is None:
            row = ServiceRow(id=uuid4(), organisation_id=self.seller.id, slug=service.slug)
            self.tx.add(row)
            self.tx.flush()
        self.tx.add(
            ServiceVersionRow(
                id=uuid4(),
                service_id=row.id,
                number=change.version,
                published_at=self.caller.at,
                document=service_form(service),
            )
        )
        for meter in service.meters:
            if meter.slug not in self.known.meter_ids:
                self.tx.add(
                    MeterRow(
                        service_id=row.id,
                        slug=meter.slug,
                        name=meter.name,
                        unit=meter.unit.text,
                        combine=meter.combine,
                        counted=meter.counted,
                    )
                )
        self.tx.flush()

    def _plan(self, form: dict[str, Any]) -> ChangeBody:
        plan = read_plan(form, self.known.meters, self.known.services, self.known.measures)
        self._check_owner("plan", plan.slug)
        check_services(self.tx, self.tree, self.seller, plan.services, self.known)
        self.known.plans[plan.slug] = plan
        change = self._change("plan", plan.slug, plan_form(plan))
        if change.change != "unchanged":
            row = find_plan(self.tx, plan.slug)
            if row is None:
                row = PlanRow(id=uuid4(), organisation_id=self.seller.id, slug=plan.slug)
                self.tx.add(row)
                self.tx.flush()
            self.tx.add(
                PlanVersionRow(
                    id=uuid4(),
                    plan_id=row.id,
                    number=change.version,
                    published_at=self.caller.at,
                    document=plan_form(plan),
                )
            )
            self.tx.flush()
        return change

    def _offer(self, form: dict[str, Any]) -> ChangeBody:
        slug = str(form["offer"])
        plan, tiers = sellable(self.tx, self.tree, self.seller, slug, self.known)
        offer = read_offer(form, plan, self.known.known, tiers)
        check_reached(self.tx, self.tree, self.seller, offer)
        row = find_offer(self.tx, self.seller.id, slug)
        versions = offer_versions(self.tx, row.id) if row else []
        written = offer_form(offer)
        change = change_of("offer", slug, [(each.number, each.document) for each in versions], written)
        if change.change != "unchanged":
            if row is None:
                row = OfferRow(id=uuid4(), organisation_id=self.seller.id, plan_id=plan_id(self.tx, slug))
                self.tx.add(row)
                self.tx.flush()
            version = OfferVersionRow(id=uuid4(), offer_id=row.id, number=change.version, document=written)
            version.published_at = self.caller.at
            self.tx.add(version)
            self.tx.flush()
        return change

    def _rate_card(self, form: dict[str, Any]) -> ChangeBody:
        form = expand(self.tx, self.tree, self.seller, self.known, form)
        change = self._rate_card_version(form)
        if change.change != "unchanged":
            for owner, following in followers(self.tx, self.tree, self.seller, self.known, form, self.now):
                inner = _Publishing(self.tx, owner, self.tree, self.now, self.caller, self.known)
                try:
                    with self.tx.begin_nested():
                        inner._rate_card(following)
                except (Invalid, VersionInForce):
                    if owner.id == self.seller.id:
                        raise
                    # Another seller's card is no reason to refuse this one; its seller finds it among its changes.
                    leave_unpublished(self.tx, owner, following, self.caller.user_id, self.caller.at)
        return change

    def _rate_card_version(self, form: dict[str, Any]) -> ChangeBody:
        """Compare a card's written version with what is published, and publish it."""
        slug = str(form.get("rate-card"))
        row = find_card(self.tx, self.seller.id, slug)
        versions = versions_of(self.tx, row.id) if row else []
        number = len(versions) + 1
        card = read_rate_card(form, self.known.known, number)
        check_inputs(card)
        check_rules(self.tx, self.seller, slug, card.version.currency, card.buyers)
        if card.buyers.type != "own-use":
            check_floors(card.version, offers_to(self.tx, self.tree, self.seller, self.known))
        self._check_renewal(card)
        version, written = card.version, rate_card_form(card)
        if "derived" in form:
            written["derived"] = form["derived"]
        same = next((each for each in versions if each.starts_on == version.starts_on), None)
        if same is not None and same.document == written:
            return ChangeBody(kind="rate-card", slug=slug, change="unchanged", version=same.number, differences=[])
        if row is not None and row.currency != version.currency:
            raise Invalid(
                f"rate card '{slug}' is in {row.currency}; another currency is another card", field="currency"
            )
        self._check_start(version, versions)
        before = versions[-1].document if versions else {}
        change = ChangeBody(
            kind="rate-card",
            slug=slug,
            change="new version" if versions else "new",
            version=number,
            differences=differences(before, written, meter_names(self.known)),
        )
        self._store_rate_card(row, card, written)
        if row is not None:
            self._touch_terms(row, version)
        # A card for own use prices what is sold by other cards, of all months that it is for.
        raise_own_pairs(self.tx, self.seller.id)
        return change

    def _check_renewal(self, card: WrittenCard) -> None:
        """The card at renewal is another of the seller's, in the same currency."""
        if card.at_renewal is None:
            return
        following = find_card(self.tx, self.seller.id, card.at_renewal)
        if following is None or following.slug == card.version.card or following.currency != card.version.currency:
            raise Invalid(
                f"'{card.at_renewal}' is no other rate card of yours in {card.version.currency}; publish it first",
                field="at-renewal",
                value=card.at_renewal,
                path="at-renewal",
            )

    def _store_rate_card(self, row: RateCardRow | None, card: WrittenCard, written: dict[str, Any]) -> None:
        if row is None:
            row = RateCardRow(
                id=uuid4(),
                organisation_id=self.seller.id,
                slug=card.version.card,
                name=card.name,
                currency=card.version.currency,
                buyers=buyers_form(card.buyers),
            )
            self.tx.add(row)
        row.name, row.buyers = card.name, buyers_form(card.buyers)
        self.tx.flush()
        self.tx.add(
            RateCardVersionRow(
                id=uuid4(),
                rate_card_id=row.id,
                number=card.version.number,
                starts_on=card.version.starts_on,
                published_at=self.caller.at,
                document=written,
                prices_promised=any(each.meter.startswith(PROMISED) for each in card.version.usage_rates),
            )
        )
        self.tx.flush()

    def _touch_terms(self, card: RateCardRow, version: RateCardVersion) -> None:
        """All that a card prices is rated again: terms that the version divides may be charged in months before it."""
        versions = load_cards(self.tx, [card.id], self.known)[card.id].versions
        first = months_after(version.starts_on, -max(1, *(each.months_in_advance for each in versions)))
        since = {organisation: max(first, begun) for organisation, begun in priced_by(self.tx, card.id).items()}
        raise_pairs_since(self.tx, since, self.today)

    def _check_start(self, version: RateCardVersion, versions: Sequence[RateCardVersionRow]) -> None:
        """A version starts after every published one, after today where one is in force, and not where it is billed."""
        if versions and version.starts_on <= versions[-1].starts_on:
            raise VersionInForce(
                f"rate card '{version.card}' has version {versions[-1].number} from {versions[-1].starts_on}; "
                f"a published version never changes, start the new one after {max(versions[-1].starts_on, self.today)}",
                starts_on=version.starts_on.isoformat(),
            )
        if versions and version.starts_on <= self.today:
            raise VersionInForce(
                f"rate card '{version.card}' version {versions[-1].number} is in force on {version.starts_on}; "
                f"start the new one after {self.today}",
                starts_on=version.starts_on.isoformat(),
            )
        billed = last_billed_period(self.tx, self.seller.id)
        if versions and billed and version.starts_on < Period.parse(billed).next().first_day:
            raise VersionInForce(
                f"{billed} is billed; start the new version of '{version.card}' on "
                f"{Period.parse(billed).next().first_day} or later",
                starts_on=version.starts_on.isoformat(),
            )

    def _change(self, kind: str, slug: str, form: dict[str, Any]) -> ChangeBody:
        return change_of(kind, slug, self.known.forms.get((kind, slug), []), form, meter_names(self.known))
