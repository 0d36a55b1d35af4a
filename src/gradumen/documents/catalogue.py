"""Catalogue files: YAML text to plain data whose every number is text, with the line of each path."""

from dataclasses import dataclass
from typing import Any

import yaml

from gradumen.core.errors import CatalogueInvalid

KINDS = ("service", "plan", "offer", "rate-card")
LARGEST_FILE = 2_000_000


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
    """
    found: list[CatalogueDocument] = []
    problems: list[dict[str, Any]] = []
    for file, content in files:
        try:
            if len(content) > LARGEST_FILE:
                raise yaml.YAMLError(f"the file has more than {LARGEST_FILE} characters; split it")
            for node in yaml.compose_all(content, Loader=yaml.SafeLoader):
                if node is None:
                    continue
                lines: dict[str, int] = {}
                form = _plain(node, "", lines)
                kind = next((kind for kind in KINDS if isinstance(form, dict) and kind in form), None)
                if kind is None:
                    line = node.start_mark.line + 1
                    message = f"a document begins with one of {', '.join(KINDS)}"
                    problems.append({"file": file, "line": line, "path": "", "message": message})
                    continue
                found.append(CatalogueDocument(file, kind, form, lines))
        except (yaml.YAMLError, RecursionError) as error:
            mark = getattr(error, "problem_mark", None)
            message = f"this is not YAML: {getattr(error, 'problem', None) or str(error)[:200] or 'nested too deeply'}"
            problems.append({"file": file, "line": mark.line + 1 if mark else 1, "path": "", "message": message})
    if problems:
        raise CatalogueInvalid(problems)
    return found


def _plain(node: yaml.Node, path: str, lines: dict[str, int]) -> Any:
    """Data of a node with all scalars as text, so that no number passes through a float."""
    lines.setdefault(path, node.start_mark.line + 1)
    if isinstance(node, yaml.MappingNode):
        mapping: dict[str, Any] = {}
        for key, value in node.value:
            name = str(key.value)
            inner = f"{path}.{name}" if path else name
            if name in mapping:
                mark = key.start_mark
                raise yaml.MarkedYAMLError(None, None, f"'{name}' stands twice", mark)
            lines[inner] = key.start_mark.line + 1
            mapping[name] = _plain(value, inner, lines)
        return mapping
    if isinstance(node, yaml.SequenceNode):
        return [_plain(each, f"{path}[{index}]", lines) for index, each in enumerate(node.value)]
    return None if node.tag == "tag:yaml.org,2002:null" and not node.value else str(node.value)


def write_catalogue(forms: list[dict[str, Any]]) -> str:
    """The YAML text of forms; `read_catalogue` gives the same forms again."""
    return yaml.safe_dump_all(forms, sort_keys=False, allow_unicode=True, width=110)
