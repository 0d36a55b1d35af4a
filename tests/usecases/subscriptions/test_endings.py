"""Trials, subscriptions and states that end are told before, once each time, to who may do something about it."""

from collections.abc import Callable
from datetime import UTC, date, datetime
from threading import Barrier, Thread

import pytest

from gradumen.core.messages import Kind
from gradumen.usecases.subscriptions.endings import tell_endings
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.conftest import Service
from tests.world import World, moment

pytestmark = pytest.mark.usefixtures("charged_anew")

Told = Callable[[str], list[tuple[str, str, str]]]


@pytest.fixture
def told(world: World, service: Service) -> Told:
    """On a day: who is told what, in which list, that was not told before."""
    seen: set[str] = set()

    def on(day: str) -> list[tuple[str, str, str]]:
        world.mara.clock.set(moment(f"{day} 09:00"), held=True)
        with service.worker.gate:
            tell_endings(service.uow, at=datetime.now(UTC))
        found = []
        for owner, reader in (("saltmarsh", "ines"), ("oxbow", "edda"), ("quillstone", "una"), ("tarnwick", "mara")):
            try:
                listed = world.user(reader).messages.list(owner)
            except Exception:  # noqa: BLE001  # who is no administrator reads no list
                listed = []
            for each in listed:
                if each.kind is Kind.ENDS_SOON and str(each.id) not in seen:
                    seen.add(str(each.id))
                    found.append((owner, each.email, each.subject))
        return sorted(found)

    return on


def subscribed(world: World, name: str, **given: object) -> None:
    wanted = {"organisation": "saltmarsh", "plan": "open-range", "tier": "moor", "name": name, **given}
    world.user("edda").subscriptions.create(SubscriptionCreate.model_validate(wanted))


def test_a_trial_is_told_twice_with_what_it_will_cost(world: World, told: Told) -> None:
    subscribed(world, "Charts", starts_on=date(2026, 10, 5), trial_until=date(2026, 11, 5))
    assert told("2026-10-21") == []
    [first] = told("2026-10-22")
    assert first == (
        "saltmarsh", "ines@saltmarsh.example",
        "Saltmarsh Ferries: the trial of Charts (Open Range Moor) ends with 4 November 2026",
    )  # fmt: skip
    assert told("2026-10-23") == [] and told("2026-11-01") == []
    [second] = told("2026-11-02")
    assert second == first
    [todo] = [each for each in world.user("ines").to_dos.list("saltmarsh") if each.kind == "ending"]
    assert todo.detail == "From 5 November 2026 on it costs 75.05 GBP a month and what it uses."
    assert told("2026-11-05") == [] and told("2026-11-06") == []


def test_what_ends_with_its_trial_and_what_just_ends(world: World, told: Told) -> None:
    subscribed(world, "Tried", starts_on=date(2026, 10, 5), trial_until=date(2026, 10, 26), ends_on=date(2026, 10, 26))
    subscribed(world, "Short", starts_on=date(2026, 10, 5), ends_on=date(2026, 10, 26))
    subjects = [subject for _, _, subject in told("2026-10-13")]
    assert subjects == [
        "Saltmarsh Ferries: Short (Open Range Moor) ends with 25 October 2026",
        "Saltmarsh Ferries: the trial of Tried (Open Range Moor) ends with 25 October 2026",
    ]
    todos = [each for each in world.user("edda").to_dos.list("oxbow") if each.kind == "ending"]
    assert [each.title.partition(": ")[0] for each in todos] == ["Saltmarsh Ferries"] * 2
    assert all(each.subject == "/organisations/saltmarsh/subscriptions" for each in todos)
    own = sorted(each.title for each in world.user("ines").to_dos.list("saltmarsh") if each.kind == "ending")
    assert own == ["Short (Open Range Moor) ends with 25 October 2026",
                   "The trial of Tried (Open Range Moor) ends with 25 October 2026"]  # fmt: skip
    assert not [each for each in world.mara.to_dos.list("tarnwick") if each.kind == "ending"]


def test_a_short_trial_is_told_once_and_what_changes_its_day_anew(world: World, told: Told) -> None:
    subscribed(world, "Week", starts_on=date(2026, 10, 6), trial_until=date(2026, 10, 13))
    assert told("2026-10-07") == [] and len(told("2026-10-10")) == 1
    subscribed(world, "Ends", starts_on=date(2026, 10, 10))
    [ends] = [each for each in world.user("edda").subscriptions.list("saltmarsh") if each.name == "Ends"]
    world.user("edda").subscriptions.end(ends.id, date(2026, 10, 28))
    assert told("2026-10-11") == []
    assert len(told("2026-10-14")) == 1
    world.user("edda").subscriptions.end(ends.id, date(2026, 10, 29))
    assert len(told("2026-10-15")) == 1, "another day is another ending"


def test_a_planned_state_is_told_to_administrators(world: World, told: Told) -> None:
    world.user("edda").states.change("saltmarsh", "closing", starts_on=date(2026, 10, 30), reason="It moves away")
    assert told("2026-10-16") == [
        ("saltmarsh", "ines@saltmarsh.example", "Saltmarsh Ferries: it will be closing from 30 October 2026 on"),
    ]  # fmt: skip
    assert told("2026-10-20") == []
    assert len(told("2026-10-27")) == 1


def test_two_workers_tell_once(world: World, service: Service) -> None:
    subscribed(world, "Charts", starts_on=date(2026, 10, 5), trial_until=date(2026, 11, 5))
    world.mara.clock.set(moment("2026-10-22 09:00"), held=True)
    gate, counts = Barrier(4), []

    def work() -> None:
        gate.wait()
        counts.append(tell_endings(service.uow, at=datetime.now(UTC)))

    threads = [Thread(target=work) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sum(counts) == 1
    assert len([each for each in world.user("ines").messages.list("saltmarsh") if each.kind is Kind.ENDS_SOON]) == 1
