"""Writes docs/reference.md from the service's own description; --check only compares."""

import argparse
import os
import sys
from pathlib import Path
from typing import Any

from gradumen.api.app import make_app
from gradumen.cli.main import make_parser
from gradumen.core.permissions import RIGHTS, Right
from gradumen.settings import Settings

TARGET = Path("docs/reference.md")
HEAD = """# Interface reference

Made by `scripts/reference.py` from the service itself; the bodies are in `openapi.json`, which the service also serves at
`/api/openapi.json`.

## HTTP

All routes are under `/api/v1`. Programs send `Authorization: Bearer TOKEN`; the console uses a session cookie with
`X-CSRF-Token`. Refusals are problem details (RFC 9457) with a stable `code` and the facts. What is outside the caller's
scope answers 404; 403 is for what one may see but not do. Lists take `limit` and `after`, and answer `next`. Calls that
create take an `Idempotency-Key`, kept for 7 days: the same key and body get the same answer, another body is refused.
Amounts and quantities are text, times RFC 3339 in UTC.

"""


def http() -> str:
    """Every operation, by its docstring."""
    paths: dict[str, Any] = make_app(Settings(), None).openapi()["paths"]
    lines = ["| call | what it does |", "|---|---|"]
    for path, operations in sorted(paths.items()):
        for method, operation in operations.items():
            text = " ".join(operation["description"].split())
            lines.append(f"| `{method.upper()} {path.removeprefix('/api/v1')}` | {text} |")
    return "\n".join(lines)


def rights() -> str:
    """Who may do what."""
    lines = ["| right | " + " | ".join(RIGHTS) + " |", "|---|" + "---|" * len(RIGHTS)]
    for right in Right:
        lines.append(f"| {right} | " + " | ".join("yes" if right in held else "" for held in RIGHTS.values()) + " |")
    return "\n".join(lines)


def settings() -> str:
    """Every setting."""
    lines = ["| variable | default | meaning |", "|---|---|---|"]
    for name, each in Settings.model_fields.items():
        default = "~/.gradumen" if name == "data" else str(each.default)
        lines.append(f"| `GRADUMEN_{name.upper()}` | `{default}` | {each.description} |")
    return "\n".join(lines)


def commands() -> str:
    """Every noun and verb with its arguments."""
    lines: list[str] = []
    for noun, parser in _choices(make_parser()).items():
        verbs = _choices(parser)
        for verb, under in verbs.items() or [("", parser)]:
            usage = " ".join(under.format_usage().removeprefix("usage: ").split())
            lines.append(f"- `{usage}`: {under.description or _help(noun)}")
            del verb
    return "\n".join(lines)


def _choices(parser: argparse.ArgumentParser) -> dict[str, argparse.ArgumentParser]:
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            return dict(action.choices)
    return {}


def _help(noun: str) -> str:
    for action in make_parser()._actions:
        if isinstance(action, argparse._SubParsersAction):
            return next(str(each.help) for each in action._choices_actions if each.dest == noun)
    return ""


def reference() -> str:
    """The whole page."""
    return (
        f"{HEAD}{http()}\n\n## Rights\n\nA role holds in its organisation. For all organisations below it gives `read` (their "
        "structure, and the use of its own services), `manage organisations` and `manage quotas`, and nothing of their business: prices, "
        "tax, drafts, offers, special terms, documents, people and own services are for members alone. A token has at most its holder's "
        "present role; tokens make neither tokens nor members.\n\n"
        f"{rights()}\n\n## Settings\n\n{settings()}\n\n## Client library\n\n"
        "`gradumen.client.Client(url, token)` has one attribute a concept: `organisations`, `quotas`, `catalogue`,\n"
        "`subscriptions`, `feeds`, `readings`, `usage`, `spend`, `bill_runs`, `invoices`, `charges`, `tax_rates`, `members`,\n"
        "`invitations`, `tokens`, `sessions`, `audit_entries`, `clock`. Refusals are raised as the classes of `gradumen.core.errors`.\n\n"
        "```python\nfrom gradumen.client import Client\nfrom gradumen.client.metering.readings import reading_event\n\n"
        'with Client("http://127.0.0.1:8470", token) as client:\n'
        '    outcome = client.readings.send("tarnwick/north-fell", [reading_event("/sites/north-fell", "id-1", data)])\n'
        '    for link in client.spend.period_so_far("saltmarsh").links:\n'
        "        print(link.seller, link.buyer, link.net, link.currency)\n```\n\n"
        "## Command line\n\nExit codes: 0 done, 1 refused, 2 wrong usage. `--json` prints the answer for programs.\n\n"
        f"{commands()}\n"
    )


if __name__ == "__main__":
    # argparse wraps at the terminal's width, which must not change the page.
    os.environ["COLUMNS"] = "100"
    if "--check" in sys.argv:
        if TARGET.read_text() != reference():
            sys.exit(f"{TARGET} is stale; run scripts/reference.py")
    else:
        TARGET.write_text(reference())
