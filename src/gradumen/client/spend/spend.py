"""What things cost."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from gradumen.client.connection import Connection
from gradumen.core.errors import NotFound
from gradumen.core.exact import add
from gradumen.core.periods import Period
from gradumen.wire.spend.month_margins import MonthMarginsBody
from gradumen.wire.spend.not_priced import NotPricedUsagesBody
from gradumen.wire.spend.period_so_far import PeriodSoFarBody
from gradumen.wire.spend.spend import CurrentChargeBody, LinkComparisonBody, SpendBody, SpentChargesBody
from gradumen.wire.spend.usage_balances import UsageBalancesBody

_NOTHING = Decimal(0)


class Spend:
    """Charges of a period, billed or not."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def period_so_far(self, organisation: str, period: str | None = None, *, wait: float = 0) -> PeriodSoFarBody:
        """The lines that the drafts of a period would have, now.

        Args:
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        path = f"organisations/{organisation}/period-so-far"
        return self._connection.get_current(path, PeriodSoFarBody, wait=wait, period=period)

    def margins(self, organisation: str, period: str | None = None, *, wait: float = 0) -> MonthMarginsBody:
        """What a seller charged in a period beside what it cost; without ``period`` the one under way.

        Args:
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        path = f"organisations/{organisation}/margins"
        return self._connection.get_current(path, MonthMarginsBody, wait=wait, period=period)

    def balances(self, organisation: str, period: str, *, wait: float = 0) -> UsageBalancesBody:
        """Of what a seller's customers used in a month, what became of it, by meter.

        Args:
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        path = f"organisations/{organisation}/usage-balances"
        return self._connection.get_current(path, UsageBalancesBody, wait=wait, period=period)

    def not_priced(self, organisation: str, period: str, *, wait: float = 0) -> NotPricedUsagesBody:
        """What of a month is not priced to a seller's customers: whose, of which resources, and why.

        Args:
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        path = f"organisations/{organisation}/not-priced"
        return self._connection.get_current(path, NotPricedUsagesBody, wait=wait, period=period)

    def show(
        self,
        organisation: str,
        *,
        by: Sequence[str] = ("service",),
        side: str | None = None,
        first: date | None = None,
        end: date | None = None,
        only: Sequence[str] = (),
        top: int = 12,
        wait: float = 0,
    ) -> SpendBody:
        """What an organisation and all below it are charged, or charge, from a day until before another.

        Args:
            by: one or two of buyer, organisation, project, cost-centre, plan, service, meter, resource, region, month
                and day.
            side: bought or sold; None is what the organisation sells, where that is the caller's to see.
            only: what has a value, like ``service:compute``.
            top: how many values of a dimension stand by themselves.
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        query = {**_asked(side, first, end, only), "by": list(by), "top": top}
        return self._connection.get_current("spend", SpendBody, wait=wait, organisation=organisation, **query)

    def file(
        self,
        organisation: str,
        *,
        by: Sequence[str] = ("service",),
        side: str | None = None,
        first: date | None = None,
        end: date | None = None,
        only: Sequence[str] = (),
        format: str = "csv",
    ) -> bytes:
        """The same as a file, ``csv`` or ``parquet``, with every value by itself; see `show`."""
        query = {**_asked(side, first, end, only), "by": list(by), "format": format}
        return self._connection.get_file("spend/file", organisation=organisation, **query)

    def charges(
        self,
        organisation: str,
        *,
        side: str | None = None,
        first: date | None = None,
        end: date | None = None,
        only: Sequence[str] = (),
        limit: int = 50,
    ) -> SpentChargesBody:
        """The charges behind spend, billed or not, the largest first; see `show`."""
        query = {**_asked(side, first, end, only), "limit": limit}
        return self._connection.get("spend/charges", SpentChargesBody, organisation=organisation, **query)

    def compare(self, seller: str, period: str, *, wait: float = 0) -> list[LinkComparisonBody]:
        """What each link of a seller comes to in a month by its documents, as the period so far, and as spend.

        Args:
            wait: for so many seconds at most, until no reading that came in waits to be counted.
        """
        month = Period.parse(period)
        first, end = month.first_day, month.next().first_day
        so_far = self.period_so_far(seller, month.text, wait=wait)
        net = {(link.buyer, link.currency): link.net for link in so_far.links if link.seller == seller != link.buyer}
        found: list[LinkComparisonBody] = []
        for buyer in sorted({buyer for buyer, _ in net}):
            spent = {each.currency: each for each in self._of_link(seller, buyer, first, end, wait).currencies}
            for currency in sorted({*spent, *(currency for each, currency in net if each == buyer)}):
                each = spent.get(currency)
                found.append(
                    LinkComparisonBody(
                        buyer=buyer,
                        currency=currency,
                        documents=add([each.billed or _NOTHING, each.on_drafts or _NOTHING]) if each else _NOTHING,
                        period=net.get((buyer, currency), _NOTHING),
                        spend=each.total.amount if each else _NOTHING,
                    )
                )
        return found

    def _of_link(self, seller: str, buyer: str, first: date, end: date, wait: float) -> SpendBody:
        """What one buys of another, whole, so that the answer says what documents have; also of who has moved away."""
        try:
            only = [f"seller:{seller}"]
            return self.show(buyer, side="bought", first=first, end=end, only=only, wait=wait)
        except NotFound:
            return self.show(seller, side="sold", first=first, end=end, only=[f"buyer:{buyer}"], wait=wait)

    def explain(self, charge: str) -> CurrentChargeBody:
        """Why a charge is what it is, as it is rated now."""
        return self._connection.get(f"spend/charges/{charge}", CurrentChargeBody)


def _asked(side: str | None, first: date | None, end: date | None, only: Sequence[str]) -> dict[str, Any]:
    """Which spend is asked for, as the interface takes it."""
    return {"side": side, "from": first, "to": end, "only": list(only)}
