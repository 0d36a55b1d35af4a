"""Rates as they are written."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum
from typing import Annotated, Any

from pydantic import Discriminator, Tag

from gradumen.core.catalogue.conditions import DAYS, Conditions, TimeWindow
from gradumen.core.catalogue.plans import Plan
from gradumen.core.catalogue.promised import promised_meters
from gradumen.core.catalogue.rates import (
    PROMISED,
    Basis,
    Block,
    Blocks,
    Every,
    Lots,
    Markup,
    Over,
    Rate,
    RecurringRate,
    SpendCommitment,
    SpreadRate,
    Started,
    UsageRate,
)
from gradumen.core.catalogue.services import Combine, Meter, Service
from gradumen.core.errors import Invalid
from gradumen.core.exact import text
from gradumen.core.mistakes import at
from gradumen.core.quotas.measures import BUILT_IN
from gradumen.core.units import Unit, convertible
from gradumen.wire.catalogue.forms.base import (
    Form,
    Percent,
    Price,
    Quantity,
    Slug,
    Written,
    YesNo,
    meter_of,
    one_of,
)
from gradumen.wire.catalogue.forms.conditions import WrittenCondition, among, condition_form

_PRICED = ("price", "blocks", "lots", "markup")
_REACHED = "at-reached-step"
_Day = StrEnum("_Day", {day: day for day in DAYS})  # type: ignore[misc]  # its members are those days


@dataclass(frozen=True, slots=True)
class Known:
    """What a rate card can speak of.

    With ``checked`` what is read was checked when it was published: services and plans may have moved on since, so it
    is not held against them again. ``promised`` are the meters of what quotas promise.
    """

    meters: Mapping[str, Meter]
    services: Mapping[str, Service]
    plans: Mapping[str, Plan]
    checked: bool = False
    promised: Mapping[str, Meter] = field(default_factory=lambda: promised_meters(BUILT_IN))

    def meter(self, raw: object) -> Meter:
        """The meter of that slug, those of what quotas promise among them.

        Raises:
            Invalid: there is none.
        """
        return meter_of(raw, {**self.promised, **self.meters})

    def allowed(self, meter: Meter) -> Mapping[str, tuple[str, ...]] | None:
        """The attributes of a meter with their allowed values, none of these means any text; None does not restrict."""
        if self.checked:
            return None
        if meter.slug.startswith(PROMISED):
            return {"site": ()}
        return {each.slug: each.values for each in self.services[meter.slug.partition("/")[0]].looked_at}

    def service(self, slug: str, path: str) -> str:
        """A service's slug.

        Raises:
            Invalid: there is none.
        """
        if slug not in self.services and not self.checked:
            raise Invalid(f"service '{slug[:60]}' is not known", field="services", value=slug, path=path)
        return slug


class BlockForm(Form):
    """A price per unit up to and including a quantity; the last block has no end."""

    price: Price
    to: Quantity | None = None


class LotsForm(Form):
    """A price per lot of so many units; a lot begun is charged whole."""

    of: Quantity
    price: Price


class MarkupForm(Form):
    """A percentage on top of an imported cost, and a fixed amount in each period where there is any."""

    percent: Percent
    fixed: Price | None = None
    of: Annotated[Basis, *one_of(Basis)] = Basis.BILLED


class WhenForm(Form):
    """Hours of the week in the seller's zone; over midnight where ``to`` is before ``from``."""

    days: list[Annotated[_Day, *one_of(_Day)]] | None = None
    from_: Written = "00:00"
    to: Written = "24:00"

    def value(self) -> TimeWindow:
        """The window.

        Raises:
            Invalid: not full hours, or no hour at all.
        """
        days = DAYS if self.days is None else tuple(map(str, self.days))
        return TimeWindow(tuple(sorted(DAYS.index(day) for day in days)), _hour(self.from_), _hour(self.to))


def _hour(written: str) -> int:
    hours, _, minutes = written.partition(":")
    if not (hours.isdigit() and hours.isascii() and len(hours) == 2 and minutes == "00" and int(hours) <= 24):
        raise Invalid(
            f"'{written[:20]}' is not a full hour; write it in quotes like '22:00'", field="when", value=written
        )
    return int(hours)


class UsageRateForm(Form):
    """A price on a meter: exactly one of price, blocks, lots, markup.

    Blocks are stepped, each prices its share; with ``at-reached-step`` the one that the whole quantity of the period
    reaches prices all of it. Allowance and committed are in the rate's unit, minimum and cap amounts per period.
    """

    rate: Slug
    meter: Written
    per: Written
    where: dict[str, WrittenCondition] = {}
    when: WhenForm | None = None
    over: Annotated[Over, *one_of(Over)] = Over.SUBSCRIPTION
    allowance: Quantity | None = None
    committed: Quantity | None = None
    minimum: Price | None = None
    cap: Price | None = None
    started: Annotated[Started, *one_of(Started)] | None = None
    price: Price | None = None
    blocks: list[BlockForm] | None = None
    at_reached_step: YesNo | None = None
    lots: LotsForm | None = None
    markup: MarkupForm | None = None

    def value(self, known: Known) -> UsageRate:
        """The rate.

        Raises:
            Invalid: something that is not known, or parts that do not fit each other.
        """
        meter = known.meter(self.meter)
        if self.started is not None and not known.checked:
            _check_started(meter)
        unit = convertible(self.per, meter.unit, counted=meter.counted, field="per")
        with at("when"):
            when = self.when.value() if self.when else None
        return UsageRate(
            slug=self.rate,
            meter=meter.slug,
            unit=unit,
            pricing=self._pricing(unit, meter),
            match=self._match(known.allowed(meter)),
            when=when,
            over=self.over,
            allowance=self.allowance or Decimal(0),
            committed=self.committed or Decimal(0),
            minimum=self.minimum or Decimal(0),
            cap=self.cap,
            started=self.started,
        )

    def _pricing(self, unit: Unit, meter: Meter) -> Blocks | Lots | Markup:
        given = [name for name in _PRICED if getattr(self, name) is not None]
        if len(given) != 1:
            raise Invalid(f"a rate has exactly one of {', '.join(_PRICED)}", field="price")
        if self.at_reached_step is not None and self.blocks is None:
            raise Invalid(f"'{_REACHED}' says how blocks price; leave it out where there are none", field=_REACHED)
        with at(given[0]):
            if self.blocks is not None:
                steps = tuple(Block(each.to, each.price) for each in self.blocks)
                return Blocks(steps, whole=bool(self.at_reached_step) and len(steps) > 1)
            if self.lots is not None:
                return Lots(self.lots.of, self.lots.price)
            if self.markup is not None:
                if len(unit.dimensions[0]) != 3:
                    message = "a markup is for a meter of cost in a currency"
                    raise Invalid(message, field="markup", value=meter.slug)
                return Markup(self.markup.percent, self.markup.fixed or Decimal(0), self.markup.of)
            return Blocks((Block(None, self.price),))  # type: ignore[arg-type]  # it is the one that is given

    def _match(self, allowed: Mapping[str, tuple[str, ...]] | None) -> Conditions:
        match = []
        for key, condition in self.where.items():
            with at(f"where.{key}"):
                if allowed is not None and key not in allowed:
                    known = ", ".join(allowed) or "none"
                    raise Invalid(f"attribute '{key}' is not one of the service's: {known}", field="where", value=key)
                match.append((key, among(condition, () if allowed is None else allowed[key])))
        return tuple(sorted(match, key=lambda each: each[0]))


def _check_started(meter: Meter) -> None:
    if meter.combine is not Combine.HELD:
        raise Invalid(
            f"begun steps of time are counted of what holds until it changes; meter '{meter.slug}' combines "
            f"'{meter.combine}': leave started out, or choose a meter that combines 'held'",
            field="started",
            value=meter.slug,
            path="started",
        )
    if not meter.sampling.additive:
        raise Invalid(
            f"begun steps of time add up; meter '{meter.slug}' has a statistic of its samples: leave started out",
            field="started",
            value=meter.slug,
            path="started",
        )


class FeeForm(Form):
    """A fee of a plan's tier (``plan/tier``): once, or per term, after it or ``advance``."""

    rate: Slug
    fee: Written
    price: Price
    every: Annotated[Every, *one_of(Every)] = Every.MONTH
    advance: YesNo = False

    def value(self, known: Known) -> RecurringRate:
        """The rate.

        Raises:
            Invalid: a plan or tier that is not known.
        """
        plan, _, tier = self.fee.partition("/")
        if not known.checked:
            if plan not in known.plans:
                raise Invalid(f"plan '{plan[:60]}' is not known; write plan/tier", field="fee", value=self.fee)
            known.plans[plan].tier(tier)
        return RecurringRate(self.rate, plan, tier, self.price, self.every, self.advance)


class CommitmentForm(Form):
    """A spend per month that is charged at least; no services means all."""

    rate: Slug
    commitment: Price
    services: list[Written] = []
    over: Annotated[Over, *one_of(Over)] = Over.BUYER

    def value(self, known: Known) -> SpendCommitment:
        """The rate.

        Raises:
            Invalid: a service that is not known.
        """
        services = tuple(known.service(slug, f"services[{index}]") for index, slug in enumerate(self.services))
        return SpendCommitment(self.rate, self.commitment, services, self.over)


class SpreadForm(Form):
    """A fixed cost per month, spread by what is used of a meter; on cards for own use."""

    rate: Slug
    spread: Price
    by: Written

    def value(self, known: Known) -> SpreadRate:
        """The rate.

        Raises:
            Invalid: a meter that is not known.
        """
        return SpreadRate(self.rate, self.spread, known.meter(self.by).slug)


def _kind(raw: Any) -> str:
    """Which kind of rate is written: by the field that only it has."""
    for kind, name in ((FeeForm, "fee"), (CommitmentForm, "commitment"), (SpreadForm, "spread")):
        if isinstance(raw, kind) or (isinstance(raw, Mapping) and name in raw):
            return f"<{name}>"
    return "<usage>"


RateForm = Annotated[
    Annotated[UsageRateForm, Tag("<usage>")]
    | Annotated[FeeForm, Tag("<fee>")]
    | Annotated[CommitmentForm, Tag("<commitment>")]
    | Annotated[SpreadForm, Tag("<spread>")],
    Discriminator(_kind),
]
"""A rate of any kind."""


def rate_form(rate: Rate) -> dict[str, Any]:
    """A rate as it is written: the inverse of a form's ``value``."""
    if isinstance(rate, RecurringRate):
        terms: dict[str, Any] = {} if rate.every is Every.MONTH else {"every": str(rate.every)}
        if rate.advance:
            terms["advance"] = True
        return {"rate": rate.slug, "fee": f"{rate.plan}/{rate.tier}", "price": text(rate.price), **terms}
    if isinstance(rate, SpendCommitment):
        services = {"services": list(rate.services)} if rate.services else {}
        return {"rate": rate.slug, "commitment": text(rate.amount), **services, "over": str(rate.over)}
    if isinstance(rate, SpreadRate):
        return {"rate": rate.slug, "spread": text(rate.amount), "by": rate.by}
    form: dict[str, Any] = {
        "rate": rate.slug,
        "meter": rate.meter,
        "where": {key: condition_form(condition) for key, condition in rate.match},
        "per": rate.unit.text,
        **_pricing_form(rate.pricing),
    }
    if rate.when is not None:
        form["when"] = {
            "days": [DAYS[day] for day in rate.when.days],
            "from": f"{rate.when.from_hour:02d}:00",
            "to": f"{rate.when.to_hour:02d}:00",
        }
    if rate.over is not Over.SUBSCRIPTION:
        form["over"] = str(rate.over)
    for name, value in (("allowance", rate.allowance), ("committed", rate.committed), ("minimum", rate.minimum)):
        if value:
            form[name] = text(value)
    if rate.cap is not None:
        form["cap"] = text(rate.cap)
    if rate.started is not None:
        form["started"] = str(rate.started)
    return form


def _pricing_form(pricing: Blocks | Lots | Markup) -> dict[str, Any]:
    match pricing:
        case Lots(size, price):
            return {"lots": {"of": text(size), "price": text(price)}}
        case Markup(percent, fixed, of):
            more = {**({"fixed": text(fixed)} if fixed else {}), **({} if of is Basis.BILLED else {"of": str(of)})}
            return {"markup": {"percent": text(percent), **more}}
        case Blocks((only,)):
            return {"price": text(only.price)}
        case Blocks(steps, whole):
            written = [
                {**({} if step.to is None else {"to": text(step.to)}), "price": text(step.price)} for step in steps
            ]
            return {"blocks": written, **({_REACHED: True} if whole else {})}
