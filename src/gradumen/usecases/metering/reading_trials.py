"""One reading looked at: what it would be and whose, by which rules; nothing is taken in."""

from datetime import UTC
from decimal import Decimal

from gradumen.core.metering.kinds import Facts, Kinds, Sent
from gradumen.core.metering.readings import in_base_units, read_attributes, read_quantity, read_text
from gradumen.core.permissions import Right
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.catalogue.names import meter_name
from gradumen.usecases.catalogue.published import Published, load_published
from gradumen.usecases.metering.kinds import catalogue_of, kept_as, rules_of
from gradumen.usecases.metering.owners import Owners
from gradumen.usecases.metering.written_kinds import read_rules
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.wire.metering.kind_rules import ReadingTrial, ReadingTrialBody, TakingRuleBody
from gradumen.wire.metering.ownership_rules import QuantityBody


@use_case
def try_reading(tx: Session, caller: Caller, *, organisation: str, trial: ReadingTrial) -> ReadingTrialBody:
    """What a reading of a seller's feed would be, and whose where it names nobody.

    Raises:
        Forbidden: the caller does not manage feeds there.
        Invalid: something of the reading, or of the rules that it is tried by, cannot be.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    scope.require_member(Right.MANAGE_FEEDS, seller)
    published = load_published(tx)
    stored = rules_of(tx, seller.id)
    rules = stored if trial.rules is None else read_rules(published, scope, seller.id, trial.rules)[1]
    kinds = Kinds(rules, catalogue_of(published))
    facts = Facts(
        read_text(trial.feed, "feed"),
        None if trial.account is None else read_text(trial.account, "account"),
        read_text(trial.source, "source"),
        read_text(trial.resource, "resource"),
    )
    sent, quantity = _sent(trial, published)
    start = trial.start.astimezone(UTC)
    found = kinds.find(facts, sent, start.date())
    kept = kept_as(found, sent, quantity, published.meter_ids)
    kind = found.kind if kept.why is None else None
    owners = Owners(tx, [], start, start, sellers=[seller.id], all_meters=True)
    said = {**dict(sent.attributes), **dict(kind.attributes if kind else ())}
    meter = None if kind is None else kind.meter
    whose = owners.whose(seller.id, {**facts._asdict(), "meter": meter}, said, start)
    return ReadingTrialBody(
        meter=meter,
        attributes=dict(kind.attributes) if kind else {},
        quantity=None if meter is None else _quantity(meter, Decimal(kept.quantity), published, amount=kept.amount),
        taken_by=[
            TakingRuleBody(name=each.name, conditions=each.conditions.specificity[0])
            for each in kinds.taking(facts, sent, start.date())
        ],
        why=None if kept.why is None else kept.why.message,
        owner=None if whose is None else whose.owner,
        owner_rule=None if whose is None else whose.rule.name,
    )


def _sent(trial: ReadingTrial, published: Published) -> tuple[Sent, Decimal]:
    """What it was sent as, and its quantity so; of a meter that is published in that one's base unit."""
    name, unit = read_text(trial.meter, "meter"), read_text(trial.unit, "unit")
    quantity, attributes = read_quantity(trial.quantity), read_attributes(trial.attributes)
    meter = published.meters.get(name)
    if meter is None:
        return Sent(name, unit, attributes, trial.held), quantity
    read, amount = meter.read_unit(unit)
    if amount:
        return Sent(name, unit, attributes, trial.held), quantity
    return Sent(name, meter.reading_unit.text, attributes, trial.held), in_base_units(quantity, read.factor, unit)


def _quantity(meter: str, quantity: Decimal, published: Published, *, amount: bool) -> QuantityBody:
    """What one reading says, of a level without the time that it covers."""
    found = published.meters[meter]
    unit = (found.unit if amount else found.reading_unit).text
    return QuantityBody(meter=meter, meter_name=meter_name(meter, published), unit=unit, quantity=quantity)
