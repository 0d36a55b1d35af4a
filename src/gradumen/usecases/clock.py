"""The business clock: read by all, moved only where the settings allow it (demo, tests)."""

from datetime import UTC, datetime

from gradumen.core.errors import Forbidden, Invalid
from gradumen.core.permissions import Right
from gradumen.store.clock import BusinessClockRow, clock_to_move
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.audit_entries import record
from gradumen.usecases.scope import Caller, business_now, load_scope
from gradumen.wire.clock import ClockBody


@use_case
def read_clock(tx: Session, caller: Caller) -> ClockBody:
    """The business time."""
    return ClockBody(now=business_now(tx, caller.at), held=tx.get_one(BusinessClockRow, 1).held_at is not None)


@use_case
def set_clock(tx: Session, caller: Caller, *, to: datetime | None, held: bool, allowed: bool) -> ClockBody:
    """Move the business clock; ``to`` None lets it follow the real one.

    Raises:
        Forbidden: the settings do not allow it, or the caller is not an administrator of the provider.
        Invalid: out of range or without a zone.
    """
    scope = load_scope(tx, caller)
    provider = scope.require_provider(Right.MANAGE_ORGANISATIONS)
    if not allowed:
        raise Forbidden(right="clock control (GRADUMEN_CLOCK_CONTROL)", organisation="the provider")
    row = clock_to_move(tx)
    if to is None:
        row.held_at, row.offset_seconds = None, 0
    else:
        if to.tzinfo is None or not 2000 <= to.year <= 2200:
            raise Invalid("the time must have a zone and lie between 2000 and 2200", field="to", value=to)
        moment = to.astimezone(UTC).replace(microsecond=0)
        row.held_at = moment if held else None
        row.offset_seconds = 0 if held else int((moment - caller.at).total_seconds())
    tx.flush()
    after = {"to": None if to is None else to.isoformat(), "held": held}
    record(tx, caller, "clock set", provider, "the business clock", after=after)
    return ClockBody(now=business_now(tx, caller.at), held=row.held_at is not None)
