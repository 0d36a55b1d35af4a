"""Bodies of the limits of all that an organisation sells to, beside each other."""

from pydantic import Field

from gradumen.wire.values import Body, DecimalText, Page, WholeNumber, YesOrNo

MOST_CHANGES = 500


class MatrixMeasureBody(Body):
    """What the giver may have of a measure, and what of it is free; null is no limit."""

    measure: str
    unit: str
    kind: str
    limit: DecimalText | None
    left: DecimalText | None


class MatrixCellBody(Body):
    """What a customer may have of a measure (null is no limit); ``given`` says that somebody set it.

    ``passed_on`` is what of it the customer gives to those below it.
    """

    measure: str
    limit: DecimalText | None
    given: bool
    passed_on: DecimalText
    version: int


class MatrixRowBody(Body):
    """A customer with its limits, measure by measure."""

    organisation: str
    name: str
    type: str
    cells: list[MatrixCellBody]


class QuotaMatrixBody(Page[MatrixRowBody]):
    """Some of an organisation's customers with their limits, and its own above them."""

    organisation: str
    measures: list[MatrixMeasureBody]


class MatrixChange(Body):
    """A limit to set, null is none; ``version`` is that of the cell looked at, null to set it whatever is there."""

    organisation: str
    measure: str
    limit: DecimalText | None
    version: WholeNumber | None = None


class QuotaMatrixUpdate(Body):
    """Limits that are set together or not at all; with ``check`` it is only looked at whether they fit."""

    changes: list[MatrixChange] = Field(min_length=1, max_length=MOST_CHANGES)
    check: YesOrNo = False


class QuotaMatrixChangedBody(Body):
    """How many of the limits differ from what was there."""

    changed: int
