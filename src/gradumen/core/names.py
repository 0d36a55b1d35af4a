"""Slugs and names, as everything that has one is read."""

import re

from gradumen.core.errors import Invalid

_SLUG = re.compile(r"[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?")


def slug_of(raw: object, *, field: str) -> str:
    """Read a slug: lower-case letters, digits and hyphens, 1 to 63 of them.

    Raises:
        Invalid: anything else.

    >>> slug_of("open-range", field="slug")
    'open-range'
    """
    if not isinstance(raw, str) or not _SLUG.fullmatch(raw):
        raise Invalid(
            f"{field} '{str(raw)[:70]}' may have lower-case letters, digits and hyphens inside, 1 to 63 of them",
            field=field,
            value=raw,
        )
    return raw


def name_of(raw: object, *, field: str, most: int = 120) -> str:
    """Read a name for people: 1 to ``most`` printable characters, outer spaces removed.

    Raises:
        Invalid: empty, too long, or with control characters.
    """
    if not isinstance(raw, str) or not raw.strip() or len(raw.strip()) > most or not raw.strip().isprintable():
        raise Invalid(f"{field} must have 1 to {most} printable characters", field=field, value=raw)
    return raw.strip()
