"""The catalogue."""

from collections.abc import Sequence
from datetime import date

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
from gradumen.wire.catalogue.offers import OfferBody
from gradumen.wire.catalogue.plans import PublishedPlanBody
from gradumen.wire.catalogue.price_changes import PriceChangeBody
from gradumen.wire.catalogue.price_margins import PriceMarginsBody
from gradumen.wire.catalogue.rate_cards import RateCardBody
from gradumen.wire.catalogue.services import PublishedServiceBody
from gradumen.wire.catalogue.tier_sales import TierSaleBody, TierSaleUpdate


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

    def margins(self, seller: str, slug: str, *, against: str | None = None) -> PriceMarginsBody:
        """Buy price, sell price and margin of each rate of a card."""
        return self._connection.get(f"rate-cards/{seller}/{slug}/margins", PriceMarginsBody, against=against)

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
