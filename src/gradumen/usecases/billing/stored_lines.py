"""Lines of documents as they are kept."""

from datetime import datetime
from decimal import Decimal
from typing import Any

from gradumen.core.exact import text
from gradumen.store.billing.tables import InvoiceLineRow
from gradumen.usecases.rating.charges import Line

_WORDS = {"graduated": "stepped", "whole_quantity": "at_reached_step", "packages": "lots", "package": "lot"}
"""Kinds and units as they were written before, with what they are called today."""


def line_document(line: Line) -> dict[str, Any]:
    """What of a line is kept beside its amount."""
    return {
        "organisation": line.organisation,
        "subscription": line.subscription,
        "project": line.project,
        "service": line.service,
        "rate": line.rate,
        "rate_card_version": line.rate_card_version,
        "description": line.description,
        "quantity": text(line.quantity),
        "unit": line.unit,
        "service_start": line.service_start.isoformat(),
        "service_end": line.service_end.isoformat(),
    }


def stored_line(row: InvoiceLineRow) -> Line:
    """A line as it was written."""
    stored = row.document
    return Line(
        organisation=stored["organisation"],
        subscription=stored["subscription"],
        project=stored["project"],
        service=stored["service"],
        rate=stored["rate"],
        rate_card_version=stored["rate_card_version"],
        description=stored["description"],
        quantity=Decimal(stored["quantity"]),
        unit=stored["unit"],
        amount=row.amount,
        service_start=datetime.fromisoformat(stored["service_start"]),
        service_end=datetime.fromisoformat(stored["service_end"]),
        charge_id=row.charge_id,
    )


def stored_explanation(written: dict[str, Any]) -> dict[str, Any]:
    """An explanation as it was written, in today's words.

    The numbers of attribute sets, of the last delivery and of the last rules that were replaced are for finding
    readings; they would count everybody's.
    """
    shown = {name: value for name, value in written.items() if name not in ("attribute_sets", "delivery", "replaced")}
    return shown | {name: _WORDS.get(shown[name], shown[name]) for name in ("kind", "unit") if name in shown}
