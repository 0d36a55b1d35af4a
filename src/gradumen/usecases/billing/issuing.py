"""Issuing many drafts: one call, and a task that issues them one after the other."""

from uuid import UUID

from gradumen.core.errors import Conflict, NotFound
from gradumen.store import tasks
from gradumen.store.billing.invoices import states_of
from gradumen.store.unit_of_work import Session, use_case
from gradumen.usecases.billing.bill_runs import require_billing
from gradumen.usecases.scope import Caller, get_organisation, load_scope
from gradumen.usecases.tasks import ISSUE, task_body
from gradumen.wire.tasks import TaskBody


@use_case
def start_issuing(tx: Session, caller: Caller, *, organisation: str, invoices: list[UUID] | None) -> TaskBody:
    """Ask for drafts of a seller to be issued, in the order of their buyers' names; without a list all of them.

    Raises:
        NotFound: one of them is none of the seller's drafts or documents.
        Conflict: there is nothing to issue.
    """
    scope = load_scope(tx, caller)
    seller = get_organisation(tx, scope, organisation)
    require_billing(scope, seller)
    rows = states_of(tx, seller.id, invoices)
    missing = set(invoices or ()) - {invoice for invoice, _ in rows}
    if missing:
        raise NotFound("invoice", next(iter(missing)))
    drafts = [invoice for invoice, state in rows if state == "draft"]
    if not drafts:
        raise Conflict(f"'{seller.slug}' has no drafts to issue; a bill run makes them")
    task = tasks.add_task(
        tx,
        ISSUE,
        f"{len(drafts)} drafts of {seller.slug}" if len(drafts) > 1 else f"1 draft of {seller.slug}",
        at=caller.at,
        organisation=seller.id,
        asked_by=caller.user_id,
        inputs={
            "invoices": [str(each) for each in drafts],
            "token": str(caller.token_id) if caller.token_id else None,
            "address": caller.address,
        },
        counted="drafts",
        total=len(drafts),
    )
    return task_body(tx, task)
