"""The conditions of an ownership rule as they are written."""

from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from typing import Any

from gradumen.core.errors import Invalid
from gradumen.core.exact import figure, text
from gradumen.core.metering.ownership import FACTS, OwnershipRule, Shares
from gradumen.core.metering.told_conditions import AllOf
from gradumen.core.mistakes import at
from gradumen.wire.catalogue.forms.base import Form, read
from gradumen.wire.metering.told_forms import WrittenTold, read_told, told_form, told_words

GROUPS, MOST_GROUPS = ("any", "none"), 50


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
            name: told_form(getattr(self, name)) for name in FACTS if getattr(self, name) is not None
        }
        if self.where:
            found["where"] = {key: told_form(each) for key, each in self.where.items()}
        return found


class OwnershipForm(TogetherForm):
    """All of these hold, of ``any`` at least one, of ``none`` none: each is conditions that hold together."""

    any: list[TogetherForm] = []
    none: list[TogetherForm] = []


def read_ownership(raw: object, *, may_be_empty: bool = False) -> dict[str, Any]:
    """Check the conditions of a rule, as written.

    Args:
        may_be_empty: of a rule that goes by a value.

    Raises:
        Invalid: with ``path`` in its facts; a rule has at least one condition.
    """
    with at("conditions"):
        if isinstance(raw, dict):
            raw = {name: value for name, value in raw.items() if value not in (None, "", {}, [])}
        form = read(OwnershipForm, raw)
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
            raise Invalid(f"a rule has at least one of {', '.join(FACTS)}, where, any, none", field="conditions")
        return found


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
    facts = {name: conditions[name] for name in FACTS if name in conditions} | conditions.get("where", {})
    return [f"{name} {told_words(each)}" for name, each in facts.items()]


def whose_words(shares: Mapping[str, Decimal]) -> str:
    """Whose something is, by shares of projects; where it is divided, with the share of each.

    >>> whose_words({"gull/shop": Decimal(1)}), whose_words({"gull/shop": Decimal("2.50"), "tern/boats": Decimal(1)})
    ('gull/shop', 'gull/shop (2.5), tern/boats (1)')
    """
    if len(shares) == 1:
        return next(iter(shares))
    return ", ".join(f"{path} ({text(share)})" for path, share in shares.items())


def value_words(by: str, owners: Mapping[str, object] | None) -> str:
    """Whose something is, where a value says so.

    >>> value_words("account", {"acc-1": "gull/shop"}), value_words("where.team", None)
    ('whom account names, of 1 in a table', 'whom where.team names')
    """
    return f"whom {by} names{'' if owners is None else f', of {figure(len(owners))} in a table'}"


def rule_of(
    name: str,
    shares: Shares,
    starts_on: date,
    ends_on: date | None,
    conditions: dict[str, Any],
    by: str | None = None,
    owners: Mapping[str, int] | None = None,
) -> OwnershipRule:
    """The rule of conditions that `read_ownership` has checked."""
    together = _all_of(conditions)
    any_of, none_of = (tuple(_all_of(each) for each in conditions.get(name, ())) for name in GROUPS)
    return OwnershipRule(
        name, shares, starts_on, ends_on, together.conditions, together.match, by, owners, any_of, none_of
    )


def _all_of(conditions: Mapping[str, Any]) -> AllOf:
    return AllOf(
        tuple((key, read_told(conditions[key])) for key in FACTS if key in conditions),
        tuple((key, read_told(each)) for key, each in sorted(conditions.get("where", {}).items())),
    )
