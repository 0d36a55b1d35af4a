"""How long a subscription lasts: its first term, renewal with notice, and the terms that were accepted."""

from dataclasses import dataclass
from datetime import date, timedelta

from gradumen.core.errors import Invalid
from gradumen.core.periods import months_after


@dataclass(frozen=True, slots=True)
class Renewal:
    """A term that is not ended with so many days' notice is followed by one of ``months``; 0 is without a term."""

    months: int
    notice_days: int


@dataclass(frozen=True, slots=True)
class Terms:
    """What a subscriber accepts: a text, and the name of its version."""

    version: str
    text: str


@dataclass(frozen=True, slots=True)
class Duration:
    """How long a plan's subscriptions last, from their first day.

    ``minimum_months`` is the first term. Without a renewal they go on after it until they are ended, on any day.
    """

    minimum_months: int = 0
    renewal: Renewal | None = None

    def earliest_end(self, first_day: date, today: date) -> date:
        """The first day, from today on, that a subscription ended today need not cover.

        >>> yearly = Duration(12, Renewal(12, notice_days=30))
        >>> yearly.earliest_end(date(2026, 1, 1), date(2026, 12, 2)).isoformat()
        '2027-01-01'
        >>> yearly.earliest_end(date(2026, 1, 1), date(2026, 12, 3)).isoformat()
        '2028-01-01'
        """
        first = months_after(first_day, self.minimum_months)
        if not self.renewal:
            return first
        told = today + timedelta(days=self.renewal.notice_days)
        return self._term_end(first_day, told) if self.renewal.months else max(first, told)

    def notice_by(self, first_day: date, today: date) -> date | None:
        """The last day to give notice for the earliest end; None where any day will do."""
        if not self.renewal or not self.renewal.months:
            return None
        return self.earliest_end(first_day, today) - timedelta(days=self.renewal.notice_days)

    def check_term(self, first_day: date, ends_on: date) -> None:
        """Check that what is to end from the beginning covers the first term.

        Raises:
            Invalid: it does not; names the earliest day.
        """
        earliest = months_after(first_day, self.minimum_months)
        if ends_on < earliest:
            raise Invalid(
                f"the plan lasts at least {self.minimum_months} months; the earliest end is {earliest}, got {ends_on}",
                field="ends_on",
                value=ends_on,
            )

    def check_end(self, first_day: date, ends_on: date, today: date) -> None:
        """Check that a subscription may be ended on a day; on its first day it may always, as if it never began.

        Raises:
            Invalid: within a term, or without the notice; names the earliest day.
        """
        earliest = self.earliest_end(first_day, today)
        fits = not (self.renewal and self.renewal.months) or self._term_end(first_day, ends_on) == ends_on
        if ends_on == first_day or (ends_on >= earliest and fits):
            return
        term = f" and renews every {self.renewal.months} months" if self.renewal and self.renewal.months else ""
        notice = f", with {self.renewal.notice_days} days' notice" if self.renewal else ""
        raise Invalid(
            f"the plan lasts at least {self.minimum_months} months{term}{notice}; the earliest end from {today} is "
            f"{earliest}",
            field="ends_on",
            value=ends_on,
        )

    def _term_end(self, first_day: date, day: date) -> date:
        """The first end of a term on or after a day, of a duration with terms."""
        length = self.renewal.months if self.renewal else 0
        months = self.minimum_months or length
        while months_after(first_day, months) < day:
            months += length
        return months_after(first_day, months)
