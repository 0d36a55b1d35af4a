"""What is told of a resource beside what it used: who made it, its tags, how long it has been quiet."""

from collections.abc import Iterable, Mapping

MADE_BY = ("made-by", "created-by", "creator", "user", "user-id", "owner", "contact")
"""Attributes and tags that say who made something, however they are written; the first that is there."""


def made_by(told: Iterable[Mapping[str, str]]) -> str | None:
    """Who made something, by attributes or tags that say so.

    >>> made_by([{"region": "west", "tag:Created_By": "vera"}, {"owner": "line 4"}]), made_by([{"region": "west"}])
    ('vera', None)
    """
    named = {_plain(name): value for each in told for name, value in each.items() if value}
    return next((named[name] for name in MADE_BY if name in named), None)


def _plain(name: str) -> str:
    return name.removeprefix("tag:").lower().replace("_", "-").replace(" ", "-")
