"""Which hours of usage rating has to tell apart: of all others those that lie between two changes may be added up."""

from collections.abc import Iterable, Mapping
from zoneinfo import ZoneInfo

import numpy as np

from gradumen.core.catalogue.rates import RateCardVersion
from gradumen.core.catalogue.sampling import Sampling
from gradumen.core.periods import local_hours
from gradumen.core.rating.groups import Array

BY_HOUR = -1


class HoursApart:
    """What tells the hours from one up to another apart, of usage that some versions of cards price.

    Versions, lines and what else begins with a day changes at midnight; what does not is given as ``others``.

    Args:
        samplings: of meters; those that do not add up are taken hour by hour, as are those of rates per time begun.
        meters: by number.
        others: numbers of hours with which something else changes.
    """

    def __init__(
        self,
        versions: Iterable[RateCardVersion],
        samplings: Mapping[str, Sampling],
        meters: Mapping[int, str],
        hours: tuple[int, int],
        zone: ZoneInfo,
        others: Iterable[int] = (),
    ) -> None:
        self.first, self.last = hours
        rates = [rate for version in versions for rate in version.usage_rates]
        windows = {rate.when.mask for rate in rates if rate.when is not None}
        windowed = {rate.meter for rate in rates if rate.when is not None}
        apart = {rate.meter for rate in rates if rate.started is not None}
        apart |= {slug for slug, sampling in samplings.items() if not sampling.additive}
        self._by_hour = [number for number, slug in meters.items() if slug in apart]
        self._windowed = [number for number, slug in meters.items() if slug in windowed]
        shown = local_hours(self.first, self.last, zone)
        plain = {self.first, self.last, *others, *self._changes(shown.days)}
        turns = [turn for mask in windows for turn in self._changes([mask >> hour & 1 for hour in shown.week_hours])]
        self.cuts = [np.array(sorted(each), dtype=np.int64) for each in (plain, plain.union(turns))]
        """Hours with which something changes, in order: of most meters, and of those with time windows."""

    def _changes(self, values: Iterable[int]) -> list[int]:
        """The hours whose value is another than that of the hour before."""
        return (np.flatnonzero(np.diff(np.array([*values]))) + self.first + 1).tolist()

    def kinds(self, meter: Array) -> Array:
        """Which of the cuts are those of each meter; `BY_HOUR` where hours stay apart."""
        found = np.isin(meter, self._windowed).astype(np.int64)
        found[np.isin(meter, self._by_hour)] = BY_HOUR
        return found
