"""What is divided by usage: each day of UTC by what each used of something else on it, by plain fractions."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from fractions import Fraction
from zoneinfo import ZoneInfo

from tests.worlds.machines import spells
from tests.worlds.samplings import SAMPLED
from tests.worlds.spans import ZERO, day_start, seconds
from tests.worlds.worlds import QUARTER, Customer

Place = tuple[str, str]
"""A customer and its project."""
Places = dict[Place, Fraction]
Used = Mapping[tuple[str, date], Places]
"""What each used by meter and day, in pieces or GiB times seconds."""
DAY = 86400
UTC = ZoneInfo("UTC")


@dataclass(frozen=True)
class ByUsage:
    """By what is used of a meter: of some projects, or of all; of a whole, a level, what is left is the remainder's."""

    meter: str
    among: tuple[Place, ...]
    whole: int
    remainder: Place | None

    @property
    def unit(self) -> str:
        """What the whole is said in."""
        return "piece" if self.meter == "running" else SAMPLED[self.meter].units[1]

    def shares(self, day: date, used: Used) -> Places:
        """Whose how much of a day is: nobody's, where nobody used any and nobody has the rest."""
        of_day = used.get((self.meter, day), {})
        found = {place: size for place, size in of_day.items() if size and (not self.among or place in self.among)}
        left = self.whole * DAY - sum(found.values(), ZERO) if self.whole else Fraction(not found)
        if self.remainder and left > 0:
            found[self.remainder] = found.get(self.remainder, ZERO) + left
        return found


def used_by(customers: Sequence[Customer]) -> Used:
    """What customers used on each day of what something is divided by."""
    found: dict[tuple[str, date], Places] = defaultdict(lambda: defaultdict(Fraction))

    def add(meter: str, place: Place, level: int, start: datetime, end: datetime) -> None:
        while start < end:
            until = min(end, day_start(start.date() + timedelta(days=1), UTC))
            found[meter, start.date()][place] += level * seconds(start, until)
            start = until

    for customer in customers:
        for level in customer.levels:
            end = level.moment + level.quarters * QUARTER
            add(level.meter, (customer.slug, level.project), level.quantity, level.moment, end)
        for spell in spells(customer):
            add("running", (customer.slug, spell.told.project), spell.told.level, spell.start, spell.end)
    return found
