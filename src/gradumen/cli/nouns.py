"""How nouns and verbs are added to the parser."""

import argparse
from collections.abc import Callable, Iterable, Sequence
from datetime import date, timedelta
from typing import Any
from uuid import UUID

from gradumen.core.errors import Invalid


class Verbs:
    """The verbs of one noun."""

    def __init__(self, nouns: Any, name: str, help: str) -> None:
        parser = nouns.add_parser(name, help=help, description=help)
        self._verbs = parser.add_subparsers(dest="verb", metavar="VERB", required=True)

    def add(self, name: str, run: Callable[..., int], help: str) -> argparse.ArgumentParser:
        """A verb; every one has --json."""
        parser: argparse.ArgumentParser = self._verbs.add_parser(name, help=help, description=help)
        parser.add_argument("--json", action="store_true", help="print JSON for programs")
        parser.set_defaults(run=run)
        return parser


def add_organisation(parser: argparse.ArgumentParser) -> None:
    """The organisation a command is about."""
    parser.add_argument("--organisation", "-o", help="slug of an organisation; by default the profile's own")


def add_wait(parser: argparse.ArgumentParser) -> None:
    """For how long a command waits for readings that came in to be counted."""
    parser.add_argument(
        "--wait", type=float, default=0, metavar="SECONDS", help="wait so long for readings that came in to be counted"
    )


def pairs(raw: Sequence[str], field: str) -> dict[str, str]:
    """Options that are written NAME=VALUE.

    Raises:
        Invalid: one has no equals sign.
    """
    found: dict[str, str] = {}
    for each in raw:
        name, equals, value = each.partition("=")
        if not equals:
            raise Invalid(f"'{each}' has no equals sign; write NAME=VALUE", field=field, value=each)
        found[name] = value
    return found


def by_beginning(written: str, newest: Callable[[], Iterable[UUID]], *, field: str, noun: str) -> UUID:
    """The id that is meant: written out, or by its beginning among the newest.

    Raises:
        Invalid: none begins so, or several.
    """
    try:
        return UUID(written)
    except ValueError:
        found = [each for each in newest() if str(each).startswith(written.lower())]
    if len(found) != 1:
        what = f"several {noun}s begin" if found else f"no {noun} of your organisation begins"
        raise Invalid(f"{what} with '{written}'; see gradumen {noun}s list", field=field, value=written)
    return found[0]


def day_after(day: date | None) -> date | None:
    """The first day that something whose last day it is does not cover."""
    return None if day is None else day + timedelta(days=1)


def last_day(ends_on: date | None) -> str:
    """The last day of what does not cover the day on which it ends; nothing where it goes on."""
    return "" if ends_on is None else (ends_on - timedelta(days=1)).isoformat()
