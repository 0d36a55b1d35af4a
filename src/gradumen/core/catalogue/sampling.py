"""How the hourly samples of a meter become a quantity (`core.sampled` computes it)."""

from dataclasses import dataclass
from enum import StrEnum


class Statistic(StrEnum):
    """What of a window's samples counts."""

    SUM = "sum"
    MAX = "max"
    MEAN = "mean"
    P95 = "p95"


class Window(StrEnum):
    """Over how long the statistic is taken; days are the seller's."""

    HOUR = "hour"
    DAY = "day"
    PERIOD = "period"


class Across(StrEnum):
    """How the resources of a subscription come together."""

    SUM = "sum"
    MAX = "max"
    DISTINCT = "distinct"


@dataclass(frozen=True, slots=True)
class Sampling:
    """How samples become a quantity: within a window, then across resources."""

    statistic: Statistic = Statistic.SUM
    window: Window = Window.HOUR
    across: Across = Across.SUM

    @property
    def additive(self) -> bool:
        """Whether it is a plain sum: the mean, counted for every hour that was sampled, is the sum of the samples."""
        return self.statistic in (Statistic.SUM, Statistic.MEAN) and self.across is Across.SUM


ADDITIVE = Sampling()
"""A plain sum."""
