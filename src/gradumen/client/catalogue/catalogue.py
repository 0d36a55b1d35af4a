"""The catalogue, its drafts, and estimates."""

from collections.abc import Sequence
from datetime import date
from typing import Any

from gradumen.client.connection import Connection
from gradumen.wire.catalogue.catalogue import (
    CatalogueFile,
    CatalogueFiles,
    ChangeBody,
    ChangesBody,
    DifferenceBody,
    DifferencesBody,
    VersionsBody,
)
from gradumen.wire.catalogue.catalogue_drafts import CatalogueDraftBody, CatalogueDraftSave
from gradumen.wire.catalogue.offers import OfferBody
from gradumen.wire.catalogue.plans import PublishedPlanBody
from gradumen.wire.catalogue.price_changes import PriceChangeBody
from gradumen.wire.catalogue.price_margins import MarginsBody
from gradumen.wire.catalogue.rate_cards import RateCardBody
from gradumen.wire.catalogue.services import PublishedServiceBody
from gradumen.wire.catalogue.tier_sales import TierSaleBody, TierSaleUpdate
from gradumen.wire.rating.estimates import (
    CardCoverageBody,
    CoverageAsked,
    EstimateAsked,
    EstimateBody,
    WhatIfAsked,
    WhatIfBody,
)
from gradumen.wire.values import Page


class Catalogue:
    """Services, plans and rate cards."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def compare(self, organisation: str, files: Sequence[CatalogueFile]) -> list[ChangeBody]:
        """Check files and say what publishing would change."""
        body = CatalogueFiles(organisation=organisation, files=list(files))
        return self._connection.post("catalogue/compare", ChangesBody, body).changes

    def publish(self, organisation: str, files: Sequence[CatalogueFile]) -> list[ChangeBody]:
        """Publish files, all or none."""
        body = CatalogueFiles(organisation=organisation, files=list(files))
        return self._connection.post("catalogue/publish", ChangesBody, body).changes

    def services(self) -> list[PublishedServiceBody]:
        """The services on offer."""
        return self._connection.page("services", PublishedServiceBody).items

    def plans(self) -> list[PublishedPlanBody]:
        """The plans on offer."""
        return self._connection.page("plans", PublishedPlanBody).items

    def offers(self, organisation: str) -> list[OfferBody]:
        """What a seller offers to whom."""
        return self._connection.page(f"organisations/{organisation}/offers", OfferBody).items

    def margins(self, seller: str, slug: str, *, against: str | None = None) -> MarginsBody:
        """Buy price, sell price and margin of each rate of a card."""
        return self._connection.get(f"rate-cards/{seller}/{slug}/margins", MarginsBody, against=against)

    def price_changes(self) -> list[PriceChangeBody]:
        """Prices that own organisations pay and that are about to change."""
        return self._connection.page("price-changes", PriceChangeBody).items

    def rate_cards(self) -> list[RateCardBody]:
        """Own rate cards, and those that price own purchases."""
        return self._connection.page("rate-cards", RateCardBody).items

    def rate_card(self, seller: str, slug: str) -> RateCardBody:
        """One rate card."""
        return self._connection.get(f"rate-cards/{seller}/{slug}", RateCardBody)

    def plan_versions(self, slug: str) -> list[PublishedPlanBody]:
        """A plan's versions, oldest first."""
        return self._connection.get(f"plans/{slug}/versions", VersionsBody).versions

    def plan_differences(self, slug: str, before: int, after: int) -> list[DifferenceBody]:
        """What differs between two versions of a plan."""
        path = f"plans/{slug}/differences"
        return self._connection.get(path, DifferencesBody, before=before, after=after).differences

    def set_tier_sale(
        self, plan: str, tier: str, *, withdrawn_on: date | None, retired_on: date | None = None
    ) -> TierSaleBody:
        """Withdraw a tier from sale, retire it, or take either back.

        Raises:
            StillSubscribed: it cannot be retired yet; lists by whom it is used.
        """
        body = TierSaleUpdate(withdrawn_on=withdrawn_on, retired_on=retired_on)
        return self._connection.put(f"plans/{plan}/tiers/{tier}/sale", TierSaleBody, body)

    def rate_card_differences(self, seller: str, slug: str, before: int, after: int) -> list[DifferenceBody]:
        """What differs between two versions of a rate card."""
        path = f"rate-cards/{seller}/{slug}/differences"
        return self._connection.get(path, DifferencesBody, before=before, after=after).differences

    def rate_card_file(self, seller: str, slug: str) -> str:
        """A rate card as the YAML that publishes it."""
        return self._connection.send("GET", f"rate-cards/{seller}/{slug}/file").text


class CatalogueDrafts:
    """Services, plans and rate cards being written."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def _path(self, organisation: str, kind: str, slug: str) -> str:
        return f"organisations/{organisation}/catalogue-drafts/{kind}/{slug}"

    def get(self, organisation: str, kind: str, slug: str) -> CatalogueDraftBody:
        """One draft."""
        return self._connection.get(self._path(organisation, kind, slug), CatalogueDraftBody)

    def save(
        self, organisation: str, kind: str, slug: str, form: dict[str, Any], *, version: int | None = None
    ) -> CatalogueDraftBody:
        """Keep a draft, over the version that was edited; None begins one.

        Raises:
            EditedMeanwhile: somebody else saved it since.
        """
        headers = {} if version is None else {"If-Match": f'"{version}"'}
        body = CatalogueDraftSave(organisation=organisation, form=form).model_dump(mode="json")
        path = self._path(organisation, kind, slug)
        return CatalogueDraftBody.model_validate_json(
            self._connection.send("PUT", path, json=body, headers=headers).content
        )

    def check(self, organisation: str, kind: str, slug: str) -> list[ChangeBody]:
        """Check a draft and say what publishing it would change."""
        return self._connection.post(f"{self._path(organisation, kind, slug)}/check", ChangesBody).changes

    def publish(self, organisation: str, kind: str, slug: str, *, version: int) -> list[ChangeBody]:
        """Publish a draft of that version."""
        path = f"{self._path(organisation, kind, slug)}/publish"
        answer = self._connection.send("POST", path, headers={"If-Match": f'"{version}"'})
        return ChangesBody.model_validate_json(answer.content).changes

    def discard(self, organisation: str, kind: str, slug: str) -> None:
        """Throw a draft away."""
        self._connection.delete(self._path(organisation, kind, slug))

    def list(self, organisation: str) -> list[CatalogueDraftBody]:
        """A seller's drafts."""
        return self._connection.page(f"organisations/{organisation}/catalogue-drafts", CatalogueDraftBody).items


class Estimates:
    """What something would cost, or would have cost."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def price(self, asked: EstimateAsked) -> EstimateBody:
        """What a tier would cost an organisation over a term."""
        return self._connection.post("estimates", EstimateBody, asked)

    def coverage(self, organisation: str, plan: str, files: Sequence[CatalogueFile] = ()) -> list[CardCoverageBody]:
        """What of a plan the cards in files (none: those of the seller) price."""
        body = CoverageAsked(organisation=organisation, plan=plan, files=list(files))
        return self._connection.post("estimates/coverage", Page[CardCoverageBody], body).items

    def what_if(self, organisation: str, period: str, files: Sequence[CatalogueFile]) -> WhatIfBody:
        """What a period would have come to with the cards in files."""
        body = WhatIfAsked(organisation=organisation, period=period, files=list(files))
        return self._connection.post("estimates/what-if", WhatIfBody, body)
