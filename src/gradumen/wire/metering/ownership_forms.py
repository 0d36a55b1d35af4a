"""The conditions of an ownership rule as they are written."""

from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from typing import Any

from gradumen.core.errors import Invalid
from gradumen.core.exact import figure, text
from gradumen.core.metering.ownership import FACTS, OwnershipRule, Shares
from gradumen.core.mistakes import at
from gradumen.wire.catalogue.forms.base import Form, read
from gradumen.wire.catalogue.forms.conditions import WrittenCondition, condition_form, read_condition


class OwnershipForm(Form):
    """All of these hold: where a reading came from, what it is of, its attributes."""

    feed: WrittenCondition | None = None
    account: WrittenCondition | None = None
    source: WrittenCondition | None = None
    resource: WrittenCondition | None = None
    meter: WrittenCondition | None = None
    where: dict[str, WrittenCondition] = {}


def read_ownership(raw: object, *, may_be_empty: bool = False) -> dict[str, Any]:
    """Check the conditions of a rule, as written.

    Args:
        may_be_empty: of a rule that goes by a value.

    Raises:
        Invalid: with ``path`` in its facts; a rule has at least one condition.
    """
    with at("conditions"):
        if isinstance(raw, dict):
            raw = {name: value for name, value in raw.items() if value not in (None, "", {})}
        form = read(OwnershipForm, raw)
        found: dict[str, Any] = {
            name: condition_form(getattr(form, name)) for name in FACTS if getattr(form, name) is not None
        }
        if form.where:
            found["where"] = {key: condition_form(each) for key, each in form.where.items()}
        if not found and not may_be_empty:
            raise Invalid(f"a rule has at least one of {', '.join(FACTS)}, where", field="conditions")
        return found


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
    return OwnershipRule(
        name,
        shares,
        starts_on,
        ends_on,
        tuple((key, read_condition(conditions[key], ())) for key in FACTS if key in conditions),
        tuple((key, read_condition(each, ())) for key, each in sorted(conditions.get("where", {}).items())),
        by,
        owners,
    )
