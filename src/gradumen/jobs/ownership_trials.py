"""Does a trial of rules of ownership: looks at what came in span by span, then prices the months that they reach."""

from gradumen.jobs.leases import Held, now
from gradumen.jobs.marks import work_off
from gradumen.jobs.rating import uncollected
from gradumen.usecases.billing import ownership_trials as trials
from gradumen.usecases.metering.moved_usage import Looked


def make(held: Held) -> None:
    """Look, price, and keep what came of it; an attempt that was cut short is begun anew."""
    uow, trial = held.uow, held.lease.task
    with held.step("bring usage up to date") as step:
        step.result["marks worked off"] = work_off(uow)
    plan = trials.plan_trial(uow, lease=held.lease, at=now())
    with held.step("look at what came in") as step:
        looked, made = Looked(), 0
        total = sum((end - first).days for first, end in plan.windows)
        for window in plan.windows:
            held.progress(made, total)
            looked.take(trials.look_at(uow, looking=plan.looking, window=window, looked=looked))
            made += (window[1] - window[0]).days
        held.progress(made, total)
        step.result["moves"] = len(looked.moves)
    sides = None
    with held.step("price the months") as step, uncollected():
        after = trials.price_after(uow, trial=trial, at=now())
        if after is not None:
            reached, then = after
            sides = trials.price_before(uow, trial=trial, reached=reached, at=now()), then
            step.result["buyers"] = len({each for buyers in reached.values() for each in buyers})
    trials.end_trial(uow, lease=held.lease, outcome=trials.Outcome(plan, looked, sides))
