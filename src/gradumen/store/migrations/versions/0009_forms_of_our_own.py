"""stored rate cards and drafts in the words of today: to, at-reached-step, lots

Before the new code: it reads nothing else. What is issued, explained or recorded stays as it was written.
"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = '0009'
down_revision = '0008'
branch_labels = None
depends_on = None


def upgrade() -> None:
    rewrite('rate_card_versions', 'document')
    rewrite('catalogue_drafts', 'form')


def rewrite(table: str, column: str) -> None:
    """Write each form anew that has a word of before."""
    connection = op.get_bind()
    for key, written in connection.execute(sa.text(f'SELECT id, {column} FROM {table}')).all():
        before = json.loads(written) if isinstance(written, str | bytes) else written
        after = renamed(before)
        if after != before:
            change = sa.text(f'UPDATE {table} SET {column} = :form WHERE id = :id')
            connection.execute(change, {'form': json.dumps(after), 'id': key})


def renamed(node: Any) -> Any:
    """A form in the words of today; only what is written of a rate is touched, a slug may be any word."""
    if isinstance(node, list):
        return [renamed(each) for each in node]
    if not isinstance(node, dict):
        return node
    found = {name: renamed(value) for name, value in node.items()}
    return rate(found) if 'rate' in found else found


def rate(form: dict[str, Any]) -> dict[str, Any]:
    """A rate, with its fields in the order in which they stood."""
    found: dict[str, Any] = {}
    for name, value in form.items():
        if name in ('blocks', 'whole-quantity') and isinstance(value, list):
            found['blocks'] = [block(each) for each in value]
            if name == 'whole-quantity':
                found['at-reached-step'] = True
        elif name == 'package' and isinstance(value, dict):
            found['lots'] = {('of' if key == 'size' else key): each for key, each in value.items()}
        else:
            found[name] = value
    return found


def block(form: Any) -> Any:
    return {('to' if key == 'up-to' else key): value for key, value in form.items()} if isinstance(form, dict) else form
