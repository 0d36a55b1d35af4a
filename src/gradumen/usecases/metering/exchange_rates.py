"""Exchange rates of sellers: what imported costs are worth in the currency that they are sold in, from days on."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from uuid import UUID

from gradumen.core.errors import Invalid
from gradumen.core.exact import minor_units, text
from gradumen.core.metering.imported_costs import EARLIEST
from gradumen.core.names import name_of
from gradumen.core.permissions import Right
from gradumen.store.metering import exchange_rates as store
from gradumen.store.metering.exchange_rates import ExchangeRateRow
from gradumen.store.metering.feeds import feeds_of
from gradumen.store.metering.imported_costs import mark_feeds
from gradumen.store.organisations.organisations import lock_organisation
from gradumen.store.pairs import raise_sold
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.metering.exchange_rates import ExchangeRateBody, ExchangeRateItem

MOST = Decimal(10) ** 9
LAST = date(9999, 1, 1)


@use_case
def list_exchange_rates(tx: Session, caller: Caller, *, organisation: str) -> list[ExchangeRateBody]:
    """A seller's exchange rates, by currencies and day; for its own members.

    Raises:
        Forbidden: the caller is none who may read money there.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.READ_MONEY, owner)
    return [_view(each) for each in store.rates_of(tx, owner.id)]


@use_case
def set_exchange_rates(
    tx: Session, caller: Caller, *, organisation: str, rates: Sequence[ExchangeRateItem]
) -> list[ExchangeRateBody]:
    """Add rates, or change those of the same currencies and day. What was imported in them is charged anew.

    Saying the same again changes nothing.

    Raises:
        Forbidden: the caller does not bill for the seller as its member.
        Invalid: a currency, day, rate or source that cannot be, or two rates of one day.
    """
    scope = load_scope(tx, caller)
    owner = get_organisation(tx, scope, organisation)
    scope.require_member(Right.BILL, owner)
    lock_organisation(tx, owner.id)
    wanted = {_key(each, place): (each.rate, _source(each, place)) for place, each in enumerate(rates)}
    if len(wanted) < len(rates):
        raise Invalid("two rates are of the same currencies and day; give one of them", field="rates")
    known = {
        (row.currency, row.into, row.starts_on): row
        for row in store.lock_rates(tx, owner.id, {(currency, into) for currency, into, _ in wanted})
    }
    changed = []
    for key, (rate, source) in wanted.items():
        row = known.get(key)
        if row is not None and (row.rate, row.source) == (rate, source):
            continue
        changed.append((key, None if row is None else row.rate, rate))
        if row is None:
            row = ExchangeRateRow(organisation_id=owner.id, currency=key[0], into=key[1], starts_on=key[2])
            tx.add(row)
        row.rate, row.source, row.set_at = rate, source, scope.now
    tx.flush()
    if changed:
        first = min(key[2] for key, _, _ in changed)
        mark_feeds(tx, _feeds(tx, owner.id), first, LAST, caller.at)
        raise_sold(tx, owner.id, first)
        told = {f"{currency} in {into} from {day}": text(rate) for (currency, into, day), _, rate in changed[:50]}
        before = {f"{c} in {into} from {day}": text(was) for (c, into, day), was, _ in changed[:50] if was is not None}
        record(tx, caller, "exchange rates set", owner.id, owner.slug, before=before or None, after=told)
    return [_view(each) for each in store.rates_of(tx, owner.id)]


def _feeds(tx: Session, organisation: UUID) -> list[int]:
    return [each.id for each in feeds_of(tx, organisation) if each.cost_meter_id is not None]


def _key(each: ExchangeRateItem, place: int) -> tuple[str, str, date]:
    field = f"rates[{place}]"
    currency, into = each.currency, each.into
    for code in (currency, into):
        minor_units(code)
    if currency == into:
        raise Invalid(f"{currency} is worth itself; give two currencies", field=f"{field}.into", value=into)
    if not 0 < each.rate <= MOST:
        raise Invalid(f"a rate lies above 0, up to {MOST:f}; got {each.rate}", field=f"{field}.rate", value=each.rate)
    if not EARLIEST <= each.starts_on < LAST:
        raise Invalid(f"a rate begins from {EARLIEST} on", field=f"{field}.starts_on", value=each.starts_on)
    return currency, into, each.starts_on


def _source(each: ExchangeRateItem, place: int) -> str:
    return name_of(each.source, field=f"rates[{place}].source")


def _view(row: ExchangeRateRow) -> ExchangeRateBody:
    return ExchangeRateBody(
        currency=row.currency,
        into=row.into,
        starts_on=row.starts_on,
        rate=row.rate,
        source=row.source,
        set_at=row.set_at,
    )
