"""The limits of all that an organisation sells to, beside each other; as a spreadsheet too."""

import csv
import io
from collections.abc import Sequence
from decimal import Decimal, InvalidOperation

from gradumen.client.connection import Connection
from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.wire.quotas.quota_matrices import (
    MatrixChange,
    MatrixMeasureBody,
    MatrixRowBody,
    QuotaMatrixBody,
    QuotaMatrixChangedBody,
    QuotaMatrixUpdate,
)

NONE = "none"
"""How no limit is written."""
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


class QuotaMatrices:
    """Limits of customers, looked at and set together."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, organisation: str, *, search: str = "", after: str | None = None, limit: int = 50) -> QuotaMatrixBody:
        """Some of an organisation's customers, and its own limits above them."""
        path = f"organisations/{organisation}/quota-matrix"
        return self._connection.get(path, QuotaMatrixBody, search=search, after=after, limit=limit)

    def rows(self, organisation: str) -> list[MatrixRowBody]:
        """All of its customers."""
        path = f"organisations/{organisation}/quota-matrix"
        return self._connection.all_of(path, QuotaMatrixBody, limit=500)

    def change(
        self, organisation: str, changes: Sequence[MatrixChange], *, check: bool = False
    ) -> QuotaMatrixChangedBody:
        """Set limits together or not at all; with ``check`` only see whether they fit."""
        body = QuotaMatrixUpdate(changes=list(changes), check=check)
        return self._connection.put(f"organisations/{organisation}/quota-matrix", QuotaMatrixChangedBody, body)


def write_matrix(measures: Sequence[MatrixMeasureBody], rows: Sequence[MatrixRowBody]) -> str:
    """Limits as a spreadsheet (`docs/formats.md`): a customer a line, a measure a column, empty where none was given.

    Names that a spreadsheet would carry out as a formula have an apostrophe before them.
    """
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["organisation", "name", *(f"{each.measure} [{each.unit}]" for each in measures)])
    for row in rows:
        cells = {cell.measure: cell for cell in row.cells}
        limits = [_written(cells[each.measure].limit, cells[each.measure].given) for each in measures]
        name = f"'{row.name}" if row.name.startswith(_FORMULA) else row.name
        writer.writerow([row.organisation, name, *limits])
    return out.getvalue()


def _written(limit: Decimal | None, given: bool) -> str:
    if not given:
        return ""
    return NONE if limit is None else text(limit)


def read_matrix(written: str, measures: Sequence[str]) -> list[MatrixChange]:
    """The limits that a spreadsheet sets; an empty cell sets none, and a column of something else is refused.

    Raises:
        Invalid: the first line has not the columns of `write_matrix`, or a cell is no limit; names line and column.
    """
    lines = list(csv.reader(io.StringIO(written.removeprefix("\ufeff"))))
    if not lines or "organisation" not in lines[0]:
        raise Invalid("the first line names the columns: organisation, name, and measures like processors", field="1")
    head = [each.partition("[")[0].strip() for each in lines[0]]
    known = set(measures)
    for each in head:
        if each not in known | {"organisation", "name"}:
            raise Invalid(f"line 1: column '{each[:40]}' is no measure; there are {', '.join(measures)}", field=each)
    place = head.index("organisation")
    changes = []
    for number, line in enumerate(lines[1:], 2):
        if not any(cell.strip() for cell in line):
            continue
        if len(line) != len(head):
            raise Invalid(f"line {number} has {len(line)} cells; the first has {len(head)}", field=str(number))
        for name, cell in zip(head, line, strict=True):
            if name in known and cell.strip():
                limit = _read(cell.strip(), f"line {number}, {name}")
                changes.append(MatrixChange(organisation=line[place].strip(), measure=name, limit=limit))
    return changes


def _read(cell: str, where: str) -> Decimal | None:
    if cell.lower() == NONE:
        return None
    if cell.startswith("="):
        raise Invalid(f"{where}: '{cell[:40]}' is a formula; save the sheet with values", field=where, value=cell)
    try:
        found = Decimal(cell.replace("\u202f", "").replace("\u2009", ""))
    except InvalidOperation:
        found = Decimal("NaN")
    if not found.is_finite():
        raise Invalid(f"{where}: '{cell[:40]}' is not a number and not '{NONE}'", field=where, value=cell)
    return found
