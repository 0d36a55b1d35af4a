"""What is kept, and for how long, is told to everybody, and what is long over is forgotten."""

from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import text

from gradumen.core.errors import NotSignedIn
from gradumen.core.retentions import RETENTIONS, TASKS
from gradumen.usecases.retentions import BY_ITSELF, forget_tasks
from tests.conftest import Service
from tests.world import World


def test_it_is_told_to_everybody_who_is_signed_in(world: World) -> None:
    told = world.mara.retentions.list()
    assert [each.kind for each in told] == [each.kind for each in RETENTIONS]
    assert world.user("ines").retentions.list() == told
    by_kind = {each.kind.split(" ")[0]: each.days for each in told}
    assert (by_kind["Readings"], by_kind["Messages"], by_kind["Sessions"]) == (None, 180, 0)
    world.mara.connection.http.cookies.clear()
    with pytest.raises(NotSignedIn):
        world.mara.retentions.list()


def test_what_the_service_did_by_itself_is_forgotten_once_that_is_long_ago(world: World, service: Service) -> None:
    now = datetime.now(UTC)
    made = {}
    with service.worker.gate, service.uow.engine.begin() as connection:
        connection.execute(text("DELETE FROM tasks WHERE kind = 'months of readings'"))
        for kind in (*BY_ITSELF, "onboarding", "bill run"):
            for state, days in (("done", 401), ("done", 399), ("needs a hand", 500), ("waiting", 500)):
                name = f"{kind} {state} {days}"
                at = (now - timedelta(days=days)).replace(tzinfo=None)
                connection.execute(
                    text(
                        "INSERT INTO tasks (id, kind, subject, state, inputs, made, counted, attempts, not_before, "
                        "fence, asked_at, finished_at) VALUES (UUID(), :kind, :name, :state, '{}', 0, '', 0, "
                        ":due, 0, :at, :at)"
                    ),
                    # What waits is not to be begun while this test looks.
                    {"kind": kind, "name": name, "state": state, "at": at,
                     "due": "2099-01-01" if state == "waiting" else at},
                )  # fmt: skip
                made[name] = kind in BY_ITSELF and days == 401
    forget_tasks(service.uow, at=now)
    with service.uow.engine.connect() as connection:
        left = set(
            connection.scalars(text("SELECT subject FROM tasks WHERE asked_at < :at"), {"at": now - timedelta(1)})
        )
    assert left == {name for name, gone in made.items() if not gone}
    assert timedelta(days=400) == TASKS
