"""What publishing a written form changes, leaf by leaf."""

import json
import re
from collections.abc import Mapping, Sequence
from typing import Any

from gradumen.usecases.catalogue.difference_words import Names, sentence, summary
from gradumen.wire.catalogue.catalogue import ChangeBody


def change_of(
    kind: str, slug: str, versions: Sequence[tuple[int, dict[str, Any]]], form: dict[str, Any], meter: Names = str
) -> ChangeBody:
    """What publishing a form after those versions does."""
    if versions and versions[-1][1] == form:
        return ChangeBody(kind=kind, slug=slug, change="unchanged", version=versions[-1][0], differences=[])
    number, before = versions[-1] if versions else (0, {})
    return ChangeBody(
        kind=kind,
        slug=slug,
        change="new version" if versions else "new",
        version=number + 1,
        differences=differences(before, form, meter),
    )


def differences(before: Mapping[str, Any], after: Mapping[str, Any], meter: Names = str) -> list[dict[str, Any]]:
    """What differs, by path and in words; nothing for a new form. ``meter`` gives what people call one.

    A whole rate, tier or discount that comes or goes is one difference.

    >>> [each["words"] for each in differences({"a": {"b": "1"}}, {"a": {"b": "2"}, "c": "3"})]
    ['B: 1 → 2 (+100.0 %)', 'C: now 3']
    >>> form = {"currency": "EUR", "discounts": [{"discount": "launch", "name": "Launch", "percent": "5"}]}
    >>> differences({"currency": "EUR"}, form)
    [{'path': 'discounts[launch]', 'before': None, 'after': '5 %', 'words': 'Discount Launch: new, 5 %'}]
    """
    if not before:
        return []
    old, new = _parts(before, after), _parts(after, before)
    return [
        {
            "path": path,
            "before": old.get(path),
            "after": new.get(path),
            "words": sentence(path, old.get(path), new.get(path), before, after, meter),
        }
        for path in [*old, *(path for path in new if path not in old)]
        if old.get(path) != new.get(path)
    ]


def _parts(form: Mapping[str, Any], other: Mapping[str, Any]) -> dict[str, str]:
    """The leaves of a form by path; an item that the other form does not have is in one piece."""
    there = {item[0] for path, _ in _leaves(other, "") if (item := _WHOLE.match(path))}
    found: dict[str, str] = {}
    for path, value in _leaves(form, ""):
        item = _WHOLE.match(path)
        if item is None or item[0] in there:
            found[path] = value
        else:
            whole = item[0].removesuffix(".")
            found[whole] = summary(_item_of(form, whole), str(form.get("currency", "")))
    return found


_WHOLE = re.compile(r"(?:rates|tiers|discounts)\[[^\]]+\]\.")


def _item_of(form: Mapping[str, Any], path: str) -> Mapping[str, Any]:
    listed, _, name = path.removesuffix("]").partition("[")
    return next(item for index, item in enumerate(form[listed]) if (_item_name(item) or str(index)) == name)


def _leaves(value: Any, path: str) -> list[tuple[str, str]]:
    if isinstance(value, Mapping):
        return [leaf for key, inner in value.items() for leaf in _leaves(inner, f"{path}.{key}" if path else str(key))]
    if isinstance(value, list):
        named = [_item_name(item) or str(index) for index, item in enumerate(value)]
        return [leaf for name, item in zip(named, value, strict=True) for leaf in _leaves(item, f"{path}[{name}]")]
    return [(path, value if isinstance(value, str) else json.dumps(value))]


def _item_name(item: Any) -> str | None:
    if isinstance(item, Mapping):
        return next((str(item[key]) for key in ("rate", "tier", "discount") if key in item), None)
    return None
