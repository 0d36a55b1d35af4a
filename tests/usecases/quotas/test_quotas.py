"""Quotas through the interface: what is left, refusals with own figures, and races."""

import threading
from decimal import Decimal

import pytest

from gradumen.client import Client
from gradumen.core.errors import (
    EditedMeanwhile,
    Forbidden,
    GradumenError,
    Invalid,
    QuotaBelowGranted,
    QuotaExceeded,
    UnlimitedBelow,
)
from tests.world import EMAILS, PASSWORD, World


def test_what_is_granted_shows_on_both_sides(world: World) -> None:
    world.mara.quotas.grant("tarnwick", "processors", Decimal(100))
    world.mara.quotas.grant("oxbow", "processors", Decimal(60), label="shared pool")
    world.user("edda").quotas.grant("saltmarsh", "processors", Decimal(25))

    found = {quota.measure: quota for quota in world.user("edda").quotas.list("oxbow")}
    assert (found["processors"].limit, found["processors"].granted, found["processors"].left) == (60, 25, 35)
    assert found["processors"].label == "shared pool"


def test_nobody_gives_more_than_it_has_and_sees_only_its_own_figures(world: World) -> None:
    world.mara.quotas.grant("tarnwick", "storage", Decimal(1000))
    world.mara.quotas.grant("oxbow", "storage", Decimal(100))
    edda = world.user("edda")
    edda.quotas.grant("thistledown", "storage", Decimal(70))

    with pytest.raises(QuotaExceeded) as refused:
        edda.quotas.grant("saltmarsh", "storage", Decimal(31))
    assert refused.value.facts["left"] == "30"
    assert refused.value.facts["holder"] == "oxbow"
    assert "1000" not in str(refused.value)
    with pytest.raises(QuotaExceeded, match="at most 30 GiB"):
        edda.quotas.grant("saltmarsh", "storage", None)
    with pytest.raises(QuotaBelowGranted, match="take 10 back below it"):
        world.mara.quotas.grant("oxbow", "storage", Decimal(60))
    assert edda.quotas.grant("saltmarsh", "storage", Decimal(30)).limit == 30
    assert edda.quotas.grant("saltmarsh", "storage", Decimal(30)).limit == 30, "asking again changes nothing"


def test_a_limit_cannot_come_above_one_without(world: World) -> None:
    world.mara.quotas.grant("oxbow", "storage", None)
    world.user("edda").quotas.grant("saltmarsh", "storage", None)
    with pytest.raises(UnlimitedBelow):
        world.mara.quotas.grant("oxbow", "storage", Decimal(10))


def test_projects_share_what_their_organisation_has(world: World) -> None:
    world.mara.quotas.grant("oxbow", "processors", Decimal(20))
    world.user("edda").quotas.grant("saltmarsh", "processors", Decimal(10))
    ines = world.user("ines")
    ines.quotas.grant("saltmarsh", "processors", Decimal(7), project="booking")
    with pytest.raises(QuotaExceeded, match="at most 3 vCPU"):
        ines.quotas.grant("saltmarsh", "processors", Decimal(4), project="harbour")
    with pytest.raises(Forbidden):
        ines.quotas.grant("saltmarsh", "processors", Decimal(20))


def test_an_edit_of_something_changed_meanwhile_is_refused(world: World) -> None:
    seen = world.mara.quotas.grant("oxbow", "processors", Decimal(20))
    world.mara.quotas.grant("oxbow", "processors", Decimal(21))
    with pytest.raises(EditedMeanwhile):
        world.mara.quotas.grant("oxbow", "processors", Decimal(30), version=seen.version)


@pytest.mark.parametrize("asked", [Decimal(-1), Decimal("0.1234567"), Decimal("1e39"), Decimal("1e-30")])
def test_a_limit_that_is_none_is_refused(world: World, asked: Decimal) -> None:
    with pytest.raises(Invalid):
        world.mara.quotas.grant("oxbow", "processors", asked)
    with pytest.raises(Invalid):
        world.mara.quotas.grant("tarnwick", "processors", asked)


def test_grants_at_once_never_exceed_the_limit_together(world: World) -> None:
    """Two callers at a gate, again and again: each grant of 60 of 100 fits alone, so exactly one is made."""
    world.mara.quotas.grant("tarnwick", "processors", Decimal(100))
    targets = ["oxbow", "quillstone"]
    clients = [Client(world.url) for _ in targets]
    for client in clients:
        client.sign_in(EMAILS["mara"], PASSWORD)
    for _ in range(25):
        for target in targets:
            world.mara.quotas.grant(target, "processors", Decimal(0))
        gate = threading.Barrier(len(targets))
        refused: list[GradumenError] = []

        def ask(index: int, gate: threading.Barrier = gate, refused: list[GradumenError] = refused) -> None:
            gate.wait()
            try:
                clients[index].quotas.grant(targets[index], "processors", Decimal(60))
            except QuotaExceeded as error:
                refused.append(error)

        threads = [threading.Thread(target=ask, args=(index,)) for index in range(len(targets))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60)
        limits = [world.mara.quotas.list(target)[0].limit or Decimal(0) for target in targets]
        assert sorted(limits) == [0, 60]
        assert len(refused) == 1
        assert refused[0].facts["left"] == "40"
    for client in clients:
        client.close()
