"""limits of projects inside those of projects above them: their organisation gives only what lies in none"""

import sqlalchemy as sa
from alembic import op

revision = '0036'
down_revision = '0035'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.alter_column('site_quotas', 'giver_id', existing_type=sa.Uuid(), nullable=True)
    # At most four levels. What does not fit inside stays as it is: more is had there than may be, until it is lowered.
    above = """
        SELECT a.id AS project, a.parent_id AS above FROM projects a WHERE a.parent_id IS NOT NULL
        UNION SELECT a.id, b.parent_id FROM projects a JOIN projects b ON b.id = a.parent_id
            WHERE b.parent_id IS NOT NULL
        UNION SELECT a.id, c.parent_id FROM projects a JOIN projects b ON b.id = a.parent_id
            JOIN projects c ON c.id = b.parent_id WHERE c.parent_id IS NOT NULL
    """
    op.execute(f"""
        CREATE TEMPORARY TABLE inside_quotas AS
        SELECT DISTINCT q.holder_id, q.measure FROM quotas q JOIN ({above}) p ON p.project = q.project_id
        JOIN quotas o ON o.holder_id = p.above AND o.measure = q.measure AND o.is_set AND o.limit_value IS NOT NULL
        WHERE q.is_set
    """)
    op.execute(f"""
        CREATE TEMPORARY TABLE inside_site_quotas AS
        SELECT DISTINCT q.holder_id, q.measure, q.spot_id FROM site_quotas q JOIN ({above}) p ON p.project = q.project_id
        JOIN site_quotas o ON o.holder_id = p.above AND o.measure = q.measure AND o.spot_id = q.spot_id
    """)
    op.execute("""
        UPDATE quotas q JOIN inside_quotas i ON i.holder_id = q.holder_id AND i.measure = q.measure
        SET q.giver_id = NULL
    """)
    op.execute("""
        UPDATE site_quotas q
        JOIN inside_site_quotas i ON i.holder_id = q.holder_id AND i.measure = q.measure AND i.spot_id = q.spot_id
        SET q.giver_id = NULL
    """)
    op.execute("DROP TEMPORARY TABLE inside_quotas")
    op.execute("DROP TEMPORARY TABLE inside_site_quotas")
