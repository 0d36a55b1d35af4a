"""months with fixed costs, resellers' plans, other cards, moves, and amounts off longer terms: they are rated again

A fixed cost was spread for all seconds up to the next version of its card, also where that begins in a later month.
Allowances and trials of plans of resellers' own were given by whoever sells to them, too.
What a card commits to was charged in full by the card that was left and by the next one, and a tier's allowance covered
first what the versions of the two cards have the lower number for. Of whoever moves between buyers of one card, what a rate
adds up over a project went on from one to the other. Which of two versions gave an amount off first depended on whether
something was used by the later one, where a quarter or a year ended that both had sold. What that changes of billed months
comes with the next documents.
"""

from alembic import op

revision = '0067'
down_revision = '0066'
branch_labels = None
depends_on = None

AGAIN = """
UPDATE pairs SET wanted = wanted + 1, stale_since = COALESCE(stale_since, UTC_TIMESTAMP(6)), not_before = NULL WHERE
"""
CHANGED = """
(seller_id, buyer_id, period) IN (
    SELECT later.seller_id, later.buyer_id, DATE_FORMAT(later.starts_on, '%Y-%m')
    FROM supply_lines later JOIN supply_lines earlier
      ON (earlier.subscription_id, earlier.seller_id, earlier.buyer_id) = (later.subscription_id, later.seller_id, later.buyer_id)
    WHERE earlier.starts_on < later.starts_on AND earlier.rate_card_id <> later.rate_card_id
      AND NOT earlier.void AND NOT later.void
    UNION
    SELECT seller_id, buyer_id, DATE_FORMAT(starts_on, '%Y-%m') FROM supply_lines WHERE NOT void AND opens_at IS NOT NULL
    UNION
    SELECT seller_id, buyer_id, DATE_FORMAT(ends_on, '%Y-%m') FROM supply_lines WHERE NOT void AND closes_at IS NOT NULL
)
"""
OF_PAIR = "SELECT 1 FROM current_charges c WHERE (c.pair_id, c.generation) = (pairs.id, pairs.generation)"
LONGER = f"""
EXISTS ({OF_PAIR} AND c.kind = 'discount')
AND EXISTS ({OF_PAIR} AND c.kind = 'recurring' AND DATE_FORMAT(c.service_start + INTERVAL 14 HOUR, '%Y-%m') < period)
"""


OF_RESELLERS = """
(seller_id, buyer_id) IN (
    SELECT l.seller_id, l.buyer_id FROM supply_lines l JOIN plan_versions v ON v.id = l.plan_version_id
      JOIN plans q ON q.id = v.plan_id
    WHERE NOT l.void AND q.organisation_id <> l.seller_id AND q.organisation_id IN (SELECT child_id FROM parent_edges)
)
"""


def upgrade() -> None:
    op.execute(f"{AGAIN} ({CHANGED}) OR ({LONGER}) OR ({OF_RESELLERS}) OR EXISTS ({OF_PAIR} AND c.kind = 'spread')")


def downgrade() -> None:
    """What was rated again stays so."""
