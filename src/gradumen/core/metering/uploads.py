"""Files that come in pieces: in which states they are, and how they are cut."""

from enum import StrEnum

PIECE = 4 * 1024**2
"""Bytes of a piece; the last has what is left."""
MOST_BYTES = 1024**3
MOST_PARTS = 100
"""Files of one export."""


class UploadState(StrEnum):
    """What is being done with a file that comes in pieces.

    ``waiting``: all of it was read, and other files of its export are missing. ``refused``: a person decides.
    """

    SENDING = "sending"
    READING = "reading"
    WAITING = "waiting"
    REFUSED = "refused"
    TAKEN = "taken"
    GIVEN_UP = "given up"


def pieces_of(size: int) -> int:
    """Into how many pieces a file of so many bytes is cut.

    >>> pieces_of(1), pieces_of(PIECE), pieces_of(PIECE + 1)
    (1, 1, 2)
    """
    return -(-size // PIECE)


def piece_size(size: int, number: int) -> int:
    """How many bytes a piece has, counted from 0.

    >>> piece_size(PIECE + 5, 0) == PIECE, piece_size(PIECE + 5, 1)
    (True, 5)
    """
    return min(PIECE, size - number * PIECE)
