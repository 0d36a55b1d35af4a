"""Files of readings: CSV and JSON Lines to CloudEvents (`docs/formats.md`)."""

import csv
import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from gradumen.client.metering.readings import reading_event
from gradumen.core.errors import Invalid

FIELDS = ("owner", "account", "resource", "meter", "quantity", "unit", "start", "end")
ATTRIBUTE = "attribute."


def read_file(path: Path, *, source: str | None = None) -> Iterator[dict[str, Any]]:
    """The file's readings as events.

    Args:
        path: ends in .csv, or in .jsonl or .ndjson.
        source: for rows without one; by default the file's name.

    Raises:
        Invalid: another ending, or a line that cannot be read; names the line.
    """
    default = source or f"/files/{path.name}"
    if path.suffix == ".csv":
        return _read_csv(path, default)
    if path.suffix in (".jsonl", ".ndjson"):
        return _read_lines(path, default)
    raise Invalid(f"{path}: a file of readings ends in .csv, .jsonl or .ndjson", field="file", value=path.name)


@contextmanager
def _utf_8(path: Path) -> Iterator[None]:
    try:
        yield
    except UnicodeDecodeError as error:
        raise Invalid(f"{path}: not UTF-8 ({error.reason}); save it in UTF-8", field="file", value=path.name) from error


def _read_csv(path: Path, source: str) -> Iterator[dict[str, Any]]:
    with path.open(newline="", encoding="utf-8-sig") as file, _utf_8(path):
        rows = csv.DictReader(file, strict=True)
        unknown = [
            name
            for name in rows.fieldnames or ()
            if name not in (*FIELDS, "id", "source", "sequence") and not name.startswith(ATTRIBUTE)
        ]
        if unknown or "id" not in (rows.fieldnames or ()):
            what = f"unknown columns {', '.join(unknown)}" if unknown else "a column 'id' is missing"
            raise Invalid(f"{path}:1: {what}; see docs/formats.md", field="file", value=path.name)
        try:
            for row in rows:
                data: dict[str, Any] = {name: row[name] for name in FIELDS if row.get(name)}
                attributes = {
                    name.removeprefix(ATTRIBUTE): value
                    for name, value in row.items()
                    if isinstance(name, str) and name.startswith(ATTRIBUTE) and value
                }
                if attributes:
                    data["attributes"] = attributes
                if row.get("sequence"):
                    data["sequence"] = int(row["sequence"])
                yield reading_event(row.get("source") or source, row["id"], data)
        except UnicodeDecodeError:
            raise
        except (csv.Error, ValueError) as error:
            raise Invalid(f"{path}:{rows.line_num}: {error}", field="file", value=path.name) from error


def _read_lines(path: Path, source: str) -> Iterator[dict[str, Any]]:
    with path.open(encoding="utf-8") as file, _utf_8(path):
        for number, line in enumerate(file, 1):
            if not line.strip():
                continue
            try:
                # Numbers stay the text they were, so that no digit passes through a float.
                item = json.loads(line, parse_float=str)
            except (ValueError, RecursionError) as error:
                raise Invalid(f"{path}:{number}: not JSON: {error}", field="file", value=path.name) from error
            if not isinstance(item, dict):
                raise Invalid(f"{path}:{number}: a line is a JSON object", field="file", value=path.name)
            if "specversion" in item:
                # An event of whatever type, which the service reads as it is.
                yield item
            else:
                identity = str(item.pop("id", ""))
                yield reading_event(str(item.pop("source", source)), identity, item)
