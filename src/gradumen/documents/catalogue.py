"""Catalogue files: YAML text to plain data whose every number is text, with the line of each path."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import yaml

from gradumen.core.errors import CatalogueInvalid, TooLarge

KINDS = ("service", "plan", "offer", "rate-card")
MOST_CHARACTERS = 1_000_000
"""Of all files of a call."""
MOST_EVENTS = 200_000
"""Fields, values, beginnings and ends of lists and mappings, of all files of a call."""
DEEPEST = 24


@dataclass(frozen=True, slots=True)
class CatalogueDocument:
    """One service, plan or rate card as written; ``lines`` maps paths like ``rates[2].price`` to lines."""

    file: str
    kind: str
    form: dict[str, Any]
    lines: dict[str, int]

    def problem(self, path: str, message: str) -> dict[str, Any]:
        """A problem at a path, with the nearest line that is known."""
        where = path
        while where and where not in self.lines:
            where = where[: max(where.rfind("."), where.rfind("["), 0)]
        return {"file": self.file, "line": self.lines.get(where, 1), "path": path or self.kind, "message": message}


def read_catalogue(files: list[tuple[str, str]]) -> list[CatalogueDocument]:
    """Read catalogue files, each with any number of YAML documents.

    Raises:
        CatalogueInvalid: not YAML, or a document that is none of the kinds; all such problems at once.
        TooLarge: more than one call may carry.
    """
    characters = sum(len(content) for _, content in files)
    if characters > MOST_CHARACTERS:
        raise TooLarge(
            f"{characters} characters of catalogue files; send at most {MOST_CHARACTERS} at once", most=MOST_CHARACTERS
        )
    found: list[CatalogueDocument] = []
    problems: list[dict[str, Any]] = []
    events = 0
    for file, content in files:
        reader = _Reader(MOST_EVENTS - events)
        try:
            for form, line, lines in reader.documents(content):
                kind = next((kind for kind in KINDS if isinstance(form, dict) and kind in form), None)
                if kind is None:
                    message = f"a document begins with one of {', '.join(KINDS)}"
                    problems.append({"file": file, "line": line, "path": "", "message": message})
                    continue
                found.append(CatalogueDocument(file, kind, form, lines))
        except yaml.YAMLError as error:
            mark = getattr(error, "problem_mark", None)
            message = f"this is not read as YAML: {getattr(error, 'problem', None) or str(error)[:200]}"
            problems.append({"file": file, "line": mark.line + 1 if mark else 1, "path": "", "message": message})
        events += reader.events
    if problems:
        raise CatalogueInvalid(problems)
    return found


class _Reader:
    """Plain data from YAML's events, in one pass that ends at the first thing too many.

    All scalars are text, so that no number passes through a float. Aliases are refused: they stand for more than
    what is written.
    """

    def __init__(self, most: int) -> None:
        self.most, self.events = most, 0
        self._lines: dict[str, int] = {}
        self._open: list[_Collection] = []

    def documents(self, content: str) -> Iterator[tuple[Any, int, dict[str, int]]]:
        """Each document that is not empty, with its line and the line of each path in it."""
        for event in yaml.parse(content, Loader=yaml.CSafeLoader):
            self.events += 1
            if self.events > self.most:
                raise _wrong(event, f"more than {MOST_EVENTS} values; publish in parts")
            if isinstance(event, yaml.AliasEvent):
                raise _wrong(event, f"'*{event.anchor}' refers to another place; write out what is meant")
            if isinstance(event, yaml.DocumentStartEvent):
                self._lines = {}
            elif isinstance(event, yaml.NodeEvent):
                begun = self._begin(event)
                if not self._open and begun is not None:
                    yield begun, _line(event), self._lines
            elif isinstance(event, yaml.CollectionEndEvent):
                ended = self._open.pop()
                if not self._open:
                    yield ended.value, ended.line, self._lines

    def _begin(self, event: yaml.NodeEvent) -> Any:
        """Put a scalar in its place, or open a collection there."""
        line = _line(event)
        inside = self._open[-1] if self._open else None
        if isinstance(event, yaml.ScalarEvent):
            if inside is not None and inside.expects_key:
                inside.begin_entry(event, self._lines)
                return None
            value = None if event.implicit[0] and not event.value else str(event.value)
            self._put(inside, value, line)
            return value
        if inside is not None and inside.expects_key:
            raise _wrong(event, "a field's name is a text")
        if len(self._open) == DEEPEST:
            raise _wrong(event, f"nested more than {DEEPEST} deep")
        inner: dict[str, Any] | list[Any] = {} if isinstance(event, yaml.MappingStartEvent) else []
        self._open.append(_Collection(inner, self._put(inside, inner, line), line))
        return None

    def _put(self, inside: "_Collection | None", value: Any, line: int) -> str:
        path = inside.put(value) if inside is not None else ""
        self._lines.setdefault(path, line)
        return path


@dataclass(slots=True)
class _Collection:
    """A mapping or list that is being read; ``key`` is the field whose value comes next."""

    value: dict[str, Any] | list[Any]
    path: str
    line: int
    key: str | None = None

    @property
    def expects_key(self) -> bool:
        return isinstance(self.value, dict) and self.key is None

    def begin_entry(self, event: yaml.ScalarEvent, lines: dict[str, int]) -> None:
        self.key = str(event.value)
        if self.key in self.value:
            raise _wrong(event, f"'{self.key[:60]}' stands twice")
        lines[self._inner()] = _line(event)

    def put(self, value: Any) -> str:
        """Keep a value; gives its path."""
        inner = self._inner()
        if isinstance(self.value, list):
            self.value.append(value)
        else:
            self.value[self.key or ""] = value
            self.key = None
        return inner

    def _inner(self) -> str:
        if isinstance(self.value, list):
            return f"{self.path}[{len(self.value)}]"
        return f"{self.path}.{self.key}" if self.path else str(self.key)


def _line(event: yaml.Event) -> int:
    return event.start_mark.line + 1 if event.start_mark else 1


def _wrong(event: yaml.Event, problem: str) -> yaml.MarkedYAMLError:
    return yaml.MarkedYAMLError(problem=problem, problem_mark=event.start_mark)  # type: ignore[arg-type]  # C's mark


def write_catalogue(forms: list[dict[str, Any]]) -> str:
    """The YAML text of forms; `read_catalogue` gives the same forms again."""
    return yaml.safe_dump_all(forms, sort_keys=False, allow_unicode=True, width=110)
