"""Brings a shared database to head."""

from gradumen.core.errors import Invalid
from gradumen.settings import Settings
from gradumen.store import schema
from gradumen.store.unit_of_work import DATABASE_ERRORS, is_denied, make_engine


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
    except DATABASE_ERRORS as error:
        if not is_denied(error):
            raise
        raise Invalid(
            f"this account may not change tables ({getattr(error, 'orig', error)}); "
            "name one that may in GRADUMEN_SCHEMA_URL",
            field="schema_url",
        ) from None
    return schema.head()
