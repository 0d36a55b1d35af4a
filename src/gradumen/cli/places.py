"""Sites, pools, clouds, measures and limits as they are written on the command line."""

import argparse
from collections.abc import Iterable
from decimal import Decimal, InvalidOperation
from typing import Protocol, TypeVar
from uuid import UUID

from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.quotas.measures import BUILT_IN
from gradumen.wire.organisations.clouds import CloudBody
from gradumen.wire.organisations.sites import SiteBody
from gradumen.wire.quotas.pools import PoolBody

MEASURES = f"{', '.join(f'{each} ({each.unit})' for each in BUILT_IN)}, or another of `gradumen measures list`"
"""What a measure on the command line is."""


class Placed(Protocol):
    """What has a slug and an id."""

    @property
    def slug(self) -> str:
        """Unique among those that are looked among, mostly."""

    @property
    def id(self) -> UUID:
        """Unique."""


P = TypeVar("P", bound=Placed)


def _one(found: Iterable[P], noun: str, none: str, written: str) -> P:
    """The one that is meant by its slug or id.

    Raises:
        Invalid: there is none, or several.
    """
    meant = [each for each in found if written in (each.slug, str(each.id))]
    if len(meant) != 1:
        said = f"several {noun}s are called" if meant else none
        raise Invalid(f"{said} '{written}'; see gradumen {noun}s list", field=noun, value=written)
    return meant[0]


def one_site(client: Client, organisation: str, written: str) -> SiteBody:
    """The site that is meant, of those that an organisation may use; raises as `_one`."""
    return _one(client.sites.list(organisation), "site", f"{organisation} may use no site called", written)


def one_cloud(client: Client, organisation: str, written: str) -> CloudBody:
    """The cloud that is meant, of those that an organisation may have accounts made in; raises as `_one`."""
    return _one(client.clouds.list(organisation), "cloud", f"{organisation} has no cloud called", written)


def one_pool(client: Client, organisation: str, written: str) -> PoolBody:
    """The pool that is meant, of an organisation's own; raises as `_one`."""
    return _one(client.pools.list(organisation), "pool", f"{organisation} has no pool called", written)


def limit(raw: str) -> Decimal | None:
    """Read a limit."""
    try:
        return None if raw == "none" else Decimal(raw)
    except InvalidOperation:
        raise argparse.ArgumentTypeError(f"'{raw}' is not a number and not 'none'") from None
