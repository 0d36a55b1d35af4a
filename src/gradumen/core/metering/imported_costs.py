"""Costs that a supplier's files state row by row: FOCUS 1.0 to 1.2, as far as selling them on needs it.

``standards/focus-1.2-columns.csv`` of the specification says which column may be null when; what is not read here is
left in the file.
"""

import hashlib
import json
import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction

from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, minor_units, round_half_up

NEEDED = (
    "BilledCost", "EffectiveCost", "ListCost", "ContractedCost", "BillingAccountId", "BillingCurrency",
    "BillingPeriodStart", "BillingPeriodEnd", "ChargeCategory", "ChargePeriodStart", "ChargePeriodEnd", "ServiceName",
)  # fmt: skip
"""Columns that every version has and without which a row says nothing that can be sold on."""
READ = (
    *NEEDED, "ChargeClass", "CommitmentDiscountId", "ConsumedQuantity", "ConsumedUnit", "InvoiceId", "PricingCategory",
    "ProviderName", "RegionId", "ResourceId", "ResourceType", "ServiceCategory", "SkuId", "SkuMeter",
    "SkuPriceDetails", "SubAccountId", "Tags",
)  # fmt: skip
"""All columns that are read; others are passed over."""
MOST_TAGS = 40
LONGEST = 191
"""Characters of a name that is kept."""
MOST, MOST_USED = Decimal(10) ** 12, Decimal(10) ** 24
"""What a row may cost, and say that it used, at most, either way."""
AHEAD = timedelta(days=62)
"""How far ahead a charge begins at most: what is paid in advance is listed before it is used."""
EARLIEST = date(2000, 1, 1)
_NUMBER = re.compile(r"-?[0-9]{1,30}(?:\.[0-9]{1,40})?(?:[eE][-+]?[0-9]{1,2})?", re.ASCII)
_NULLS = ("", "null", "NULL")


class CostCategory(StrEnum):
    """What a row is for (FOCUS, ChargeCategory)."""

    USAGE = "Usage"
    PURCHASE = "Purchase"
    TAX = "Tax"
    CREDIT = "Credit"
    ADJUSTMENT = "Adjustment"


@dataclass(frozen=True, slots=True)
class CostFacts:
    """What rows of a cost file say beside times and numbers; most share it with many others.

    ``commitment`` says that they buy one, whose use other rows bear.
    """

    billing_account: str
    account: str
    source: str
    category: CostCategory
    correction: bool
    commitment: bool
    resource: str
    attributes: tuple[tuple[str, str], ...]
    currency: str
    unit: str | None
    invoice: str | None


def check_columns(columns: Collection[str]) -> None:
    """Check that a file has what is needed of FOCUS.

    Raises:
        Invalid: names the columns that are missing.
    """
    missing = [each for each in NEEDED if each not in columns]
    if missing:
        raise Invalid(
            f"the file is no FOCUS cost file: it has no column {', '.join(missing)}; versions 1.0 to 1.2 have them all",
            field="content",
            value=missing[0],
        )


LONGEST_CHARGE = 2**31 - 1
"""Seconds that a charge is kept to last at most."""


def read_times(cells: Mapping[str, str], latest: date) -> tuple[date, date, int, int]:
    """The first day of the source's billing period of a row, and the UTC day on which its charge begins.

    And how many seconds after that day's midnight it begins, and how many it lasts.

    Args:
        latest: the last day on which a charge may begin.

    Raises:
        Invalid: a cell cannot be what its column is; names the column.

    >>> read_times({"BillingPeriodStart": "2026-11-01T00:00:00Z", "BillingPeriodEnd": "2026-12-01T00:00:00Z",
    ...             "ChargePeriodStart": "2026-11-03", "ChargePeriodEnd": "2026-11-04"}, date(2026, 12, 1))
    (datetime.date(2026, 11, 1), datetime.date(2026, 11, 3), 0, 86400)
    """
    period = _span(cells, "BillingPeriod")
    charged = _span(cells, "ChargePeriod")
    day = charged[0].date()
    for column, each in (("ChargePeriodStart", day), ("BillingPeriodStart", period[0].date())):
        if not EARLIEST <= each <= latest:
            raise Invalid(f"{column} {each} does not lie between {EARLIEST} and {latest}", field=column, value=each)
    begins = charged[0] - datetime(day.year, day.month, day.day, tzinfo=UTC)
    lasts = max(int((charged[1] - charged[0]).total_seconds()), 1)
    return period[0].date().replace(day=1), day, int(begins.total_seconds()), min(lasts, LONGEST_CHARGE)


def read_facts(cells: Mapping[str, str]) -> CostFacts:
    """What a row says beside times and numbers, its cells by column.

    Raises:
        Invalid: a cell cannot be what its column is; names the column.

    >>> facts = read_facts({"BillingAccountId": "A-1", "BillingCurrency": "EUR", "ChargeCategory": "Usage",
    ...                     "ServiceName": "Machines"})
    >>> facts.account, facts.resource
    ('A-1', 'A-1/Machines')
    """
    billing_account, service = _name(cells, "BillingAccountId"), _name(cells, "ServiceName")
    account = _text(cells, "SubAccountId") or billing_account
    category = _category(cells)
    unit = _text(cells, "ConsumedUnit")
    resource = _text(cells, "ResourceId")
    commitment = _text(cells, "CommitmentDiscountId")
    invoice = _text(cells, "InvoiceId")
    return CostFacts(
        billing_account=billing_account,
        account=shortened(account),
        source=shortened(_text(cells, "ProviderName") or "/costs"),
        category=category,
        correction=_text(cells, "ChargeClass") == "Correction",
        commitment=commitment is not None and category is CostCategory.PURCHASE,
        resource=shortened(resource or f"{account}/{service}"),
        attributes=_attributes(cells, category, service),
        currency=_currency(cells),
        unit=None if unit is None else shortened(unit)[:60],
        invoice=None if invoice is None else shortened(invoice)[:120],
    )


_FACTS = {
    "region": "RegionId",
    "sku": "SkuId",
    "sku-meter": "SkuMeter",
    "service-category": "ServiceCategory",
    "resource-type": "ResourceType",
    "pricing-category": "PricingCategory",
    "billing-account": "BillingAccountId",
    "commitment": "CommitmentDiscountId",
}
"""Attributes of a cost, by the columns that say them.

And ``service``, ``category``, each tag as ``tag:name``, and each detail of the price's unit as ``sku:name``.
"""


def _attributes(cells: Mapping[str, str], category: CostCategory, service: str) -> tuple[tuple[str, str], ...]:
    found = {name: value for name, column in _FACTS.items() if (value := _text(cells, column)) is not None}
    found |= {"service": service, "category": str(category)}
    for column, prefix in (("Tags", "tag"), ("SkuPriceDetails", "sku")):
        raw = _text(cells, column)
        if raw is not None:
            found |= {f"{prefix}:{key}": value for key, value in _pairs(raw, column).items()}
    return tuple(sorted((key, shortened(value)) for key, value in found.items()))


def _pairs(raw: str, column: str) -> dict[str, str]:
    """Names and values (FOCUS, KeyValueFormat): an object of single values; null is a name without a value."""
    try:
        read = json.loads(raw)
    except ValueError as error:
        raise Invalid(f"{column} '{raw[:60]}' are no JSON object", field=column, value=raw[:200]) from error
    if not isinstance(read, dict) or any(isinstance(each, dict | list) for each in read.values()):
        raise Invalid(f"{column} are a JSON object of names and single values", field=column, value=raw[:200])
    if len(read) > MOST_TAGS or any(not 0 < len(key) <= 120 or not key.isprintable() for key in read):
        raise Invalid(f"{column} of a row have at most {MOST_TAGS} names of 1 to 120 characters", field=column)
    words = {True: "true", False: "false", None: ""}
    return {key: words[each] if each is None or isinstance(each, bool) else str(each) for key, each in read.items()}


def shortened(name: str) -> str:
    """A name as it is kept: of a long one the beginning, and what tells it from all others.

    >>> shortened("vm-1"), len(shortened("x" * 500)), shortened("x" * 500) == shortened("x" * 501)
    ('vm-1', 191, False)
    """
    if len(name) <= LONGEST:
        return name
    digest = hashlib.sha256(name.encode()).hexdigest()[:32]
    return f"{name[: LONGEST - 33]}#{digest}"


def _text(cells: Mapping[str, str], column: str) -> str | None:
    found = cells.get(column, "").strip()
    if found in _NULLS:
        return None
    if not found.isprintable():
        raise Invalid(f"{column} has signs that cannot be printed", field=column)
    return found


def _name(cells: Mapping[str, str], column: str) -> str:
    found = _text(cells, column)
    if found is None:
        raise Invalid(f"{column} is empty, and must not be", field=column)
    return shortened(found)


def _category(cells: Mapping[str, str]) -> CostCategory:
    raw = _text(cells, "ChargeCategory") or ""
    try:
        return CostCategory(raw)
    except ValueError as error:
        raise Invalid(
            f"ChargeCategory '{raw[:40]}' is none of {', '.join(CostCategory)}", field="ChargeCategory", value=raw
        ) from error


def _currency(cells: Mapping[str, str]) -> str:
    raw = _text(cells, "BillingCurrency") or ""
    try:
        minor_units(raw)
    except Invalid as problem:
        raise Invalid(f"Billing{problem.message}", field="BillingCurrency", value=raw) from problem
    return raw


def read_number(raw: str, column: str, most: Decimal = MOST) -> Decimal:
    """A number (FOCUS, NumericFormat), to 12 places: what sources compute in binary has more than they mean.

    Raises:
        Invalid: it is none, or beyond the most.

    >>> read_number("0.1234567890125", "BilledCost")
    Decimal('0.123456789013')
    """
    raw = raw.strip()
    if not _NUMBER.fullmatch(raw):
        raise Invalid(f"{column} '{raw[:40]}' is no number; write it like -1234.56", field=column, value=raw)
    found = Decimal(raw)
    if abs(found) > most:
        raise Invalid(f"{column} {raw[:40]} is beyond {most:f}", field=column, value=raw)
    return round_half_up(Fraction(found), AMOUNT_PLACES)


def _span(cells: Mapping[str, str], name: str) -> tuple[datetime, datetime]:
    start, end = (_moment(cells, f"{name}{edge}") for edge in ("Start", "End"))
    if start >= end:
        raise Invalid(f"{name}End {end:%Y-%m-%d} does not come after {name}Start", field=f"{name}End", value=end)
    return start, end


def _moment(cells: Mapping[str, str], column: str) -> datetime:
    """A moment of UTC (FOCUS, DateTimeFormat); one without a zone is of UTC too."""
    raw = cells.get(column, "").strip()
    try:
        found = datetime.fromisoformat(raw)
        return found.replace(tzinfo=UTC) if found.tzinfo is None else found.astimezone(UTC)
    except (ValueError, OverflowError) as error:
        raise Invalid(
            f"{column} '{raw[:40]}' is no time; write it like 2026-11-01T00:00:00Z", field=column, value=raw
        ) from error


@dataclass(frozen=True, slots=True)
class SetSize:
    """How much a set of rows (of a billing account and day) is: rows, and costs regardless of their sign."""

    rows: int
    weight: Decimal

    def loses_half_of(self, before: "SetSize") -> bool:
        """Whether less than half is left of another: a person looks at that before it counts.

        >>> SetSize(4, Decimal(10)).loses_half_of(SetSize(9, Decimal(10)))
        True
        >>> SetSize(0, Decimal(0)).loses_half_of(SetSize(0, Decimal(0)))
        False
        """
        return 2 * self.rows < before.rows or 2 * self.weight < before.weight


def rate_on(rates: Collection[tuple[date, Decimal]], day: date) -> Decimal | None:
    """What one unit of a currency is worth in another on a day: by the last rate that began; None before the first.

    >>> rate_on([(date(2026, 11, 1), Decimal("0.9")), (date(2026, 11, 5), Decimal("0.92"))], date(2026, 11, 4))
    Decimal('0.9')
    """
    found = rate_in_force(rates, day)
    return None if found is None else found[1]


def rate_in_force(rates: Collection[tuple[date, Decimal]], day: date) -> tuple[date, Decimal] | None:
    """The last rate that began by a day, with the day on which it did."""
    return max(((since, rate) for since, rate in rates if since <= day), default=None)
