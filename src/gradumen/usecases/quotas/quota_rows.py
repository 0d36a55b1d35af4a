"""Quota rows: written before every decision about them, so that rivals meet."""

from decimal import Decimal
from uuid import UUID

from gradumen.core.quotas.quotas import Measure
from gradumen.store.organisations.tables import OrganisationRow, ProjectRow
from gradumen.store.quotas import quotas
from gradumen.store.quotas.tables import QuotaRow
from gradumen.store.unit_of_work import Session
from gradumen.usecases.scope import Scope


def lock_quota(
    tx: Session, scope: Scope, owner: OrganisationRow, holder_id: UUID, project: ProjectRow | None, measure: Measure
) -> None:
    """Write the row that rivals also write, making it where it is new. From the top of the tree down."""
    absent = absent_quota(scope, owner, holder_id, project, measure)
    values = {
        "holder_id": holder_id,
        "measure": measure,
        "organisation_id": owner.id,
        "project_id": project.id if project else None,
        "giver_id": absent.giver_id,
        "limit_value": absent.limit_value,
        "reservation": Decimal(0),
        "factor": Decimal(1),
        "label": None,
        "version": 0,
    }
    quotas.lock_quota(tx, values)


def absent_quota(
    scope: Scope, owner: OrganisationRow, holder_id: UUID, project: ProjectRow | None, measure: Measure
) -> QuotaRow:
    """What somebody holds who was never given anything: nothing; only the provider begins without limit."""
    parent = scope.tree.parents.get(owner.id)
    unlimited = parent is None and project is None
    return QuotaRow(
        holder_id=holder_id,
        measure=measure,
        organisation_id=owner.id,
        project_id=project.id if project else None,
        giver_id=owner.id if project else parent,
        limit_value=None if unlimited else Decimal(0),
        reservation=Decimal(0),
        factor=Decimal(1),
        label=None,
        version=0,
    )
