"""Exchange rates of sellers."""

import builtins
from collections.abc import Sequence

from gradumen.client.connection import Connection
from gradumen.wire.metering.exchange_rates import ExchangeRateBody, ExchangeRateItem, ExchangeRatesSet
from gradumen.wire.values import Page


class ExchangeRates:
    """What imported costs are worth in the currency that they are sold in."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self, organisation: str) -> builtins.list[ExchangeRateBody]:
        """All of them, by currencies and day."""
        return self._connection.page(f"organisations/{organisation}/exchange-rates", ExchangeRateBody).items

    def set(self, organisation: str, rates: Sequence[ExchangeRateItem]) -> builtins.list[ExchangeRateBody]:
        """Add rates, or change those of the same currencies and day; safe to repeat."""
        body = ExchangeRatesSet(rates=[*rates])
        return self._connection.put(f"organisations/{organisation}/exchange-rates", Page[ExchangeRateBody], body).items
