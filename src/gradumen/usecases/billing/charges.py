"""Billed charges: why an amount is what it is, and the readings that it was made from."""

from datetime import timedelta
from fractions import Fraction
from uuid import UUID

from gradumen.core.errors import NotFound
from gradumen.core.exact import QUANTITY_PLACES, round_half_up, text
from gradumen.core.metering.kinds import as_sent
from gradumen.core.periods import midnight, zone_of
from gradumen.core.rating.imported_costs import KINDS
from gradumen.store.billing.charges import card_of, parts_of
from gradumen.store.billing.evident_costs import EvidentCost
from gradumen.store.billing.evident_readings import EvidentReading
from gradumen.store.billing.tables import ChargeRow, InvoiceRow
from gradumen.store.metering.cost_exports import PLACES
from gradumen.store.organisations.tables import zone_name
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.billing.evidence import costs_of, readings_of
from gradumen.usecases.billing.invoices import is_visible
from gradumen.usecases.billing.promised_limits import limits_behind
from gradumen.usecases.billing.stored_lines import stored_explanation
from gradumen.usecases.scope import Caller, Scope, load_scope
from gradumen.wire.billing.charges import ChargeBody, ChargePartBody, ReadingBody
from gradumen.wire.billing.explanations import Explanation


def _charge(tx: Session, scope: Scope, charge_id: UUID) -> ChargeRow:
    charge = tx.get(ChargeRow, charge_id)
    if charge is not None:
        invoice = tx.get_one(InvoiceRow, charge.invoice_id)
        if is_visible(scope, invoice):
            return charge
    raise NotFound("charge", charge_id)


@use_case
def explain_charge(tx: Session, caller: Caller, *, charge_id: UUID) -> ChargeBody:
    """The arithmetic of a charge, down to projects, resources and days."""
    charge = _charge(tx, load_scope(tx, caller), charge_id)
    card, seller = card_of(tx, charge), tx.get_one(InvoiceRow, charge.invoice_id).seller_id
    why = Explanation.model_validate(stored_explanation(charge.explanation))
    limits = limits_behind(tx, charge.supply_line_id, charge.meter, seller, charge.service_start, charge.service_end)
    return ChargeBody(
        id=charge.id,
        rate_card=card.slug,
        currency=card.currency,
        quantity=charge.quantity,
        amount=charge.amount,
        service_start=charge.service_start,
        service_end=charge.service_end,
        evidence=charge.evidence,
        explanation=why.model_copy(update={"limits": limits} if limits is not None else {}),
        parts=[
            ChargePartBody(
                project=slug, resource=part.resource, day=part.day, quantity=part.quantity, amount=part.amount
            )
            for part, slug in parts_of(tx, charge.id)
        ],
    )


@use_case
def list_charge_readings(tx: Session, caller: Caller, *, charge_id: UUID, after: int, limit: int) -> list[ReadingBody]:
    """The readings that a charge was made from, in the order in which they came, after so many of them."""
    charge = _charge(tx, load_scope(tx, caller), charge_id)
    if charge.meter is None:
        return []
    if charge.explanation["kind"] in KINDS.values():
        return [_cost(each) for each in costs_of(tx, charge, after=after, limit=limit)]
    seller = tx.get_one(InvoiceRow, charge.invoice_id).seller_id
    local = charge.service_start.astimezone(zone_of(zone_name(tx, seller, charge.service_start.date())))
    return [
        ReadingBody(
            feed=found.feed,
            source=found.origin.source,
            event_id=found.reading.event_id,
            resource=found.resource,
            start=found.reading.start_at,
            end=found.reading.end_at,
            quantity=found.reading.quantity,
            sent=_sent(found),
        )
        for found in readings_of(tx, charge, offset=local.utcoffset() or timedelta(0), after=after, limit=limit)
    ]


def _sent(found: EvidentReading) -> str | None:
    """What it was sent as, in its sender's words; None where that is what it is."""
    origin = found.origin
    if origin.sent_meter is None or origin.factor is None:
        return None
    return f"{text(as_sent(found.reading.quantity, Fraction(origin.factor)))} {origin.sent_unit} {origin.sent_meter}"


def _cost(row: EvidentCost) -> ReadingBody:
    """A row of a cost file, or of an estimate, in millionths of its currency, on the day on which the charge began."""
    file, position = divmod(row.position, PLACES)
    guessed = f"estimate as on {row.as_on}, " if row.as_on else ""
    place = f"file {file + 1}, row {position + 1}" if file else f"row {position + 1}"
    return ReadingBody(
        feed=row.feed,
        source=row.source,
        event_id=f"{row.account}, {row.day}, {guessed}{place}, {row.currency}",
        resource=row.resource,
        start=midnight(row.day),
        end=midnight(row.day + timedelta(days=1)),
        quantity=round_half_up(row.cost * 10**6, QUANTITY_PLACES),
    )
