"""lines that a move had left open end with it, where something was to change on its very day

Of moves that were withdrawn, lines begin with their day again, and go over to the card of the renewal. The months since
are rated again; what was charged for after a move goes back with the old sellers' next documents.
"""

from alembic import op
from sqlalchemy import text

revision = '0063'
down_revision = '0062'
branch_labels = None
depends_on = None

LEFT_OPEN = """
SELECT s.id, s.seller_id, s.buyer_id FROM supply_lines s
JOIN supply_lines v ON (v.subscription_id, v.depth, v.seller_id, v.buyer_id)
    = (s.subscription_id, s.depth, s.seller_id, s.buyer_id) AND v.void AND v.starts_on = :day
WHERE NOT s.void AND s.starts_on < :day AND s.ends_on IS NULL
    AND EXISTS (SELECT 1 FROM supply_lines n WHERE n.subscription_id = s.subscription_id AND n.opens_at = :at AND NOT n.void)
    AND NOT EXISTS (SELECT 1 FROM supply_lines x WHERE (x.subscription_id, x.depth, x.seller_id, x.buyer_id)
        = (s.subscription_id, s.depth, s.seller_id, s.buyer_id)
        AND NOT x.void AND x.starts_on > s.starts_on AND x.starts_on < :day)
"""
OPENED_LATE = """
SELECT id, seller_id, buyer_id FROM supply_lines
WHERE starts_on = :day AND opens_at = :at AND NOT void
    AND NOT EXISTS (SELECT 1 FROM moves WHERE starts_at = :at AND state <> 'withdrawn')
"""
NOT_RENEWED = """
SELECT v.id, v.seller_id, v.buyer_id, v.starts_on FROM supply_lines v
JOIN supply_lines s ON (s.subscription_id, s.depth, s.seller_id, s.buyer_id)
    = (v.subscription_id, v.depth, v.seller_id, v.buyer_id)
    AND NOT s.void AND s.ends_on IS NULL AND s.starts_on < v.starts_on AND s.rate_card_id <> v.rate_card_id
    AND (s.plan_version_id, s.tier, s.quantity, s.paused, s.trial)
        = (v.plan_version_id, v.tier, v.quantity, v.paused, v.trial)
WHERE v.void AND EXISTS (SELECT 1 FROM moves WHERE state = 'withdrawn' AND starts_on < v.starts_on)
"""
RATE_AGAIN = """
UPDATE pairs SET wanted = wanted + 1, stale_since = COALESCE(stale_since, UTC_TIMESTAMP(6)), not_before = NULL
WHERE seller_id = :seller AND buyer_id = :buyer AND period >= :period
"""


def upgrade() -> None:
    connection = op.get_bind()
    for day, at, withdrawn in connection.execute(
        text("SELECT DISTINCT starts_on, starts_at, state = 'withdrawn' FROM moves")
    ).all():
        found = connection.execute(text(OPENED_LATE if withdrawn else LEFT_OPEN), {"day": day, "at": at}).all()
        mended = {"opens_at": None} if withdrawn else {"ends_on": day, "closes_at": at}
        columns = ", ".join(f"{name} = :{name}" for name in mended)
        for line, seller, buyer in found:
            connection.execute(text(f"UPDATE supply_lines SET {columns} WHERE id = :id"), {**mended, "id": line})
            since = {"seller": seller, "buyer": buyer, "period": f"{day:%Y-%m}"}
            connection.execute(text(RATE_AGAIN), since)
    for line, seller, buyer, day in connection.execute(text(NOT_RENEWED)).all():
        connection.execute(text("UPDATE supply_lines SET void = 0 WHERE id = :id"), {"id": line})
        connection.execute(text(RATE_AGAIN), {"seller": seller, "buyer": buyer, "period": f"{day:%Y-%m}"})
