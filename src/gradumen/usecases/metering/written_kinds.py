"""Rules of kind as they are written: checked against what is published, and told."""

from collections.abc import Collection, Sequence
from uuid import UUID

from gradumen.core.errors import Invalid
from gradumen.core.metering.kinds import KindRule
from gradumen.core.metering.readings import check_attributes, read_text
from gradumen.core.names import name_of
from gradumen.store.metering.kind_rules import KindRuleRow
from gradumen.usecases.catalogue.published import Published
from gradumen.usecases.metering.kinds import catalogue_of, rule_of
from gradumen.usecases.scope import Scope
from gradumen.wire.metering.kind_forms import read_kind_conditions
from gradumen.wire.metering.kind_rules import KindRuleForm


def written(row: KindRuleRow) -> KindRuleForm:
    """A stored rule as it is written."""
    return KindRuleForm(
        name=row.name, starts_on=row.starts_on, ends_on=row.ends_on, conditions=row.conditions, **row.kind
    )


def read_rules(
    published: Published, scope: Scope, seller: UUID, rules: Sequence[KindRuleForm]
) -> tuple[list[KindRuleRow], list[KindRule]]:
    """Rules as they are stored, and as they are looked at: over meters of the seller and of those above it.

    Raises:
        Invalid: a rule has no fit name, days, conditions or kind, or the name of another; its place is in ``field``.
    """
    above = set(scope.tree.chain(seller))
    meters = {slug for slug in published.meters if published.owners["service", slug.partition("/")[0]] in above}
    rows: list[KindRuleRow] = []
    for place, each in enumerate(rules):
        where = f"rules[{place}]"
        name = name_of(each.name, field=f"{where}.name")
        if name in (row.name for row in rows):
            raise Invalid(f"two rules are called '{name}'; give each its name", field=f"{where}.name", value=name)
        if each.ends_on is not None and each.ends_on <= each.starts_on:
            raise Invalid(
                f"rule '{name}' ends on {each.ends_on}, which must be after {each.starts_on}", field=f"{where}.ends_on"
            )
        try:
            conditions = read_kind_conditions(each.conditions)
        except Invalid as problem:
            raise Invalid(f"rule '{name}': {problem.message}", field=f"{where}.conditions") from problem
        _check_kind(published, meters, each, name, where)
        kind = {"meter": each.meter, "attributes": each.attributes, "taken": each.taken, "unit": each.unit}
        rows.append(
            KindRuleRow(
                organisation_id=seller,
                position=place,
                name=name,
                starts_on=each.starts_on,
                ends_on=each.ends_on,
                conditions=conditions,
                kind={name: said for name, said in (*kind.items(), ("times", each.times)) if said},
            )
        )
    return rows, [rule_of(row) for row in rows]


def _check_kind(published: Published, meters: Collection[str], rule: KindRuleForm, name: str, where: str) -> None:
    """Check what a rule says that readings are."""
    if rule.meter not in meters:
        raise Invalid(
            f"rule '{name}': meter '{rule.meter[:130]}' is not known; use service/meter of a published service",
            field=f"{where}.meter",
            value=rule.meter[:130],
        )
    meter = published.meters[rule.meter]
    allowed = catalogue_of(published).allowed(meter.slug)
    try:
        check_attributes(tuple(rule.attributes.items()), allowed)
        twice = sorted(set(rule.attributes) & set(rule.taken))
        strange = sorted(set(rule.taken) - set(allowed))
        if twice or strange:
            told = "both has a value and is taken from another" if twice else f"is not one of {', '.join(allowed)}"
            raise Invalid(f"attribute '{(twice or strange)[0]}' {told}", field="taken")
        for source in (*rule.taken.values(), *([rule.times] if rule.times else [])):
            read_text(source, "a name of what is sent")
        if rule.unit is not None:
            meter.read_unit(rule.unit)
    except Invalid as problem:
        field = str(problem.facts.get("field", "meter"))
        raise Invalid(f"rule '{name}': {problem.message}", field=f"{where}.{field}") from problem
