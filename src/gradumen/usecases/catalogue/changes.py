"""What publishing a written form changes, leaf by leaf."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class Change:
    """What publishing a document does: ``new``, ``new version`` or ``unchanged``; ``differences`` by path."""

    kind: str
    slug: str
    change: str
    version: int
    differences: list[dict[str, Any]] = field(default_factory=list)


def change_of(kind: str, slug: str, versions: Sequence[tuple[int, dict[str, Any]]], form: dict[str, Any]) -> Change:
    """What publishing a form after those versions does."""
    if versions and versions[-1][1] == form:
        return Change(kind, slug, "unchanged", versions[-1][0])
    number, before = versions[-1] if versions else (0, {})
    return Change(kind, slug, "new version" if versions else "new", number + 1, differences(before, form))


def differences(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The leaves that differ, by path; nothing for a new form.

    >>> differences({"a": {"b": "1"}}, {"a": {"b": "2"}, "c": "3"})
    [{'path': 'a.b', 'before': '1', 'after': '2'}, {'path': 'c', 'before': None, 'after': '3'}]
    """
    if not before:
        return []
    old, new = dict(_leaves(before, "")), dict(_leaves(after, ""))
    return [
        {"path": path, "before": old.get(path), "after": new.get(path)}
        for path in [*old, *(path for path in new if path not in old)]
        if old.get(path) != new.get(path)
    ]


def _leaves(value: Any, path: str) -> list[tuple[str, str]]:
    if isinstance(value, Mapping):
        return [leaf for key, inner in value.items() for leaf in _leaves(inner, f"{path}.{key}" if path else str(key))]
    if isinstance(value, list):
        named = [_item_name(item) or str(index) for index, item in enumerate(value)]
        return [leaf for name, item in zip(named, value, strict=True) for leaf in _leaves(item, f"{path}[{name}]")]
    return [(path, value if isinstance(value, str) else json.dumps(value))]


def _item_name(item: Any) -> str | None:
    if isinstance(item, Mapping):
        return next((str(item[key]) for key in ("rate", "tier") if key in item), None)
    return None
