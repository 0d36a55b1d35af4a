"""The conditions of an ownership rule as they are written."""

from collections.abc import Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from gradumen.core.exact import figure, text
from gradumen.core.metering.ownership import ByUsage, OwnershipRule, Shares
from gradumen.wire.metering.condition_forms import TogetherForm, conditions_of, read_conditions
from gradumen.wire.metering.ownership_rules import OwnershipRuleForm


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
    return read_conditions(OwnershipForm, raw, may_be_empty=may_be_empty)


def whose_words(shares: Mapping[str, Decimal], remainder: str | None = None) -> str:
    """Whose something is, by shares of projects; where it is divided, with the share of each.

    >>> whose_words({"gull/shop": Decimal(1)}), whose_words({"gull/shop": Decimal("2.50"), "tern/boats": Decimal(1)})
    ('gull/shop', 'gull/shop (2.5), tern/boats (1)')
    >>> whose_words({"gull/shop": Decimal(30)}, "tern/boats")
    'gull/shop (30), the rest tern/boats'
    """
    rest = f", the rest {remainder}" if remainder else ""
    if len(shares) == 1 and not rest:
        return next(iter(shares))
    return ", ".join(f"{path} ({text(share)})" for path, share in shares.items()) + rest


def usage_words(meter: str, among: Sequence[str], remainder: str | None) -> str:
    """Whose something is, where what each used says so.

    >>> usage_words("compute/vcpu", ["gull/shop", "tern/boats"], "gull/shop")
    'gull/shop, tern/boats by what each used of compute/vcpu, the rest gull/shop'
    >>> usage_words("compute/vcpu", [], None)
    'each by what it used of compute/vcpu'
    """
    rest = f", the rest {remainder}" if remainder else ""
    who = f"{', '.join(among)} by what each" if among else "each by what it"
    return f"{who} used of {meter}{rest}"


def rule_words(rule: OwnershipRuleForm) -> str:
    """Whose a rule, as it is written, says that something is."""
    if rule.by:
        return value_words(rule.by, rule.owners)
    if rule.by_usage:
        return usage_words(rule.by_usage.meter, rule.by_usage.among, rule.remainder)
    return rule.owner or whose_words(rule.shares or {}, rule.remainder)


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
    by_usage: ByUsage | None = None,
) -> OwnershipRule:
    """The rule of conditions that `read_ownership` has checked."""
    return OwnershipRule(name, shares, starts_on, ends_on, conditions_of(conditions), by, owners, by_usage)
