"""Differences between two written forms, in sentences: what people read instead of paths."""

import re
from collections.abc import Callable, Mapping
from decimal import Decimal
from fractions import Fraction
from typing import Any

from gradumen.core.exact import NUMBER, figure, round_half_up

_ITEM = re.compile(r"^(rates|tiers|discounts)\[([^\]]+)\](?:\.(.+))?$")
_PLACES = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")
_KIND = {"rates": "rate", "tiers": "tier", "discounts": "discount"}
_FIELDS = {
    "starts-on": "starts on",
    "per": "priced per",
    "to": "up to",
    "at-renewal": "card at renewal",
    "minimum-months": "least term, months",
    "for": "for",
    "composites": "what is made of others is charged as",
}


Names = Callable[[str], str]
"""What people call a meter."""


def sentence(
    path: str,
    old: str | None,
    new: str | None,
    before: Mapping[str, Any],
    after: Mapping[str, Any],
    meter: Names = str,
) -> str:
    """A difference in words, with percent where both are numbers.

    A rate is called by the name of its meter, and by its own slug beside it.

    >>> rate = {"rate": "egress", "per": "GiB", "blocks": [{"price": "0.052"}]}
    >>> form = {"currency": "EUR", "rates": [rate]}
    >>> sentence("rates[egress].blocks[0].price", "0.052", "0.056", form, form)
    'Egress, first block: 0.052 → 0.056 EUR per GiB (+7.7 %)'
    >>> form = {"currency": "EUR", "rates": [rate | {"meter": "network/egress"}]}
    >>> sentence("rates[egress].blocks[0].price", "0.052", "0.056", form, form, lambda slug: "Data sent out")
    'Data sent out (egress), first block: 0.052 → 0.056 EUR per GiB (+7.7 %)'
    >>> sentence("starts-on", "2026-01-01", "2026-12-01", form, form)
    'Starts on: 2026-01-01 → 2026-12-01'
    """
    match = _ITEM.match(path)
    if match is None:
        return _said(_named(path.split(".")[-1]), old, new, "")
    listed, name, rest = match[1], match[2], match[3] or ""
    item = _item(after, listed, name) or _item(before, listed, name) or {}
    if not rest:
        what = f"{_KIND[listed].capitalize()} {_called(item, name, meter)}"
        return f"{what}: new, {new}" if old is None else f"{what}: no longer, it was {old}"
    currency = str(after.get("currency") or before.get("currency") or "")
    where, unit = _place(item, _called(item, name, meter), rest, currency)
    return _said(where, old, new, unit)


def _place(item: Mapping[str, Any], called: str, rest: str, currency: str) -> tuple[str, str]:
    """Where in an item something differs, and the unit of its value."""
    parts = re.findall(r"([\w-]+)(?:\[(\d+)\])?", rest)
    where, last = [called], parts[-1][0]
    for part, index in parts:
        if part == "blocks" and index:
            place = int(index)
            where.append(f"{_PLACES[place]} block" if place < len(_PLACES) else f"block {place + 1}")
        elif part == "lots":
            where.append("each lot")
        elif part not in ("price", last):
            where.append(_named(part))
    if last == "price":
        per = _per(item)
        return ", ".join(where), f"{currency} per {per}" if per else currency
    unit = str(item.get("per", "")) if last == "to" else "%" if last == "percent" else ""
    return f"{', '.join(where)}, {_named(last)}", unit


def _said(where: str, old: str | None, new: str | None, unit: str) -> str:
    tail = f" {unit}" if unit else ""
    if old is None:
        return f"{_first(where)}: now {_shown(new)}{tail}"
    if new is None:
        return f"{_first(where)}: no longer {_shown(old)}{tail}"
    return f"{_first(where)}: {_shown(old)} → {_shown(new)}{tail}{_percent(old, new)}"


def _shown(value: str | None) -> str:
    return figure(Decimal(value)) if value is not None and NUMBER.fullmatch(value) else value or ""


def _percent(old: str, new: str) -> str:
    """By how many percent it rises or falls; nothing where that says nothing."""
    if not (NUMBER.fullmatch(old) and NUMBER.fullmatch(new)) or Decimal(old) <= 0:
        return ""
    change = round_half_up((Fraction(new) - Fraction(old)) * 100 / Fraction(old), 1)
    sign = "+" if change > 0 else "\u2212" if change < 0 else ""
    return f" ({sign}{abs(change)} %)"


def _per(item: Mapping[str, Any]) -> str:
    """What a price is for: a unit, or for a fee how often it is charged."""
    return str(item.get("per") or ((item.get("every") or "month") if "fee" in item else ""))


def summary(item: Mapping[str, Any], currency: str) -> str:
    """A whole rate, tier or discount in a few words."""
    if "discount" in item:
        size = f"{item['percent']} %" if "percent" in item else f"{item.get('amount', '')} {currency}"
        return size.strip()
    if "price" in item:
        per = _per(item)
        return f"{item['price']} {currency}{f' per {per}' if per else ''}"
    if "blocks" in item:
        return f"{len(item['blocks'])} blocks per {item.get('per', '')}"
    if "lots" in item:
        return f"{item['lots']['price']} {currency} for each {item['lots']['of']} {item.get('per', '')}"
    return str(item.get("name") or item.get("rate") or item.get("tier") or "")


def _item(form: Mapping[str, Any], listed: str, name: str) -> Mapping[str, Any] | None:
    key = _KIND[listed]
    items = form.get(listed) or []
    return next((each for each in items if isinstance(each, Mapping) and str(each.get(key)) == name), None)


def _called(item: Mapping[str, Any], name: str, meter: Names) -> str:
    if item.get("name"):
        return str(item["name"])
    slug = str(item.get("meter") or "")
    # A meter that nobody named is its own slug, which says no more than the rate's.
    return f"{meter(slug)} ({name})" if meter(slug) != slug else name.replace("-", " ")


def _named(field: str) -> str:
    return _FIELDS.get(field, field.replace("-", " "))


def _first(text: str) -> str:
    return text[:1].upper() + text[1:]
