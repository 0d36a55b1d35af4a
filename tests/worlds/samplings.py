"""How meters are sampled that do not add up."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Sampled:
    """How a meter is sampled: the statistic of a resource's hours in a window, and what counts of several resources."""

    statistic: str
    window: str
    across: str

    @property
    def units(self) -> tuple[str, str, str]:
        """What usage is counted in, and how, what a reading is in, and what a price is for."""
        if self.across == "distinct":
            return "piece, combine: sum", "piece", "piece"
        return "byte-second, combine: level", "GiB", "GiB-hour"


SAMPLED = {
    "daily": Sampled("p95", "day", "sum"),
    "highest": Sampled("max", "period", "max"),
    "monthly": Sampled("p95", "period", "sum"),
    "mean": Sampled("mean", "day", "max"),
    "hourly": Sampled("max", "hour", "max"),
    "counted": Sampled("sum", "day", "distinct"),
}
