"""gradumen quota-matrices."""

import argparse
from pathlib import Path
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out, quantity
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.client.quotas.quota_matrices import read_matrix, write_matrix
from gradumen.core.errors import Conflict


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "quota-matrices", "the limits of all customers beside each other, set together")
    show = verbs.add("show", run_show, "the limits of an organisation's customers")
    show.add_argument("--file", type=Path, help="write them as a spreadsheet (CSV) instead")
    change = verbs.add("set", run_set, "set what a spreadsheet says, all of it or nothing")
    change.add_argument("file", type=Path)
    change.add_argument("--check", action="store_true", help="only see whether it fits")
    for each in (show, change):
        add_organisation(each)


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show the limits, or write them."""
    slug = own_organisation(arguments)
    rows = client.quota_matrices.rows(slug)
    measures = client.quota_matrices.get(slug, limit=1).measures
    out.body(rows)
    if arguments.file:
        arguments.file.write_text(write_matrix(measures, rows), encoding="utf-8")
        out.say(f"{arguments.file}: {len(rows)} customers")
        return 0
    given = {cell.measure for row in rows for cell in row.cells if cell.given}
    shown = [each.measure for each in measures if each.measure in given]
    heads = [measure.upper() for measure in shown]
    table = []
    for row in rows:
        cells = {cell.measure: cell for cell in row.cells}
        table.append((row.organisation, *(quantity(cells[each].limit) if cells[each].given else "" for each in shown)))
    out.table(("CUSTOMER", *heads), table, right=tuple(heads))
    if not rows:
        out.say("it sells to nobody yet")
    return 0


def run_set(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Set what a file says."""
    slug = own_organisation(arguments)
    known = [each.measure for each in client.quota_matrices.get(slug, limit=1).measures]
    changes = read_matrix(arguments.file.read_text(encoding="utf-8-sig"), known)
    if not changes:
        out.say(f"{arguments.file} sets nothing: all its cells are empty")
        return 0
    try:
        made = client.quota_matrices.change(slug, changes, check=arguments.check)
    except Conflict as refusal:
        for problem in refusal.facts.get("problems", []):
            change = changes[problem["place"]]
            out.say(f"{change.organisation}, {change.measure}: {problem['message']}")
        raise
    out.body(made)
    out.say(f"{made.changed} limits {'would change; all fit' if arguments.check else 'were changed'}")
    return 0
