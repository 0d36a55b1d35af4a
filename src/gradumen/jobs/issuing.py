"""Issues many drafts, one transaction each, as the user who asked for it."""

from dataclasses import replace
from uuid import UUID

from gradumen.core.errors import Conflict, GradumenError
from gradumen.jobs.leases import Held, now
from gradumen.usecases.access.sessions import caller_of_user
from gradumen.usecases.billing.invoices import issue_invoice

TOLD = 20
"""Progress is told once in so many documents."""


def issue(held: Held) -> None:
    """Issue the drafts named, in their order; those that are issued already stay as they are.

    Raises:
        Conflict: some could not be issued; the step's log says which and why.
    """
    token = held.lease.inputs["token"]
    wanted = [UUID(each) for each in held.lease.inputs["invoices"]]
    if held.lease.asked_by is None:
        raise Conflict("nobody asked for this")
    refused = 0
    with held.step("issue", drafts=len(wanted)) as step:
        for number, invoice in enumerate(wanted, 1):
            caller = replace(
                caller_of_user(held.uow, user=held.lease.asked_by, at=now()),
                token_id=UUID(token) if token else None,
                address=held.lease.inputs["address"],
            )
            try:
                issue_invoice(held.uow, caller, invoice_id=invoice)
            except GradumenError as problem:
                refused += 1
                step.say(f"{invoice}: {problem.message}")
            if number % TOLD == 0 or number == len(wanted):
                held.progress(number - refused, len(wanted))
        step.result.update(issued=len(wanted) - refused, refused=refused)
        if refused:
            raise Conflict(f"{refused} of {len(wanted)} drafts could not be issued; the log names them")
