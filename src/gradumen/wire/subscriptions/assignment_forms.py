"""The conditions of an assignment rule as they are written."""

from datetime import date
from typing import Any
from uuid import UUID

from gradumen.core.errors import Invalid
from gradumen.core.mistakes import at
from gradumen.core.subscriptions.assignment_rules import AssignmentRule
from gradumen.wire.catalogue.forms.base import Form, Written, read
from gradumen.wire.catalogue.forms.conditions import WrittenCondition, condition_form, read_condition


class ConditionsForm(Form):
    """All of these hold: a service, a project, a resource, attributes."""

    service: Written | None = None
    project: Written | None = None
    resource: WrittenCondition | None = None
    where: dict[str, WrittenCondition] = {}


def read_conditions(raw: object) -> dict[str, Any]:
    """Check the conditions of a rule, as written.

    Raises:
        Invalid: with ``path`` in its facts; a rule has at least one condition.
    """
    with at("conditions"):
        if isinstance(raw, dict):
            raw = {name: value for name, value in raw.items() if value not in (None, "", {})}
        form = read(ConditionsForm, raw)
        found: dict[str, Any] = {}
        for name in ("service", "project"):
            if getattr(form, name) is not None:
                found[name] = getattr(form, name)
        if form.resource is not None:
            found["resource"] = condition_form(form.resource)
        if form.where:
            found["where"] = {key: condition_form(each) for key, each in form.where.items()}
        if not found:
            raise Invalid("a rule has at least one of service, project, resource, where", field="conditions")
        return found


def rule_of(
    position: int, subscription: UUID, starts_on: date, ends_on: date | None, conditions: dict[str, Any]
) -> AssignmentRule:
    """The rule of conditions that `read_conditions` has checked."""
    where = conditions.get("where", {})
    return AssignmentRule(
        position,
        subscription,
        starts_on,
        ends_on,
        conditions.get("service"),
        conditions.get("project"),
        read_condition(conditions["resource"], ()) if "resource" in conditions else None,
        tuple((key, read_condition(value, ())) for key, value in sorted(where.items())),
    )
