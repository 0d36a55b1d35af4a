"""gradumen onboardings."""

import argparse
import csv
import hashlib
import io
from pathlib import Path
from typing import Any

import yaml
from pydantic import ValidationError

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.cli.signing import add_password, signed_in
from gradumen.client import Client
from gradumen.core.errors import Conflict, Invalid
from gradumen.core.exact import money
from gradumen.core.quotas.measures import Measure
from gradumen.wire.subscriptions.onboardings import MOST, OnboardedBody, OnboardingCreate


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(nouns, "onboardings", "bring customers on board: limits, projects, people and subscriptions at once")
    make = verbs.add("make", run_make, "bring those of a file on board: one of a .yaml file, or a line each of a .csv")
    make.add_argument("file", type=Path)
    make.add_argument("--check", action="store_true", help="only see whether they can be, and what it comes to")
    make.set_defaults(local=True)
    add_password(make)
    add_organisation(make)


def run_make(arguments: argparse.Namespace, out: Out) -> int:
    """Look at all of them first, then bring them on board, some at a time; as a person: members are made."""
    customers = read_customers(arguments.file)
    with signed_in(arguments) as client:
        return _run(arguments, client, customers, out)


def _run(arguments: argparse.Namespace, client: Client, customers: list[OnboardingCreate], out: Out) -> int:
    seller = own_organisation(arguments)
    portions = [customers[start : start + MOST] for start in range(0, len(customers), MOST)]
    found: list[OnboardedBody] = []
    for place, portion in enumerate(portions):
        found += _make(client, seller, portion, place * MOST, out, check=True)
    if not arguments.check:
        found = []
        for place, portion in enumerate(portions):
            found += _make(client, seller, portion, place * MOST, out, check=False)
    out.body(found)
    for each in found:
        out.say("\n".join(each.sentences))
        out.say("".join(f"  {money(one.amount, one.currency)} {one.currency} a month\n" for one in each.monthly))
    out.say(f"{len(found)} customers {'could come' if arguments.check else 'came'} on board")
    return 0


def _make(
    client: Client, seller: str, portion: list[OnboardingCreate], first: int, out: Out, *, check: bool
) -> list[OnboardedBody]:
    """One call; a file that is sent again after an answer was lost does nothing twice."""
    content = "".join(each.model_dump_json() for each in portion)
    key = hashlib.sha256(f"{seller} {check} {content}".encode()).hexdigest() if not check else None
    try:
        return client.onboardings.make(seller, portion, check=check, key=key).items
    except Conflict as refusal:
        for problem in refusal.facts.get("problems", []):
            place = problem["place"]
            out.say(f"customer {first + place + 1}, {portion[place].slug}: {problem['message']}")
        raise


def read_customers(file: Path) -> list[OnboardingCreate]:
    """The customers of a file (`docs/formats.md`).

    Raises:
        Invalid: it cannot be read; names the line or the field.
    """
    text = file.read_text(encoding="utf-8-sig")
    if file.suffix == ".csv":
        rows = [(f"line {number}", row) for number, row in enumerate(csv.DictReader(io.StringIO(text)), 2)]
        return [_customer(where, _of_row(where, row)) for where, row in rows]
    try:
        documents = [each for each in yaml.load_all(text, Loader=yaml.BaseLoader) if each is not None]
    except yaml.YAMLError as error:
        raise Invalid(f"{file} is no YAML: {error}", field=str(file)) from error
    return [_customer(f"document {number}", each) for number, each in enumerate(documents, 1)]


def _customer(where: str, written: object) -> OnboardingCreate:
    try:
        return OnboardingCreate.model_validate(_underlined(written))
    except ValidationError as error:
        wrong = error.errors()[0]
        field = ".".join(map(str, wrong["loc"]))
        raise Invalid(f"{where}, {field or 'all of it'}: {wrong['msg'].lower()}", field=field) from error


def _underlined(written: object) -> object:
    """Names with hyphens as the interface calls them; ``none`` is no limit."""
    if isinstance(written, dict):
        return {
            str(name).replace("-", "_"): _limits(each) if name == "limits" else _underlined(each)
            for name, each in written.items()
        }
    return [_underlined(each) for each in written] if isinstance(written, list) else written


def _limits(written: object) -> object:
    if not isinstance(written, dict):
        return written
    return {name: None if value == "none" else value for name, value in written.items()}


_PLAIN = ("slug", "name", "type", "country", "currency", "billing_zone", "cost_centre", "segment", "starts_on")


def _of_row(where: str, row: dict[str | None, Any]) -> dict[str, Any]:
    """A line of a spreadsheet: plain fields, limits by measure, one person and one tier."""
    if None in row or None in row.values():
        raise Invalid(f"{where} has not as many cells as the first line", field=where)
    cells = {str(name).partition("[")[0].strip().replace("-", "_"): value.strip() for name, value in row.items()}
    measures, others = {str(each) for each in Measure}, ("email", "plan", "tier", "quantity")
    for name, value in cells.items():
        if name not in {*_PLAIN, *measures, *others}:
            raise Invalid(f"column '{name[:40]}' is none that a customer has", field=name)
        if value.startswith("="):
            raise Invalid(f"{where}, {name}: '{value[:40]}' is a formula; save the sheet with values", field=name)
    made: dict[str, Any] = {name: cells[name] for name in _PLAIN if cells.get(name)}
    made["limits"] = {name: cells[name] for name in measures if cells.get(name)}
    if cells.get("email"):
        made["people"] = [{"email": cells["email"]}]
    if cells.get("plan"):
        tier = {name: cells[name] for name in ("plan", "tier", "quantity") if cells.get(name)}
        made["subscriptions"] = [tier]
    return made
