"""Files of customers who are to come on board (`docs/formats.md`): read, and looked at as a whole."""

import csv
import io
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any, TypeVar

import yaml
from pydantic import ValidationError

from gradumen.core.errors import Invalid, QuotaExceeded
from gradumen.core.exact import add, figure
from gradumen.core.quotas.measures import Measure, unit_of
from gradumen.wire.quotas.quotas import QuotaBody
from gradumen.wire.subscriptions.onboardings import OnboardedBody, OnboardingCreate, OnboardingSketch

Customer = TypeVar("Customer", OnboardingCreate, OnboardingSketch)
NAMED = 20
"""Wrong lines that are named at once."""


def read_customers(file: Path, kind: type[Customer], measures: Sequence[str]) -> list[Customer]:
    """The customers of a file (`docs/formats.md`).

    Args:
        measures: of what a spreadsheet may have columns.

    Raises:
        Invalid: it cannot be read; names the line or the field.
    """
    content = file.read_text(encoding="utf-8-sig")
    if file.suffix == ".csv":
        return _of_sheet(content, kind, measures)
    try:
        documents = [each for each in yaml.load_all(content, Loader=yaml.BaseLoader) if each is not None]
    except yaml.YAMLError as error:
        raise Invalid(f"{file} is no YAML: {error}", field=str(file)) from error
    return [_customer(f"document {place}", each, kind) for place, each in enumerate(documents, 1)]


def _of_sheet(content: str, kind: type[Customer], measures: Sequence[str]) -> list[Customer]:
    """A customer for each line; of a long sheet all that is wrong is said at once.

    Raises:
        Invalid: naming the lines.
    """
    reader = csv.DictReader(io.StringIO(content))
    for name in map(_column, reader.fieldnames or ()):
        if name not in {*_PLAIN, *_OTHERS, *measures}:
            raise Invalid(f"column '{name[:40]}' is none that a customer has", field=name)
    found, wrong = [], []
    for place, row in enumerate(reader, 2):
        try:
            found.append(_customer(f"line {place}", _of_row(f"line {place}", row, measures), kind))
        except Invalid as problem:
            wrong.append(problem)
    if len(wrong) == 1:
        raise wrong[0]
    if wrong:
        more = f"; and {len(wrong) - NAMED} more" if len(wrong) > NAMED else ""
        raise Invalid(f"{len(wrong)} lines are wrong: " + "; ".join(map(str, wrong[:NAMED])) + more, field="file")
    return found


def check_slugs(customers: Sequence[OnboardingCreate]) -> None:
    """Check that no customer is in a file twice.

    Raises:
        Invalid: it is; names it.
    """
    twice = sorted(slug for slug, count in Counter(each.slug for each in customers).items() if count > 1)
    if twice:
        told = f"slug '{twice[0]}' is in the file twice; each customer has its own"
        raise Invalid(told, field="slug", value=twice[0])


def check_whole(
    had: Mapping[str, QuotaBody], customers: Sequence[OnboardingCreate], looked: Sequence[Sequence[OnboardedBody]]
) -> None:
    """Check that portions of a file, each of which can be, can all be.

    Args:
        had: what their seller had of each measure before.
        looked: what each portion would come to by itself.

    Raises:
        QuotaExceeded: together they need more than their seller has left.
    """
    if len(looked) < 2:
        return
    twice = sorted(slug for slug, count in Counter(each.slug for each in customers).items() if count > 1)
    if twice:
        raise Invalid(
            f"slug '{twice[0]}' is in the file twice; each customer has its own", field="slug", value=twice[0]
        )
    needed: dict[str, list[Decimal]] = {Measure.ORGANISATIONS: [Decimal(len(customers))]}
    for portion in looked:
        least = {one.measure: one.left for each in portion for one in reversed(each.leaves)}
        for each in portion:
            least |= {one.measure: min(one.left, least[one.measure]) for one in each.leaves}
        for measure, left in least.items():
            before = had[measure].left
            if before is not None:
                needed.setdefault(measure, []).append(before - left)
    lacking = []
    for measure, portions in needed.items():
        total, free = add(portions), had[measure].left if measure in had else None
        if free is not None and total > free:
            unit = unit_of(had[measure].unit, total)
            lacking.append(f"{figure(total)} {unit} of {measure}, of which there are {figure(free)} left")
    if lacking:
        raise QuotaExceeded(f"all of the file together need {' and '.join(lacking)}; nobody came on board")


def _customer(where: str, written: object, kind: type[Customer]) -> Customer:
    try:
        return kind.model_validate(_underlined(written))
    except ValidationError as error:
        wrong = error.errors()[0]
        field = ".".join(map(str, wrong["loc"]))
        raise Invalid(f"{where}, {field or 'all of it'}: {wrong['msg'].lower()}", field=field) from error


def _underlined(written: object) -> object:
    """Names with hyphens as the interface calls them; ``none`` is no limit.

    All of a file is text, so that no digit of an amount is lost; what is a whole number, or yes or no, is made one.
    """
    if isinstance(written, dict):
        return {
            field: _limits(each) if field == "limits" else _typed(field, each)
            for name, each in written.items()
            for field in (str(name).replace("-", "_"),)
        }
    return [_underlined(each) for each in written] if isinstance(written, list) else written


def _typed(field: str, written: object) -> object:
    if field == "quantity" and isinstance(written, str) and re.fullmatch(r"[0-9]{1,12}", written, re.ASCII):
        return int(written)
    if field in ("people", "second_factor") and written in ("true", "false"):
        return written == "true"
    return _underlined(written)


def _limits(written: object) -> object:
    if not isinstance(written, dict):
        return written
    return {name: None if value == "none" else value for name, value in written.items()}


_PLAIN = ("slug", "name", "type", "country", "currency", "billing_zone", "cost_centre", "segment", "starts_on")


_OTHERS = ("email", "plan", "tier", "quantity")


def _column(written: str) -> str:
    """What a column is of: a limit's says its unit behind it."""
    return written.partition("[")[0].strip().replace("-", "_")


def _of_row(where: str, row: dict[str | None, Any], measures: Sequence[str]) -> dict[str, Any]:
    """A line of a spreadsheet: plain fields, limits by measure, one person and one tier."""
    if None in row or None in row.values():
        raise Invalid(f"{where} has not as many cells as the first line", field=where)
    cells = {_column(str(name)): value.strip() for name, value in row.items()}
    for name, value in cells.items():
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
