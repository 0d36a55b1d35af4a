"""Costs that suppliers' files state."""

import builtins
from base64 import b64encode
from datetime import date, datetime
from urllib.parse import quote

from gradumen.client.connection import Connection
from gradumen.wire.metering.imported_costs import (
    CostDeliveryBody,
    CostFileSent,
    CostMeterBody,
    CostMeterSet,
    ImportedCostBody,
)


class ImportedCosts:
    """Cost files of a feed, and what a month cost by them."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def meter(self, feed: str) -> CostMeterBody:
        """The meter that a feed's cost files state costs of."""
        return self._connection.get("feeds/cost-meter", CostMeterBody, feed=feed)

    def set_meter(
        self, feed: str, meter: str | None, *, quantities: bool | None = None, estimates: bool | None = None
    ) -> CostMeterBody:
        """Say which it is, whether what the files say was used counts too, and whether what lacks is estimated."""
        body = CostMeterSet(meter=meter, quantities=quantities, estimates=estimates)
        return self._connection.put(f"feeds/cost-meter?feed={quote(feed)}", CostMeterBody, body)

    def send(
        self,
        feed: str,
        name: str,
        content: bytes,
        *,
        exported_at: datetime | None = None,
        first: date | None = None,
        last: date | None = None,
        confirmed: bool = False,
    ) -> CostDeliveryBody:
        """Send a cost file whole; safe to repeat."""
        body = CostFileSent(
            name=name,
            content=b64encode(content).decode(),
            exported_at=exported_at,
            first=first,
            last=last,
            confirmed=confirmed,
        )
        return self._connection.post(f"deliveries/cost-files?feed={quote(feed)}", CostDeliveryBody, body)

    def list(self, organisation: str, period: str) -> builtins.list[ImportedCostBody]:
        """What a month cost, by account, category and owner; nobody's first."""
        return self._connection.page(
            f"organisations/{organisation}/imported-costs", ImportedCostBody, period=period
        ).items
