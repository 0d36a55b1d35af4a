"""What customers use, hold and are promised, and what suppliers state of it."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from fractions import Fraction

Month = tuple[date, date]
"""From its first day to that of the next."""


@dataclass(frozen=True)
class Use:
    """Bytes sent out in quarters of an hour by a project's resource; ``machine`` is a component of ``app``."""

    moment: datetime
    quantity: int | Fraction
    project: str
    resource: str = "r"
    quarters: int = 1


@dataclass(frozen=True)
class Level:
    """A level in GiB that a disk of a project holds for some quarters of an hour, of a sampled meter."""

    meter: str
    moment: datetime
    quantity: int
    project: str
    resource: str
    quarters: int


@dataclass(frozen=True)
class Told:
    """What is so of a machine from a moment on: of a project, in a phase, so many of them; or gone, without a phase."""

    moment: datetime
    resource: str
    phase: str
    level: int
    project: str
    number: int
    sequence: int = 0

    @property
    def order(self) -> tuple[datetime, bool, int, str]:
        """Of what is said about one moment the last holds."""
        return self.moment, bool(self.phase), self.sequence, f"{self.number:04}"


@dataclass(frozen=True)
class Promise:
    """A limit of storage in GiB that a customer, or a project of it, is given at a moment."""

    moment: datetime
    limit: int
    project: str = ""


@dataclass(frozen=True)
class Cost:
    """What a supplier states of a day, in hundredths of a currency, in a billing month that may be another one."""

    day: date
    month: date
    amount: int | Fraction
    currency: str
    project: str
    resource: str
    category: str = "Usage"

    def day_in(self, month: Month) -> date:
        """Its day inside the month in which it counts."""
        return min(max(self.day, month[0]), month[1] - timedelta(days=1))
