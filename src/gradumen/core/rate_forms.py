"""The written form of rate cards: plain data in, checked values out, and back (`docs/formats.md`)."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any

from gradumen.core.catalogue import Combine, Meter, Plan, Service, name_of, slug_of
from gradumen.core.condition_forms import condition_form, read_condition
from gradumen.core.discounts import Discount
from gradumen.core.errors import Invalid
from gradumen.core.exact import AMOUNT_PLACES, QUANTITY_PLACES, number, text
from gradumen.core.forms import at, choice_of, each_of, fields_of, meter_of, pairs_of
from gradumen.core.matching import DAYS, Condition, Conditions, TimeWindow
from gradumen.core.quotas import Measure
from gradumen.core.rates import (
    PROMISED,
    Block,
    Blocks,
    Every,
    Lots,
    Markup,
    Over,
    Rate,
    RateCardVersion,
    RecurringRate,
    SpendCommitment,
    SpreadRate,
    Started,
    UsageRate,
)
from gradumen.core.selection import Buyers, buyers_form, read_buyers
from gradumen.core.units import convertible, parse_unit

_PRICED = ("price", "blocks", "lots", "markup")
_REACHED = "at-reached-step"
"""Whether blocks price the whole quantity at the step that it reaches; else each block its share: *stepped*."""


_MEASURES = {Measure.PROCESSORS: ("vCPU-second", "vCPU"), Measure.STORAGE: ("byte-second", None)}
PROMISED_METERS = {
    f"{PROMISED}{measure}": Meter(
        f"{PROMISED}{measure}", f"Promised {measure}", parse_unit(unit, counted=counted), Combine.LEVEL, counted
    )
    for measure, (unit, counted) in _MEASURES.items()
}
"""What quotas promise, as a level over time; no service publishes these."""


@dataclass(frozen=True, slots=True)
class Known:
    """What a rate card can speak of.

    With ``checked`` what is read was checked when it was published: services and plans may have moved on since, so it
    is not held against them again.
    """

    meters: Mapping[str, Meter]
    services: Mapping[str, Service]
    plans: Mapping[str, Plan]
    checked: bool = False

    def meter(self, raw: object) -> Meter:
        """The meter of that slug, those of what quotas promise among them.

        Raises:
            Invalid: there is none.
        """
        return meter_of(raw, {**PROMISED_METERS, **self.meters})

    def allowed(self, meter: Meter) -> Mapping[str, tuple[str, ...]] | None:
        """The attributes of a meter with their allowed values, none of these means any text; None does not restrict."""
        if self.checked:
            return None
        if meter.slug.startswith(PROMISED):
            return {"site": ()}
        return {each.slug: each.values for each in self.services[meter.slug.partition("/")[0]].attributes}


@dataclass(frozen=True, slots=True)
class WrittenCard:
    """A rate card as it is written: its name, whom it is for, and its version.

    ``at_renewal`` is the card that a supply line goes over to when its subscription renews.
    """

    name: str
    buyers: Buyers
    version: RateCardVersion
    at_renewal: str | None = None


def read_rate_card(form: object, known: Known, version: int) -> WrittenCard:
    """Read a rate card's version.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    optional = ("for", "discounts", "derived", "at-renewal", "overhead")
    fields = fields_of(form, ("rate-card", "name", "currency", "starts-on", "rates"), optional)
    with at("for"):
        buyers = read_buyers(fields.get("for", "any"))
    starts_on = _day(fields["starts-on"], "starts-on")
    rates = each_of(fields, "rates", lambda raw: read_rate(raw, known))
    slugs = {rate.slug for rate in rates}
    discounts = each_of(fields, "discounts", lambda raw: _read_discount(raw, known, slugs))
    card = slug_of(fields["rate-card"], field="rate-card")
    overhead = _price(fields.get("overhead", 0), "overhead", 8)
    found = RateCardVersion(card, version, str(fields["currency"]), starts_on, rates, discounts, overhead)
    if buyers.type != "own-use" and (overhead or any(isinstance(rate, SpreadRate) for rate in rates)):
        message = "fixed costs are spread, and overhead put on, by a card for own-use only: customers have prices"
        raise Invalid(message, field="for", value=buyers.words)
    for rate in found.usage_rates:
        if isinstance(rate.pricing, Markup) and rate.unit.dimensions != (found.currency,):
            raise Invalid(
                f"rate '{rate.slug}' marks up a cost in {rate.unit.dimensions[0]}, the card is in {found.currency}; "
                "one card has one currency",
                field="currency",
                value=rate.slug,
            )
    renewal = slug_of(fields["at-renewal"], field="at-renewal") if fields.get("at-renewal") else None
    return WrittenCard(name_of(fields["name"], field="name"), buyers, found, renewal)


def check_inputs(version: RateCardVersion) -> None:
    """Check that everything which a version prices is measured.

    Raises:
        Invalid: a rate counts started time or what quotas promise, whose inputs are not taken in yet.
    """
    for index, rate in enumerate(version.rates):
        meter = rate.by if isinstance(rate, SpreadRate) else rate.meter if isinstance(rate, UsageRate) else ""
        with at(f"rates[{index}]"):
            if isinstance(rate, UsageRate) and rate.started is not None:
                raise Invalid(
                    f"rate '{rate.slug}' counts each {rate.started} begun, but phases of resources are not taken in "
                    "yet, so it would charge nothing; leave started and phases out",
                    field="started",
                    value=rate.started,
                    path="started",
                )
            if meter.startswith(PROMISED):
                raise Invalid(
                    f"rate '{rate.slug}' counts what quotas promise, which is not metered yet, so it would charge "
                    "nothing; price a meter of a service",
                    field="meter",
                    value=meter,
                    path="by" if isinstance(rate, SpreadRate) else "meter",
                )


def read_rate(raw: Any, known: Known) -> Rate:
    """Read one rate.

    Raises:
        Invalid: with ``path`` in its facts.
    """
    if isinstance(raw, Mapping) and "fee" in raw:
        return _read_fee(raw, known)
    if isinstance(raw, Mapping) and "commitment" in raw:
        fields = fields_of(raw, ("rate", "commitment"), ("services", "over"))
        services = each_of(fields, "services", lambda each: _service(each, known))
        over = choice_of(Over, fields.get("over", "buyer"), "over")
        return SpendCommitment(slug_of(fields["rate"], field="rate"), _price(fields["commitment"]), services, over)
    if isinstance(raw, Mapping) and "spread" in raw:
        fields = fields_of(raw, ("rate", "spread", "by"))
        by = known.meter(fields["by"])
        return SpreadRate(slug_of(fields["rate"], field="rate"), _price(fields["spread"], "spread"), by.slug)
    bounds = ("allowance", "committed", "minimum", "cap")
    optional = ("where", "when", "over", *bounds, "started", "phases", *_PRICED, _REACHED)
    fields = fields_of(raw, ("rate", "meter", "per"), optional)
    meter = known.meter(fields["meter"])
    unit = convertible(str(fields["per"]), meter.unit, counted=meter.counted, field="per")
    given = [name for name in _PRICED if name in fields]
    if len(given) != 1:
        raise Invalid(f"a rate has exactly one of {', '.join(_PRICED)}", field="price")
    if _REACHED in fields and given != ["blocks"]:
        raise Invalid(f"'{_REACHED}' says how blocks price; leave it out where there are none", field=_REACHED)
    with at(given[0]):
        pricing = _read_pricing(given[0], fields)
    if isinstance(pricing, Markup) and len(unit.dimensions[0]) != 3:
        raise Invalid("a markup is for a meter of cost in a currency", field="markup", value=meter.slug)
    return UsageRate(
        slug=slug_of(fields["rate"], field="rate"),
        meter=meter.slug,
        unit=unit,
        pricing=pricing,
        match=_read_where(fields, known.allowed(meter)),
        when=None if fields.get("when") is None else _read_when(fields["when"]),
        over=choice_of(Over, fields.get("over", "subscription"), "over"),
        allowance=_quantity(fields, "allowance"),
        committed=_quantity(fields, "committed"),
        minimum=_price(fields.get("minimum", 0), "minimum"),
        cap=None if fields.get("cap") is None else _price(fields["cap"], "cap"),
        started=None if fields.get("started") is None else choice_of(Started, fields["started"], "started"),
        phases=_read_phases(fields, meter, known),
    )


def _read_fee(raw: Mapping[str, Any], known: Known) -> RecurringRate:
    fee = fields_of(raw, ("rate", "fee", "price"), ("every", "advance"))
    plan, _, tier = str(fee["fee"]).partition("/")
    if not known.checked:
        if plan not in known.plans:
            raise Invalid(f"plan '{plan[:60]}' is not known; write plan/tier", field="fee", value=fee["fee"])
        known.plans[plan].tier(tier)
    every = choice_of(Every, fee.get("every", "month"), "every")
    slug = slug_of(fee["rate"], field="rate")
    return RecurringRate(slug, plan, tier, _price(fee["price"]), every, _yes_or_no(fee, "advance"))


def _read_pricing(name: str, fields: Mapping[str, Any]) -> Blocks | Lots | Markup:
    if name == "price":
        return Blocks((Block(None, _price(fields["price"])),))
    if name == "lots":
        lots = fields_of(fields["lots"], ("of", "price"))
        return Lots(number(lots["of"], field="of", places=QUANTITY_PLACES), _price(lots["price"]))
    if name == "markup":
        markup = fields_of(fields["markup"], ("percent",), ("fixed",))
        return Markup(_price(markup["percent"], "percent", 8), _price(markup.get("fixed", 0), "fixed"))
    if not isinstance(fields[name], list | tuple):
        raise Invalid(f"'{name}' must be a list", field=name)
    steps = []
    for index, raw in enumerate(fields[name]):
        with at(f"[{index}]"):
            block = fields_of(raw, ("price",), ("to",))
            to = number(block["to"], field="to", places=QUANTITY_PLACES) if "to" in block else None
            steps.append(Block(to, _price(block["price"])))
    return Blocks(tuple(steps), whole=_yes_or_no(fields, _REACHED) and len(steps) > 1)


def _yes_or_no(fields: Mapping[str, Any], name: str) -> bool:
    written = str(fields.get(name, "false")).lower()
    if written not in ("true", "false"):
        raise Invalid(f"{name} is true or false", field=name, value=fields[name])
    return written == "true"


def _read_where(fields: Mapping[str, Any], allowed: Mapping[str, tuple[str, ...]] | None) -> Conditions:
    match: list[tuple[str, Condition]] = []
    for key, raw in pairs_of(fields, "where"):
        with at(f"where.{key}"):
            if allowed is not None and key not in allowed:
                known = ", ".join(allowed) or "none"
                raise Invalid(f"attribute '{key}' is not one of the service's: {known}", field="where", value=key)
            match.append((key, read_condition(raw, () if allowed is None else allowed[key])))
    return tuple(sorted(match, key=lambda each: each[0]))


def _read_when(raw: Any) -> TimeWindow:
    with at("when"):
        fields = fields_of(raw, (), ("days", "from", "to"))
        days = fields.get("days", list(DAYS))
        if not isinstance(days, list | tuple) or any(str(day) not in DAYS for day in days):
            raise Invalid(f"days are a list of {', '.join(DAYS)}", field="when", value=days)
        numbers = tuple(sorted(DAYS.index(day) for day in days))
        return TimeWindow(numbers, _hour(fields.get("from", "00:00")), _hour(fields.get("to", "24:00")))


def _hour(raw: Any) -> int:
    written = str(raw)
    hours, _, minutes = written.partition(":")
    if not (hours.isdigit() and len(hours) == 2 and minutes == "00" and int(hours) <= 24):
        raise Invalid(f"'{written[:20]}' is not a full hour; write it in quotes like '22:00'", field="when", value=raw)
    return int(hours)


def _read_phases(fields: Mapping[str, Any], meter: Meter, known: Known) -> tuple[str, ...]:
    service = known.services.get(meter.slug.partition("/")[0])
    phases = service.phases if service else ()

    def phase(raw: Any) -> str:
        if str(raw) not in phases and not known.checked:
            raise Invalid(
                f"phase '{str(raw)[:60]}' is not one of the service's: {', '.join(phases) or 'none'}",
                field="phases",
                value=raw,
            )
        return str(raw)

    return each_of(fields, "phases", phase)


def _read_discount(raw: Any, known: Known, slugs: set[str]) -> Discount:
    optional = ("percent", "amount", "rates", "services", "from", "until")
    fields = fields_of(raw, ("discount", "name"), optional)

    def rate(each: Any) -> str:
        if str(each) not in slugs:
            raise Invalid(f"rate '{str(each)[:60]}' is not one of this card's", field="rates", value=each)
        return str(each)

    return Discount(
        slug=slug_of(fields["discount"], field="discount"),
        name=name_of(fields["name"], field="name"),
        percent=None if fields.get("percent") is None else _price(fields["percent"], "percent", 8),
        amount=None if fields.get("amount") is None else _price(fields["amount"], "amount"),
        rates=each_of(fields, "rates", rate),
        services=each_of(fields, "services", lambda each: _service(each, known)),
        starts_on=None if fields.get("from") is None else _day(fields["from"], "from"),
        ends_on=None if fields.get("until") is None else _day(fields["until"], "until"),
    )


def rate_card_form(card: WrittenCard) -> dict[str, Any]:
    """The inverse of `read_rate_card`."""
    version = card.version
    return {
        "rate-card": version.card,
        "name": card.name,
        "for": buyers_form(card.buyers),
        "currency": version.currency,
        "starts-on": version.starts_on.isoformat(),
        **({"at-renewal": card.at_renewal} if card.at_renewal else {}),
        "rates": [rate_form(rate) for rate in version.rates],
        **({"overhead": text(version.overhead)} if version.overhead else {}),
        **({"discounts": [_discount_form(each) for each in version.discounts]} if version.discounts else {}),
    }


def rate_form(rate: Rate) -> dict[str, Any]:
    """The inverse of `read_rate`."""
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
        form |= {"started": str(rate.started), "phases": list(rate.phases)}
    return form


def _pricing_form(pricing: Blocks | Lots | Markup) -> dict[str, Any]:
    match pricing:
        case Lots(size, price):
            return {"lots": {"of": text(size), "price": text(price)}}
        case Markup(percent, fixed):
            return {"markup": {"percent": text(percent), **({"fixed": text(fixed)} if fixed else {})}}
        case Blocks((only,)):
            return {"price": text(only.price)}
        case Blocks(steps, whole):
            written = [
                {**({} if step.to is None else {"to": text(step.to)}), "price": text(step.price)} for step in steps
            ]
            return {"blocks": written, **({_REACHED: True} if whole else {})}


def _discount_form(discount: Discount) -> dict[str, Any]:
    form: dict[str, Any] = {"discount": discount.slug, "name": discount.name}
    for name, number_ in (("percent", discount.percent), ("amount", discount.amount)):
        if number_ is not None:
            form[name] = text(number_)
    for name, listed in (("rates", discount.rates), ("services", discount.services)):
        if listed:
            form[name] = list(listed)
    for name, day in (("from", discount.starts_on), ("until", discount.ends_on)):
        if day is not None:
            form[name] = day.isoformat()
    return form


def _service(raw: Any, known: Known) -> str:
    if str(raw) not in known.services and not known.checked:
        raise Invalid(f"service '{str(raw)[:60]}' is not known", field="services", value=raw)
    return str(raw)


def _day(raw: Any, field: str) -> date:
    try:
        return date.fromisoformat(str(raw))
    except ValueError:
        raise Invalid(f"{field} must be a day, like 2026-01-01", field=field, value=str(raw)) from None


def _quantity(fields: Mapping[str, Any], name: str) -> Decimal:
    quantity = number(fields.get(name, 0), field=name, places=QUANTITY_PLACES)
    if quantity < 0:
        raise Invalid(f"{name} {text(quantity)} is negative", field=name, value=quantity)
    return quantity


def _price(raw: object, field: str = "price", places: int = AMOUNT_PLACES) -> Decimal:
    price = number(raw, field=field, places=places)
    if price < 0:
        raise Invalid(f"{field} {text(price)} is negative; only discounts lower a price", field=field, value=raw)
    return price
