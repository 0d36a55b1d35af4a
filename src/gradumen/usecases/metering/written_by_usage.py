"""Rules that divide by what each used, as they are written: checked against what there is, and told."""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

from gradumen.core.catalogue.services import Combine, Meter
from gradumen.core.errors import Invalid
from gradumen.core.exact import MINOR_UNITS, QUANTITY_PLACES, scaled, text
from gradumen.core.metering.readings import in_base_units
from gradumen.core.metering.usage import DAY_SECONDS
from gradumen.store.metering.feeds import feeds_by_id, feeds_of
from gradumen.store.metering.ownership_rules import Stored
from gradumen.store.organisations.tables import OrganisationRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.catalogue.published import load_published
from gradumen.usecases.scope import Scope
from gradumen.wire.metering.ownership_rules import ByUsageForm, OwnershipRuleForm


def told_by_usage(tx: Session, seller: OrganisationRow, stored: Stored) -> ByUsageForm:
    """How a stored rule divides by usage, as it is written."""
    by = stored.row.by_usage or {}
    feeds = feeds_by_id(tx, by["feeds"])
    named = stored.owners[:-1] if stored.row.remainder else stored.owners
    return ByUsageForm(
        meter=by["meter_slug"],
        feeds=sorted(f"{seller.slug}/{each.slug}" for each in feeds.values()),
        among=[each.path for each in named],
        whole=None if by["whole"] is None else Decimal(by["whole"]),
        unit=by["unit"],
    )


class UsageDivisions:
    """Reads the rules of a seller that divide by usage, one after another."""

    def __init__(self, tx: Session, scope: Scope, seller: OrganisationRow) -> None:
        self._tx, self._seller = tx, seller
        published, above = load_published(tx), set(scope.tree.chain(seller.id))
        self._numbers = published.meter_ids
        self._meters: dict[str, Meter] = {
            slug: meter
            for service, meters in published.metered.items()
            if published.owners["service", service] in above
            for slug, meter in meters.items()
        }
        self._divided: list[tuple[str, str, str]] = []
        """A meter that is divided, by which other one, and the field that says so."""

    def read(
        self, rule: OwnershipRuleForm, conditions: Mapping[str, Any], projects: Sequence[str], where: str
    ) -> dict[str, Any] | None:
        """How a rule divides by usage, as it is stored; None where it does not.

        Args:
            conditions: of the rule, checked.
            projects: the ids of those among whom it divides.

        Raises:
            Invalid: it cannot; with its place in ``field``.
        """
        by, field = rule.by_usage, f"{where}.by_usage"
        if by is None:
            return None
        meter = self._key(by, f"{field}.meter")
        divides = self._divides(rule.name, conditions, where)
        self._divided += [(each, by.meter, f"{field}.meter") for each in divides]
        whole = self._whole(by, meter, rule, field)
        return {
            "meter": self._numbers[by.meter],
            "meter_slug": by.meter,
            "divides": divides,
            "feeds": self._feeds(by, f"{field}.feeds"),
            "among": list(projects),
            "whole": None if by.whole is None else text(by.whole),
            "unit": by.unit,
            "whole_millionths": whole,
        }

    def _key(self, by: ByUsageForm, field: str) -> Meter:
        meter = self._meters.get(by.meter)
        if meter is None or meter.unit.dimensions[0] in MINOR_UNITS:
            unknown = "is not known; use service/meter of a published service"
            wrong = unknown if meter is None else "counts money; divide by what is used"
            raise Invalid(f"meter '{by.meter[:130]}' {wrong}", field=field, value=by.meter[:130])
        return meter

    def _divides(self, name: str, conditions: Mapping[str, Any], where: str) -> list[str]:
        """The meters that a rule divides: a rule says which, so that none is divided by itself."""
        said = conditions.get("meter")
        named = [said] if isinstance(said, str) else said
        field = f"{where}.conditions.meter"
        if not isinstance(named, list):
            told = f"rule '{name}' divides by usage: its conditions name the meters that it divides, one or several"
            raise Invalid(told, field=field)
        for each in named:
            meter = self._meters.get(each)
            if meter is None or meter.combine is Combine.HELD:
                wrong = "is not known" if meter is None else "counts what holds until it changes; divide it by shares"
                raise Invalid(f"meter '{each[:130]}' {wrong}", field=field, value=each[:130])
        return list(named)

    def _feeds(self, by: ByUsageForm, field: str) -> list[int]:
        own = {f"{self._seller.slug}/{each.slug}": each.id for each in feeds_of(self._tx, self._seller.id)}
        for each in by.feeds:
            if each not in own:
                raise Invalid(f"'{each[:130]}' is no feed of {self._seller.name}", field=field, value=each[:130])
        return [own[each] for each in by.feeds]

    def _whole(self, by: ByUsageForm, meter: Meter, rule: OwnershipRuleForm, field: str) -> str | None:
        """What all would come to on a day, in millionths of what usage is counted in."""
        if by.whole is None:
            if by.unit is not None:
                raise Invalid("a unit is of a whole; say that too, or neither", field=f"{field}.whole")
            return None
        if rule.remainder is None:
            raise Invalid("of a whole something may be left: name a remainder, who has it", field=f"{field}.whole")
        if by.whole <= 0:
            raise Invalid("a whole is above 0", field=f"{field}.whole", value=text(by.whole))
        unit = by.unit or meter.reading_unit.text
        try:
            read, amount = meter.read_unit(unit)
            quantity = scaled(in_base_units(by.whole, read.factor, unit), QUANTITY_PLACES)
        except Invalid as problem:
            place = "unit" if "unit" in problem.facts.get("field", "unit") else "whole"
            raise Invalid(problem.message, field=f"{field}.{place}", value=unit) from problem
        is_level = meter.combine is not Combine.SUM and not amount
        return str(quantity * (DAY_SECONDS if is_level else 1))

    def check_no_circle(self) -> None:
        """Nothing that is divided is what it is divided by, also not by way of others.

        Raises:
            Invalid: something is; names one of the rules.
        """
        by: dict[str, set[str]] = {}
        for divided, key, _ in self._divided:
            by.setdefault(divided, set()).add(key)
        for divided, key, field in self._divided:
            found, new = set[str](), {key}
            while new:
                found |= new
                new = {further for each in new for further in by.get(each, ())} - found
            if divided in found:
                through = "itself" if divided == key else f"{key}, which is divided by {divided} again"
                raise Invalid(f"{divided} would be divided by {through}; divide it by something else", field=field,
                              value=key)  # fmt: skip
