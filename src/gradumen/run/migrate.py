"""Brings a shared database to head."""

from gradumen.core.errors import Invalid
from gradumen.settings import Settings
from gradumen.store import schema
from gradumen.store.unit_of_work import make_engine


def migrate(settings: Settings) -> str:
    """Bring the database of the settings to head; gives the revision.

    Raises:
        Invalid: no shared database is named; the private one is migrated when the service starts.
    """
    if not settings.database_url:
        raise Invalid(
            "set GRADUMEN_DATABASE_URL; a private database is migrated by gradumen serve", field="database_url"
        )
    engine = make_engine(settings.schema_url or settings.database_url)
    schema.migrate(engine)
    return schema.head()
