"""Cost files (FOCUS, as CSV or Parquet, also packed): their rows, or all lines that are wrong."""

from collections.abc import Sequence
from datetime import date

from gradumen.core.errors import Invalid
from gradumen.core.metering.imported_costs import READ, CostRow, check_columns, read_cost_row
from gradumen.feeds.reading_files import read_table

NAMED = 20
"""Wrong lines that are named at once."""


def read_costs(name: str, content: bytes, latest: date) -> Sequence[CostRow]:
    """The rows of a cost file; one wrong line refuses all of it, since sets of rows count whole.

    Args:
        latest: the last day on which a charge may begin.

    Raises:
        Invalid: it cannot be read, lacks columns, or has wrong lines; names them.
    """
    table = read_table(name, content, only=READ)
    check_columns(table.columns)
    found: list[CostRow] = []
    wrong: list[str] = []
    for line, cells in table.rows:
        try:
            found.append(read_cost_row(cells, latest))
        except Invalid as problem:
            wrong.append(f"line {line}: {problem.message}")
    if wrong:
        more = f"; and {len(wrong) - NAMED} more" if len(wrong) > NAMED else ""
        raise Invalid(
            f"{len(wrong)} of {len(table.rows)} rows are wrong, so none is taken: {'; '.join(wrong[:NAMED])}{more}",
            field="content",
        )
    return found
