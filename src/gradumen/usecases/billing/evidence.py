"""What billed charges were made from: of what names no owner only what the rules of then gave to them."""

from collections.abc import Collection
from datetime import timedelta

from gradumen.core.metering.ownership import ByUsage, Whose
from gradumen.core.periods import midnight
from gradumen.store.billing.evident_costs import CostEvidence, EvidentCost
from gradumen.store.billing.evident_readings import Evidence, EvidentReading, projects_of
from gradumen.store.billing.tables import ChargeRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.metering.owners import owners_by_rule


def readings_of(tx: Session, charge: ChargeRow, *, offset: timedelta, after: int, limit: int) -> list[EvidentReading]:
    """The readings that a charge was made from, in the order in which they came, after so many of them.

    Args:
        offset: of the seller's clocks from UTC, by which parts have their days.
    """
    evidence = Evidence(tx, charge, offset)
    if evidence.meter is None:
        return []
    alike = {each.place: (*each.place[:3], int(each.start.timestamp())) for each in evidence.nobodys()}
    whose = owners_by_rule(tx, evidence.meter.id, set(alike.values()), _rules_of(charge))
    others = {place for place, key in alike.items() if not _concerns(whose.get(key), evidence.projects)}
    if evidence.held:
        # What was said of something ends what was said of it before, though it says not whose it is.
        known = evidence.named() | {place[0] for place in alike.keys() - others}
        others = {place for place in others if alike[place] in whose or place[0] not in known}
    return evidence.read(others, after=after, limit=limit)


def costs_of(tx: Session, charge: ChargeRow, *, after: int, limit: int) -> list[EvidentCost]:
    """The rows of cost files that a charge was made from, by account and day, after so many of them."""
    evidence, projects = CostEvidence(tx, charge), frozenset(projects_of(tx, charge))
    alike = {place: (*place[:3], int(midnight(place[3]).timestamp())) for place in evidence.places()}
    whose = owners_by_rule(tx, evidence.meter, set(alike.values()), _rules_of(charge))
    others = {place for place, key in alike.items() if not _concerns(whose.get(key), projects)}
    return evidence.read(others, after=after, limit=limit)


def _rules_of(charge: ChargeRow) -> int:
    """Up to which rules had been replaced when it was charged; documents of before that was kept have the oldest."""
    return int(charge.explanation.get("replaced", 0))


def _concerns(whose: Whose | None, projects: Collection[int]) -> bool:
    """Whether something is of any of some projects, whole or in part; None is nobody's."""
    if whose is None:
        return False
    if isinstance(whose, ByUsage):
        return not whose.among or whose.remainder in projects or not whose.among.isdisjoint(projects)
    return any(project in projects for project, _ in whose)
