"""JSON that means one thing: no names that stand twice, no numbers that are none, texts that can be stored."""

import json
from typing import Any, NoReturn

from gradumen.core.errors import Invalid

DEEPEST = 32


def read_json(body: bytes) -> Any:
    """Read a body; numbers with a point or exponent become text, so that none passes through a float.

    Raises:
        Invalid: it is not JSON, names a field twice, nests more than `DEEPEST` deep, or has half of a character.
    """
    try:
        value = json.loads(body, parse_float=str, parse_constant=refuse_constant, object_pairs_hook=once)
    except (ValueError, RecursionError) as error:
        raise Invalid(f"the body is not JSON: {str(error)[:120]}", field="body") from None
    _check(value, halves=b"\\ud" in body.lower())
    return value


def refuse_constant(constant: str) -> NoReturn:
    """Refuse NaN and the infinities, which JSON (RFC 8259, 6) does not have."""
    raise ValueError(f"{constant} is not a number in JSON")


def twice(pairs: list[tuple[str, Any]]) -> str | None:
    """The first name that stands twice in an object, which RFC 8259, 4 leaves open."""
    seen: set[str] = set()
    for name, _ in pairs:
        if name in seen:
            return name
        seen.add(name)
    return None


def once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """An object of its pairs.

    Raises:
        ValueError: a name stands twice.
    """
    name = twice(pairs)
    if name is not None:
        raise ValueError(f"'{name[:60]}' stands twice in one object")
    return dict(pairs)


def _check(value: Any, *, halves: bool) -> None:
    waiting = [(value, 0)]
    while waiting:
        node, depth = waiting.pop()
        if depth > DEEPEST:
            raise Invalid(f"the body is nested more than {DEEPEST} deep", field="body")
        if isinstance(node, dict):
            waiting += ((each, depth + 1) for pair in node.items() for each in pair)
        elif isinstance(node, list):
            waiting += ((each, depth + 1) for each in node)
        elif halves and isinstance(node, str) and any("\ud800" <= each <= "\udfff" for each in node):
            raise Invalid("a text of the body has half of a character (a lone surrogate); send it whole", field="body")
