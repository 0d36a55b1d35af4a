"""gradumen audit-entries."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.wire.audit_entries import AuditEntryBody


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "audit-entries", "who did what in an organisation, and for it")
    listing = verbs.add("list", run_list, "the record, newest first; for administrators")
    listing.add_argument("--action", help="only this, like 'member joined'")
    listing.add_argument("--search", default="", help="only where the subject has this")
    listing.add_argument("--limit", type=int, default=50)
    add_organisation(listing)


def run_list(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the record."""
    found = client.audit_entries.list(
        own_organisation(arguments), action=arguments.action, search=arguments.search, limit=arguments.limit
    )
    out.body(found)
    out.table(
        ("TIME, UTC", "WHO", "WHAT", "SUBJECT", "FOR", "AFTER"),
        [
            (
                f"{each.at:%Y-%m-%d %H:%M:%S}",
                _who(each),
                each.action,
                each.subject,
                each.concerns or "",
                ", ".join(f"{name} {value}" for name, value in (each.after or {}).items() if value is not None)[:70],
            )
            for each in found
        ],
    )
    if not found:
        out.say("nothing is on record with this; try without --action and --search")
    return 0


def _who(entry: AuditEntryBody) -> str:
    """Who it was, as far as it is told: a user and its token, an organisation, or somebody above."""
    if entry.user:
        return f"{entry.user} ({entry.token})" if entry.token else entry.user
    return entry.organisation or ("unknown" if entry.action == "sign-in failed" else "from above")
