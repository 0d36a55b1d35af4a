"""The written form of plans: plain data in, checked values out, and back (`docs/formats.md`)."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

from gradumen.core.catalogue import (
    LEVELS,
    Allowance,
    DefaultQuota,
    Level,
    Meter,
    Plan,
    Service,
    Tier,
    Trial,
    check_bundle,
    name_of,
    slug_of,
)
from gradumen.core.errors import Invalid
from gradumen.core.exact import QUANTITY_PLACES, number, text, unscaled
from gradumen.core.forms import (
    Form,
    at,
    each_of,
    fields_of,
    long_text,
    meter_of,
    named,
    pairs_of,
    quantity_of,
    whole_number,
)
from gradumen.core.quotas import Measure
from gradumen.core.terms import Duration, Renewal, Terms
from gradumen.core.units import convertible, parse_unit, smallest

_OPTIONAL = ("description", "minimum-months", "renewal", "trial", "terms")
LONGEST_TERMS = 60_000


def read_plan(
    form: object, meters: Mapping[str, Meter], services: Mapping[str, Service], *, checked: bool = False
) -> Plan:
    """Read a plan whose services and meters are known.

    Args:
        checked: it was published before: services may have moved on since, so it is not held against them again.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    fields = fields_of(form, ("plan", "name", "services", "tiers"), _OPTIONAL)

    def read_service_slug(raw: Any) -> str:
        if str(raw) not in services and not checked:
            raise Invalid(f"service '{str(raw)[:60]}' is not known; publish it first or with this", field="services")
        return str(raw)

    names = each_of(fields, "services", read_service_slug)

    def read_tier(raw: Any) -> Tier:
        tier = fields_of(raw, ("tier", "name"), ("allowances", "quotas", "description", "levels"))
        quotas: list[DefaultQuota] = []
        for key, value in pairs_of(tier, "quotas"):
            with at(f"quotas.{key}"):
                if key not in list(Measure):
                    raise Invalid(f"measure '{key}' is not one of {', '.join(Measure)}", field="quotas", value=key)
                quotas.append(DefaultQuota(key, number(value, field="limit", places=QUANTITY_PLACES)))
        return Tier(
            slug_of(tier["tier"], field="tier"),
            name_of(tier["name"], field="name"),
            _read_allowances(tier, names, meters),
            tuple(quotas),
            long_text(tier, "description"),
            tuple(named(tier, "levels", _read_level)),
        )

    plan = Plan(
        slug_of(fields["plan"], field="plan"),
        name_of(fields["name"], field="name"),
        names,
        each_of(fields, "tiers", read_tier),
        long_text(fields, "description"),
        Duration(
            whole_number(fields.get("minimum-months", 0), "minimum-months", 120),
            _read_renewal(fields["renewal"]) if fields.get("renewal") is not None else None,
        ),
        _read_trial(fields["trial"]) if fields.get("trial") is not None else None,
        _read_terms(fields["terms"]) if fields.get("terms") is not None else None,
    )
    if not checked:
        check_bundle(plan, services)
    return plan


def _read_allowances(tier: Form, services: Sequence[str], meters: Mapping[str, Meter]) -> tuple[Allowance, ...]:
    found: list[Allowance] = []
    for key, value in pairs_of(tier, "allowances"):
        with at(f"allowances.{key}"):
            meter = meter_of(key, meters)
            if key.partition("/")[0] not in services:
                raise Invalid(f"meter '{key}' belongs to no service of this plan", field="allowances")
            quantity, unit = quantity_of(value, meter)
            found.append(Allowance(key, quantity, unit.text))
    return tuple(found)


def read_deviations(tier: Tier, raw: object, plan: Plan, meters: Mapping[str, Meter]) -> Tier:
    """A tier with the allowances and levels that one subscriber has in place of its own, written as in a tier.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    fields = fields_of(raw, (), ("allowances", "levels"))
    allowances = {each.meter: each for each in tier.allowances}
    allowances |= {each.meter: each for each in _read_allowances(fields, plan.services, meters)}
    levels = {each.slug: each for each in tier.levels} | {
        each.slug: each for each in named(fields, "levels", _read_level)
    }
    return replace(tier, allowances=tuple(allowances.values()), levels=tuple(levels.values()))


def _read_level(key: str, raw: Any) -> Level:
    if key not in LEVELS:
        raise Invalid(f"service level '{key[:60]}' is not one of {', '.join(LEVELS)}", field="levels", value=key)
    written, _, unit = str(raw).strip().partition(" ")
    quantity = number(written, field=key, places=0)
    if quantity < 0:
        raise Invalid(f"{key} {written} is negative", field=key, value=raw)
    base = LEVELS[key][1]
    if base:
        convertible(unit.strip() or "?", parse_unit(base), field=key)
    elif unit.strip():
        raise Invalid(f"{key} is a count; write it without a unit", field=key, value=raw)
    return Level(key, quantity, unit.strip())


def _read_trial(raw: Any) -> Trial:
    with at("trial"):
        fields = fields_of(raw, ("days",), ("then",))
        then = fields.get("then", "converts")
        if then not in ("converts", "ends"):
            raise Invalid("then is converts or ends", field="then", value=then)
        return Trial(whole_number(fields["days"], "days", 366, least=1), then == "converts")


def _read_renewal(raw: Any) -> Renewal:
    with at("renewal"):
        fields = fields_of(raw, (), ("months", "notice-days"))
        months = whole_number(fields.get("months", 0), "months", 120)
        return Renewal(months, whole_number(fields.get("notice-days", 0), "notice-days", 366))


def _read_terms(raw: Any) -> Terms:
    with at("terms"):
        fields = fields_of(raw, ("version", "text"))
        written = str(fields["text"]).strip()
        if not written or len(written) > LONGEST_TERMS:
            raise Invalid(f"the text of the terms has 1 to {LONGEST_TERMS} characters", field="text")
        return Terms(name_of(fields["version"], field="version", most=40), written)


def plan_form(plan: Plan) -> dict[str, Any]:
    """The inverse of `read_plan`."""
    months, renewal = plan.duration.minimum_months, plan.duration.renewal
    lasting: dict[str, Any] = {"minimum-months": months} if months else {}
    if renewal:
        lasting["renewal"] = {"months": renewal.months, "notice-days": renewal.notice_days}
    if plan.trial:
        lasting["trial"] = {"days": plan.trial.days, "then": "converts" if plan.trial.converts else "ends"}
    if plan.terms:
        lasting["terms"] = {"version": plan.terms.version, "text": plan.terms.text}
    return {
        "plan": plan.slug,
        "name": plan.name,
        "description": plan.description,
        "services": list(plan.services),
        **lasting,
        "tiers": [
            {
                "tier": tier.slug,
                "name": tier.name,
                "description": tier.description,
                "allowances": {each.meter: f"{text(each.quantity)} {each.unit}" for each in tier.allowances},
                "quotas": {each.measure: text(each.limit) for each in tier.quotas},
                **(
                    {"levels": {each.slug: f"{text(each.quantity)} {each.unit}".strip() for each in tier.levels}}
                    if tier.levels
                    else {}
                ),
            }
            for tier in plan.tiers
        ],
    }


def base_allowances(tier: Tier, meters: Mapping[str, Meter]) -> dict[str, Decimal]:
    """A tier's allowances per meter, in base units."""
    found: dict[str, Decimal] = {}
    for each in tier.allowances:
        unit = convertible(each.unit, meters[each.meter].unit, counted=meters[each.meter].counted)
        found[each.meter] = unscaled(smallest(each.quantity, unit, field="allowances"), QUANTITY_PLACES)
    return found
