"""What was refused as a file, for whoever sends it again."""

from collections.abc import Sequence
from io import BytesIO

import polars as pl

from gradumen.documents.spreadsheets import safe
from gradumen.wire.metering.refused_items import RefusedItemBody

MOST = 100_000
_COLUMNS = ("delivery", "received_at", "file", "position", "id", "field", "reason", "sent")


def write_refused(found: Sequence[RefusedItemBody]) -> bytes:
    """CSV with a row of names first (RFC 4180); see `docs/formats.md`, Refused items."""
    rows = [
        {name: None if value is None else str(value) for name, value in each.model_dump(mode="json").items()}
        for each in found
    ]
    frame = pl.DataFrame(rows, schema=dict.fromkeys(_COLUMNS, pl.String))
    written = BytesIO()
    frame.with_columns(safe(name) for name in _COLUMNS).write_csv(written, line_terminator="\r\n")
    return written.getvalue()
