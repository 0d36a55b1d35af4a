"""Digests of drafts: whether one would be made again as it is."""

import json
from collections.abc import Mapping
from hashlib import sha256
from typing import Any
from uuid import UUID

from gradumen.core.billing.documents import Taxes
from gradumen.store.billing.drafts import DraftRows
from gradumen.store.billing.tables import InvoiceRow

_SAID = ("buyer_id", "period", "kind", "currency", "net", "tax", "gross", "tax_category", "tax_percent", "parties")


def digest_of(rows: DraftRows, taxes: Taxes[UUID]) -> str:
    """SHA-256 of all that a draft says and of which parts of which generations, but for the ids of its own rows."""
    invoice: InvoiceRow = rows.invoice
    own: dict[object, int] = {invoice.id: -1}
    for number, charge in enumerate(rows.charges):
        own[charge["id"]] = own[str(charge["id"])] = number
    said = {
        "document": [getattr(invoice, name) for name in _SAID],
        "charges": [_of_charge(each) for each in rows.charges],
        "parts": [(own[charge], *part) for charge, *part in rows.parts],
        "copied": rows.copied,
        "lines": rows.lines,
        "pairs": rows.pairs,
        "taxes": [[each.category, each.percent, each.net, each.tax] for each in taxes.groups],
        "given back": [*taxes.given_back.items()],
    }
    written = json.dumps(said, sort_keys=True, default=lambda value: own.get(value, str(value)))
    return sha256(written.encode()).hexdigest()


def _of_charge(charge: Mapping[str, Any]) -> dict[str, Any]:
    """A charge but for how many rules had been replaced by then, of whomever."""
    explanation = {name: value for name, value in charge["explanation"].items() if name != "replaced"}
    return {**charge, "explanation": explanation}
