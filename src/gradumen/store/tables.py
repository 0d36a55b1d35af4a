"""All tables, so that Alembic and tests see them at once."""

from gradumen.store import audit_entries, clock, idempotency, messages, pairs, revisions, sealing, tasks
from gradumen.store.access import project_people
from gradumen.store.access import tables as users
from gradumen.store.billing import tables as billing
from gradumen.store.catalogue import tables as catalogue
from gradumen.store.columns import Base
from gradumen.store.metering import (
    archived_months,
    breaches,
    cloud_feeds,
    exchange_rates,
    feed_balances,
    feed_precedences,
    imported_costs,
    kind_rules,
    pool_days,
)
from gradumen.store.metering import tables as readings
from gradumen.store.organisations import clouds, cost_centres, projects
from gradumen.store.organisations import tables as organisations
from gradumen.store.quotas import hosts, measures
from gradumen.store.quotas import tables as quotas
from gradumen.store.rating import tables as rating
from gradumen.store.subscriptions import tables as subscriptions

__all__ = [
    "Base",
    "archived_months",
    "audit_entries",
    "billing",
    "breaches",
    "catalogue",
    "clock",
    "cloud_feeds",
    "clouds",
    "cost_centres",
    "exchange_rates",
    "feed_balances",
    "feed_precedences",
    "hosts",
    "idempotency",
    "imported_costs",
    "kind_rules",
    "measures",
    "messages",
    "organisations",
    "pairs",
    "pool_days",
    "project_people",
    "projects",
    "quotas",
    "rating",
    "readings",
    "revisions",
    "sealing",
    "subscriptions",
    "tasks",
    "users",
]
