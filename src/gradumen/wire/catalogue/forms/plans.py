"""Plans as they are written."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from enum import StrEnum
from typing import Annotated, Any

from gradumen.core.catalogue.plans import LEVELS, Allowance, DefaultQuota, Level, Plan, Tier, Trial, check_bundle
from gradumen.core.catalogue.services import Meter, Service
from gradumen.core.catalogue.terms import Duration, Renewal, Terms
from gradumen.core.errors import Invalid
from gradumen.core.exact import number, text
from gradumen.core.mistakes import Mistakes
from gradumen.core.quotas.measures import Measure, Measures
from gradumen.core.units import convertible, parse_unit
from gradumen.wire.catalogue.forms.base import (
    Form,
    LongText,
    Name,
    Quantity,
    Slug,
    Written,
    meter_of,
    named,
    one_of,
    quantity_of,
    read,
    whole,
)

LONGEST_TERMS = 60_000


class AfterTrial(StrEnum):
    """What becomes of a subscription after its trial."""

    CONVERTS = "converts"
    ENDS = "ends"


class TrialForm(Form):
    """So many days free of charge."""

    days: Annotated[int, *whole(366, least=1)]
    then: Annotated[AfterTrial, *one_of(AfterTrial)] = AfterTrial.CONVERTS


class RenewalForm(Form):
    """The terms after the first; 0 months: none."""

    months: Annotated[int, *whole(120)] = 0
    notice_days: Annotated[int, *whole(366)] = 0


class TermsForm(Form):
    """What is accepted by who subscribes."""

    version: Annotated[str, *named(40)]
    text: Written

    def value(self) -> Terms:
        """The terms.

        Raises:
            Invalid: no text, or too long a one.
        """
        written = self.text.strip()
        if not written or len(written) > LONGEST_TERMS:
            raise Invalid(f"the text of the terms has 1 to {LONGEST_TERMS} characters", field="text")
        return Terms(self.version, written)


class SpecialTermsForm(Form):
    """What one subscription has in place of its tier's."""

    allowances: dict[str, Written] = {}
    levels: dict[str, Written] = {}


class TierForm(SpecialTermsForm):
    """One level of a plan: quantities with units as ``100 GiB``, quotas by measure, service levels."""

    tier: Slug
    name: Name
    quotas: dict[str, Quantity] = {}
    description: LongText = ""


class PlanForm(Form):
    """What can be subscribed to: services, and tiers in rising order."""

    plan: Slug
    name: Name
    services: list[Written]
    tiers: list[TierForm]
    description: LongText = ""
    minimum_months: Annotated[int, *whole(120)] = 0
    renewal: RenewalForm | None = None
    trial: TrialForm | None = None
    terms: TermsForm | None = None

    def value(
        self, meters: Mapping[str, Meter], services: Mapping[str, Service], measures: Measures, *, checked: bool
    ) -> Plan:
        """The plan; see `read_plan`."""
        mistakes = Mistakes()
        for index, slug in enumerate(self.services):
            with mistakes.at(f"services[{index}]"):
                if slug not in services and not checked:
                    message = f"service '{slug[:60]}' is not known; publish it first or with this"
                    raise Invalid(message, field="services")
        tiers = []
        for index, tier in enumerate(self.tiers):
            with mistakes.at(f"tiers[{index}]"):
                tiers.append(self._tier(tier, meters, () if checked else measures.metered))
        terms = None
        with mistakes.at("terms"):
            terms = self.terms.value() if self.terms else None
        mistakes.tell()
        plan = Plan(
            self.plan,
            self.name,
            tuple(self.services),
            tuple(tiers),
            self.description,
            Duration(
                self.minimum_months, Renewal(self.renewal.months, self.renewal.notice_days) if self.renewal else None
            ),
            Trial(self.trial.days, self.trial.then is AfterTrial.CONVERTS) if self.trial else None,
            terms,
        )
        if not checked:
            check_bundle(plan, services)
        return plan

    def _tier(self, tier: TierForm, meters: Mapping[str, Meter], known: Sequence[Measure]) -> Tier:
        mistakes = Mistakes()
        for measure in tier.quotas:
            with mistakes.at(f"quotas.{measure}"):
                if known and measure not in known:
                    message = f"measure '{measure[:60]}' is not one of {', '.join(known)}"
                    raise Invalid(message, field="quotas")
        allowances: tuple[Allowance, ...] = ()
        levels: tuple[Level, ...] = ()
        with mistakes.whole():
            allowances = _allowances(tier, self.services, meters)
        with mistakes.whole():
            levels = _levels(tier)
        mistakes.tell()
        quotas = tuple(DefaultQuota(measure, limit) for measure, limit in tier.quotas.items())
        return Tier(tier.tier, tier.name, allowances, quotas, tier.description, levels)


def read_plan(
    form: object,
    meters: Mapping[str, Meter],
    services: Mapping[str, Service],
    measures: Measures | None = None,
    *,
    checked: bool = False,
) -> Plan:
    """Read a plan whose services and meters are known.

    Args:
        measures: those that its tiers may have quotas of; by default what is built in.
        checked: it was published before: services may have moved on since, so it is not held against them again.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    return read(PlanForm, form).value(meters, services, measures or Measures(), checked=checked)


def read_special_terms(tier: Tier, raw: object, plan: Plan, meters: Mapping[str, Meter]) -> Tier:
    """A tier with the allowances and levels that one subscriber has in place of its own, written as in a tier.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    form = read(SpecialTermsForm, raw)
    allowances = {each.meter: each for each in (*tier.allowances, *_allowances(form, plan.services, meters))}
    levels = {each.slug: each for each in (*tier.levels, *_levels(form))}
    return replace(tier, allowances=tuple(allowances.values()), levels=tuple(levels.values()))


def _allowances(form: SpecialTermsForm, services: Sequence[str], meters: Mapping[str, Meter]) -> tuple[Allowance, ...]:
    found: list[Allowance] = []
    mistakes = Mistakes()
    for slug, written in form.allowances.items():
        with mistakes.at(f"allowances.{slug}"):
            meter = meter_of(slug, meters)
            if slug.partition("/")[0] not in services:
                raise Invalid(f"meter '{slug}' belongs to no service of this plan", field="allowances")
            quantity, unit = quantity_of(written, meter)
            found.append(Allowance(slug, quantity, unit.text))
    mistakes.tell()
    return tuple(found)


def _levels(form: SpecialTermsForm) -> tuple[Level, ...]:
    found: list[Level] = []
    mistakes = Mistakes()
    for slug, written in form.levels.items():
        with mistakes.at(f"levels.{slug}"):
            found.append(_level(slug, written))
    mistakes.tell()
    return tuple(found)


def _level(key: str, raw: str) -> Level:
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
