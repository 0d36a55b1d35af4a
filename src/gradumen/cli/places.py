"""Sites, pools, clouds, measures and limits as they are written on the command line."""

import argparse
from decimal import Decimal, InvalidOperation

from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.core.quotas.measures import BUILT_IN
from gradumen.wire.organisations.clouds import CloudBody
from gradumen.wire.organisations.sites import SiteBody
from gradumen.wire.quotas.pools import PoolBody

MEASURES = f"{', '.join(f'{each} ({each.unit})' for each in BUILT_IN)}, or another of `gradumen measures list`"
"""What a measure on the command line is."""


def one_site(client: Client, organisation: str, written: str) -> SiteBody:
    """The site that is meant, of those that an organisation may use.

    Raises:
        Invalid: there is none, or several.
    """
    found = [each for each in client.sites.list(organisation) if written in (each.slug, str(each.id))]
    if len(found) != 1:
        said = "several sites are called" if found else f"{organisation} may use no site called"
        raise Invalid(f"{said} '{written}'; see gradumen sites list", field="site", value=written)
    return found[0]


def one_cloud(client: Client, organisation: str, written: str) -> CloudBody:
    """The cloud that is meant, of those that an organisation may have accounts made in.

    Raises:
        Invalid: there is none, or several.
    """
    found = [each for each in client.clouds.list(organisation) if written in (each.slug, str(each.id))]
    if len(found) != 1:
        said = "several clouds are called" if found else f"{organisation} has no cloud called"
        raise Invalid(f"{said} '{written}'; see gradumen clouds list", field="cloud", value=written)
    return found[0]


def one_pool(client: Client, organisation: str, written: str) -> PoolBody:
    """The pool that is meant, of an organisation's own.

    Raises:
        Invalid: there is none.
    """
    found = [each for each in client.pools.list(organisation) if written in (each.slug, str(each.id))]
    if not found:
        said = f"{organisation} has no pool called '{written}'; see gradumen pools list"
        raise Invalid(said, field="pool", value=written)
    return found[0]


def limit(raw: str) -> Decimal | None:
    """Read a limit."""
    try:
        return None if raw == "none" else Decimal(raw)
    except InvalidOperation:
        raise argparse.ArgumentTypeError(f"'{raw}' is not a number and not 'none'") from None
