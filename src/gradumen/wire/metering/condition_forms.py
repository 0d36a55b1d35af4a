"""The conditions of rules over readings as they are written: of whose a reading is, and of what kind it is."""

from collections.abc import Mapping
from typing import Any

from gradumen.core.errors import Invalid
from gradumen.core.metering.told_conditions import AllOf, Conditions
from gradumen.core.mistakes import at
from gradumen.wire.catalogue.forms.base import Form, read
from gradumen.wire.metering.told_forms import WrittenTold, read_told, told_form, told_words

GROUPS, MOST_GROUPS = ("any", "none"), 50
_NO_FACTS = ("where", *GROUPS)


class TogetherForm(Form):
    """All of these hold: where a reading came from, what it is of, its attributes."""

    feed: WrittenTold | None = None
    account: WrittenTold | None = None
    source: WrittenTold | None = None
    resource: WrittenTold | None = None
    meter: WrittenTold | None = None
    where: dict[str, WrittenTold] = {}

    def written(self) -> dict[str, Any]:
        """The conditions as they are kept."""
        found: dict[str, Any] = {
            name: told_form(told) for name, told in self if name not in _NO_FACTS and told is not None
        }
        if self.where:
            found["where"] = {key: told_form(each) for key, each in self.where.items()}
        return found


def read_conditions(kind: type[TogetherForm], raw: object, *, may_be_empty: bool = False) -> dict[str, Any]:
    """Check the conditions of a rule, as written.

    Args:
        kind: a form of conditions that hold together, and of ``any`` and ``none`` of such.

    Raises:
        Invalid: with ``path`` in its facts; a rule has at least one condition.
    """
    with at("conditions"):
        if isinstance(raw, dict):
            raw = {name: value for name, value in raw.items() if value not in (None, "", {}, [])}
        form = read(kind, raw)
        found = form.written()
        for name in GROUPS:
            groups = [each.written() for each in getattr(form, name)]
            if len(groups) > MOST_GROUPS:
                raise Invalid(f"{name} has at most {MOST_GROUPS} of them; got {len(groups)}", field=name)
            if {} in groups:
                place = f"{name}[{groups.index({})}]"
                raise Invalid(f"{place} has no condition; leave it out", field=name, path=place)
            if groups:
                found[name] = groups
        if not found and not may_be_empty:
            raise Invalid(f"a rule has at least one of {', '.join(kind.model_fields)}", field="conditions")
        return found


def conditions_of(written: Mapping[str, Any]) -> Conditions:
    """The conditions that `read_conditions` has checked."""
    return Conditions(_all_of(written), *(tuple(_all_of(each) for each in written.get(name, ())) for name in GROUPS))


def _all_of(written: Mapping[str, Any]) -> AllOf:
    return AllOf(
        tuple((key, read_told(each)) for key, each in sorted(written.items()) if key not in _NO_FACTS),
        tuple((key, read_told(each)) for key, each in sorted(written.get("where", {}).items())),
    )


def condition_words(conditions: Mapping[str, Any]) -> str:
    """The conditions of a rule in words.

    >>> condition_words({"account": {"prefix": "a-"}, "where": {"gpus": {"at-least": "1"}}, "none": [{"feed": "x"}]})
    'account beginning with a-, gpus at least 1, not feed x'
    >>> condition_words({"any": [{"account": {"present": False}}, {"resource": {"pattern": "vm-.*"}, "meter": "a/b"}]})
    'account not said or (resource like vm-.* and meter a/b)'
    """
    said = _words(conditions)
    if conditions.get("any"):
        said.append(" or ".join(_together(each) for each in conditions["any"]))
    said += [f"not {_together(each)}" for each in conditions.get("none", ())]
    return ", ".join(said)


def _together(conditions: Mapping[str, Any]) -> str:
    said = _words(conditions)
    return said[0] if len(said) == 1 else f"({' and '.join(said)})"


def _words(conditions: Mapping[str, Any]) -> list[str]:
    facts = {name: each for name, each in conditions.items() if name not in _NO_FACTS} | conditions.get("where", {})
    return [f"{name} {told_words(each)}" for name, each in facts.items()]
