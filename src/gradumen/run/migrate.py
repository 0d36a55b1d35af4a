"""Brings a shared database to head."""

from sqlalchemy.exc import DBAPIError

from gradumen.core.errors import Invalid
from gradumen.settings import Settings
from gradumen.store import schema
from gradumen.store.unit_of_work import error_number, make_engine

DENIED = frozenset({1044, 1142, 1227, 1370})
"""The account lacks a right."""


def migrate(settings: Settings) -> str:
    """Bring the database of the settings to head; gives the revision.

    Raises:
        Invalid: the account may not change tables, or no shared database is named; the private one is migrated when
            the service starts.
    """
    if not settings.database_url:
        raise Invalid(
            "set GRADUMEN_DATABASE_URL; a private database is migrated by gradumen serve", field="database_url"
        )
    engine = make_engine(settings.schema_url or settings.database_url)
    try:
        schema.migrate(engine)
    except DBAPIError as error:
        if error_number(error) not in DENIED:
            raise
        raise Invalid(
            f"this account may not change tables ({error.orig}); name one that may in GRADUMEN_SCHEMA_URL",
            field="schema_url",
        ) from None
    return schema.head()
