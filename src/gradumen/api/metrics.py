"""Route of metrics: what the service has to do, for a metrics server that fetches it."""

from datetime import datetime

from fastapi.responses import PlainTextResponse

from gradumen.api.calls import CallerHere, Uow
from gradumen.api.routers import Router
from gradumen.usecases.waiting import read_backlog

router = Router(tags=["health"])
CONTENT_TYPE = "text/plain; version=0.0.4; charset=utf-8"
"""Prometheus text exposition format."""


@router.get("/metrics", response_class=PlainTextResponse)
def read_metrics(uow: Uow, caller: CallerHere) -> PlainTextResponse:
    """How much waits and for how long, in the text format of Prometheus; for members of the provider."""
    found = read_backlog(uow, caller)

    def age(since: datetime | None) -> float:
        return max(0.0, (caller.at - since).total_seconds()) if since else 0.0

    gauges = {
        "usage_oldest_mark_seconds": ("Age of the oldest usage that is still to be made.", age(found.oldest_mark)),
        "pairs_stale": ("Sellers' months with a buyer that are to be rated.", found.stale_pairs),
        "pairs_oldest_stale_seconds": ("Since when the oldest of them waits.", age(found.oldest_pair)),
        "pairs_refused": ("Those of them that cannot be rated.", found.refused_pairs),
        "tasks_open": ("Tasks that wait or run.", found.tasks),
        "tasks_oldest_seconds": ("Since when the oldest of them was asked for.", age(found.oldest_task)),
        "tasks_needing_a_hand": ("Tasks that do not go on by themselves.", found.needing_a_hand),
    }
    lines = [
        line
        for name, (said, value) in gauges.items()
        for line in (f"# HELP gradumen_{name} {said}", f"# TYPE gradumen_{name} gauge", f"gradumen_{name} {value:g}")
    ]
    return PlainTextResponse("\n".join(lines) + "\n", media_type=CONTENT_TYPE)
