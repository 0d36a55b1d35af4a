"""The period so far, bill runs, invoices, charges and tax rates."""

import time
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.billing.bill_runs import BillRunBody, BillRunCreate
from gradumen.wire.billing.charges import ChargeBody, ReadingBody
from gradumen.wire.billing.invoices import InvoiceBody
from gradumen.wire.billing.rating_differences import RatingDifferenceBody
from gradumen.wire.billing.tax_rates import TaxRateBody
from gradumen.wire.spend.month_margins import MonthMarginsBody
from gradumen.wire.spend.period_so_far import PeriodSoFarBody


class Spend:
    """Charges of a period, billed or not."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def period_so_far(self, organisation: str, period: str | None = None) -> PeriodSoFarBody:
        """The lines that the drafts of a period would have, now."""
        return self._connection.get(f"organisations/{organisation}/period-so-far", PeriodSoFarBody, period=period)

    def margins(self, organisation: str, period: str | None = None) -> MonthMarginsBody:
        """What a seller charged in a period beside what it cost; without ``period`` the one under way."""
        return self._connection.get(f"organisations/{organisation}/margins", MonthMarginsBody, period=period)


class BillRuns:
    """The close of periods."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def start(self, organisation: str, period: str, *, key: str | None = None) -> BillRunBody:
        """Ask for the drafts of a closed period."""
        body = BillRunCreate(organisation=organisation, period=period)
        return self._connection.post("bill-runs", BillRunBody, body, key=key)

    def differences(self, organisation: str) -> list[RatingDifferenceBody]:
        """Issued months that today's rules price differently; nothing is billed by asking."""
        path = f"organisations/{organisation}/rating-differences"
        return self._connection.page(path, RatingDifferenceBody).items

    def list(self, organisation: str) -> list[BillRunBody]:
        """A seller's bill runs, newest first."""
        return self._connection.page("bill-runs", BillRunBody, organisation=organisation).items

    def get(self, run_id: UUID) -> BillRunBody:
        """One bill run."""
        return self._connection.get(f"bill-runs/{run_id}", BillRunBody)

    def wait(
        self, run_id: UUID, *, seconds: float = 600, tell: Callable[[BillRunBody], None] | None = None
    ) -> BillRunBody:
        """Wait until a run is finished or failed, or the time is over."""
        deadline = time.monotonic() + seconds
        while True:
            run = self.get(run_id)
            if tell is not None:
                tell(run)
            if run.state in ("finished", "failed") or time.monotonic() > deadline:
                return run
            time.sleep(0.1)


class Invoices:
    """Drafts and issued documents."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(
        self,
        *,
        state: str | None = None,
        seller: str | None = None,
        buyer: str | None = None,
        period: str | None = None,
    ) -> list[InvoiceBody]:
        """Drafts and documents, newest period first, without lines."""
        return self._connection.all(
            "invoices", InvoiceBody, state=state, seller=seller, buyer=buyer, period=period, limit=500
        )

    def get(self, invoice_id: UUID) -> InvoiceBody:
        """One with its lines."""
        return self._connection.get(f"invoices/{invoice_id}", InvoiceBody)

    def issue(self, invoice_id: UUID) -> InvoiceBody:
        """Give a draft its number; safe to repeat."""
        return self._connection.post(f"invoices/{invoice_id}/issue", InvoiceBody)

    def discard(self, invoice_id: UUID) -> None:
        """Discard a draft."""
        self._connection.delete(f"invoices/{invoice_id}")

    def pdf(self, invoice_id: UUID) -> bytes:
        """An issued document as PDF."""
        return self._connection.send("GET", f"invoices/{invoice_id}/pdf").content


class Charges:
    """Why amounts are what they are."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def explain(self, charge_id: UUID) -> ChargeBody:
        """The arithmetic of a charge."""
        return self._connection.get(f"charges/{charge_id}", ChargeBody)

    def readings(self, charge_id: UUID, *, limit: int | None = None) -> list[ReadingBody]:
        """The readings that a charge was made from; all of them without ``limit``."""
        path = f"charges/{charge_id}/readings"
        if limit is not None:
            return self._connection.page(path, ReadingBody, limit=limit).items
        return self._connection.all(path, ReadingBody, limit=500)


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
