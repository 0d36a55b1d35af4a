"""All tables, so that Alembic and tests see them at once."""

from gradumen.store import (
    audit_entries,
    billing,
    catalogue,
    clock,
    idempotency,
    organisations,
    quotas,
    readings,
    subscriptions,
    users,
)
from gradumen.store.columns import Base

__all__ = [
    "Base",
    "audit_entries",
    "billing",
    "catalogue",
    "clock",
    "idempotency",
    "organisations",
    "quotas",
    "readings",
    "subscriptions",
    "users",
]
