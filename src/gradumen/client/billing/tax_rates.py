"""A seller's tax rates."""

from datetime import date
from decimal import Decimal

from gradumen.client.connection import Connection
from gradumen.wire.billing.tax_rates import TaxRateBody


class TaxRates:
    """A seller's tax rates."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> list[TaxRateBody]:
        """By country and day."""
        return self._connection.page(f"organisations/{organisation}/tax-rates", TaxRateBody).items

    def set(
        self, organisation: str, *, country: str, percent: Decimal, starts_on: date, category: str = "S"
    ) -> TaxRateBody:
        """Set a rate for buyers of a country from a day on."""
        body = TaxRateBody(country=country, starts_on=starts_on, category=category, percent=percent)
        return self._connection.put(f"organisations/{organisation}/tax-rates", TaxRateBody, body)
