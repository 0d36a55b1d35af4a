"""Bodies of cost files that come in pieces."""

from datetime import date, datetime
from uuid import UUID

from pydantic import Field

from gradumen.core.metering.uploads import MOST_BYTES, MOST_PARTS
from gradumen.wire.metering.deliveries import SentContent
from gradumen.wire.values import Body, WholeNumber, YesOrNo


class UploadBegin(Body):
    """A cost file (FOCUS 1.0 to 1.2: .csv or .parquet, also .gz) that will come in pieces.

    ``sha256`` is of its bytes, in hexadecimal digits. It is file ``part`` of the ``parts`` files of an export, which
    ``exported_at`` names where there are several: they count once all have come. The rest as in a file of one call.
    """

    name: str = Field(min_length=1, max_length=180)
    size: WholeNumber = Field(ge=1, le=MOST_BYTES)
    sha256: str = Field(pattern="^[0-9a-f]{64}$")
    exported_at: datetime | None = None
    first: date | None = None
    last: date | None = None
    confirmed: YesOrNo = False
    part: WholeNumber = Field(default=1, ge=1, le=MOST_PARTS)
    parts: WholeNumber = Field(default=1, ge=1, le=MOST_PARTS)


class PieceSent(SentContent):
    """A piece of a file, in base64."""


class UploadBody(Body):
    """A file that comes in pieces, and how far it is.

    It has ``pieces`` of ``piece_bytes`` each, the last of what is left; ``missing`` are those to be sent, from 0.
    ``state``: sending, reading, waiting (for other files of its export), refused (``problem`` says why, a person
    decides; ``confirmable``: confirm it, if it is right), taken, given up. ``read`` of ``rows``, as far as known.
    """

    id: UUID
    feed: str
    name: str
    size: int
    piece_bytes: int
    pieces: int
    missing: list[int]
    exported_at: datetime | None
    part: int
    parts: int
    state: str
    problem: str | None
    confirmable: bool
    rows: int
    begun_by: str | None
    begun_at: datetime
    delivery_id: UUID | None
    task: UUID | None
