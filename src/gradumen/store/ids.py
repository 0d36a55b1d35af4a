"""Ids of rows that come by the thousand."""

import secrets
import time
from uuid import UUID


def id_in_time() -> UUID:
    """A UUID, version 7, in whose order those made later come later (RFC 9562, 5.7).

    Rows that are made together then lie together, and are added at the end of an index.

    >>> first, second = id_in_time(), id_in_time()
    >>> first.version, first.variant == second.variant, first.int >> 80 <= second.int >> 80
    (7, True, True)
    """
    milliseconds = time.time_ns() // 1_000_000
    some, more = secrets.randbits(12), secrets.randbits(62)
    return UUID(int=milliseconds << 80 | 7 << 76 | some << 64 | 0b10 << 62 | more)
