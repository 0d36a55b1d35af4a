"""links that stay where somebody below them moves go by their seller's own days; what else was wrong is rated again

What a move laid at another depth of the same link began and ended at the moment of the move. Of moves that were
withdrawn, lines that begin on its day do so with the day. What was committed and not used is none of who was on trial or
paused and shared it, and what was charged by hand after a move is none of who bought before it from the same seller. What
that changes of billed months comes with the next documents.
"""

from datetime import date

from alembic import op
from sqlalchemy import Connection, text

revision = '0064'
down_revision = '0063'
branch_labels = None
depends_on = None

STAYED = """
SELECT a.id, b.id, b.seller_id, b.buyer_id, b.starts_on FROM supply_lines a
JOIN supply_lines b ON (b.subscription_id, b.seller_id, b.buyer_id, b.starts_on, b.opens_at)
    = (a.subscription_id, a.seller_id, a.buyer_id, a.ends_on, a.closes_at) AND b.depth <> a.depth AND NOT b.void
WHERE NOT a.void
"""
OPENED_LATE = """
SELECT l.id, l.seller_id, l.buyer_id, l.starts_on FROM supply_lines l
JOIN moves m ON (m.starts_on, m.starts_at, m.state) = (l.starts_on, l.opens_at, 'withdrawn')
WHERE NOT l.void
    AND NOT EXISTS (SELECT 1 FROM moves k WHERE k.starts_at = l.opens_at AND k.state <> 'withdrawn')
"""
RATE_AGAIN = """
UPDATE pairs SET wanted = wanted + 1, stale_since = COALESCE(stale_since, UTC_TIMESTAMP(6)), not_before = NULL
"""
OF_LINK = "WHERE seller_id = :seller AND buyer_id = :buyer AND period >= :period"
BY_HAND = """
SELECT o.seller_id, l.buyer_id, o.day FROM one_off_charges o
JOIN supply_lines l ON (l.subscription_id, l.seller_id) = (o.subscription_id, o.seller_id)
WHERE NOT l.void AND l.ends_on <= o.day
"""
WITH_TRUE_UP = """
WHERE id IN (SELECT c.pair_id FROM current_charges c JOIN pairs p ON (p.id, p.generation) = (c.pair_id, c.generation)
    WHERE c.true_up > 0 AND c.shared_quantity IS NOT NULL)
"""


def rate_again(connection: Connection, seller: object, buyer: object, day: date) -> None:
    since = {"seller": seller, "buyer": buyer, "period": f"{day:%Y-%m}"}
    connection.execute(text(RATE_AGAIN + OF_LINK), since)


def upgrade() -> None:
    connection = op.get_bind()
    for left, right, seller, buyer, day in connection.execute(text(STAYED)).all():
        connection.execute(text("UPDATE supply_lines SET closes_at = NULL WHERE id = :id"), {"id": left})
        connection.execute(text("UPDATE supply_lines SET opens_at = NULL WHERE id = :id"), {"id": right})
        rate_again(connection, seller, buyer, day)
    for line, seller, buyer, day in connection.execute(text(OPENED_LATE)).all():
        connection.execute(text("UPDATE supply_lines SET opens_at = NULL WHERE id = :id"), {"id": line})
        rate_again(connection, seller, buyer, day)
    for seller, buyer, day in connection.execute(text(BY_HAND)).all():
        rate_again(connection, seller, buyer, day)
    connection.execute(text(RATE_AGAIN + WITH_TRUE_UP))
