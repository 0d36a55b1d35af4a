"""Quotas through the interface: what is left, refusals with own figures, and races."""

import threading
from contextlib import suppress
from datetime import date
from decimal import Decimal

import pytest

from gradumen.client import Client
from gradumen.core.errors import (
    EditedMeanwhile,
    Forbidden,
    GradumenError,
    Invalid,
    NotFound,
    QuotaBelowGranted,
    QuotaExceeded,
    UnlimitedBelow,
)
from gradumen.core.permissions import Role
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.world import EMAILS, PASSWORD, World, files, moment


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


def test_who_was_given_nothing_has_none_where_its_giver_has_a_limit(world: World) -> None:
    def limits(slug: str, user: str = "mara") -> dict[str, Decimal | None]:
        return {each.measure: each.limit for each in world.user(user).quotas.list(slug)}

    assert limits("saltmarsh")["memory"] is None, "nobody above it has a limit"
    world.mara.quotas.grant("tarnwick", "memory", Decimal(512))
    assert limits("saltmarsh")["memory"] == limits("oxbow")["memory"] == 0
    with pytest.raises(QuotaExceeded, match="Saltmarsh Ferries can have at most 0 GiB"):
        world.user("edda").quotas.grant("saltmarsh", "memory", Decimal(1))
    world.mara.quotas.grant("oxbow", "memory", Decimal(64))
    assert (limits("oxbow")["memory"], limits("saltmarsh")["memory"]) == (64, 0)
    for measure in ("addresses", "egress"):
        world.user("edda").quotas.grant("saltmarsh", measure, Decimal(8))
        with pytest.raises(UnlimitedBelow, match="1 below Tarnwick Cloud have no limit of"):
            world.mara.quotas.grant("tarnwick", measure, Decimal(100))
        world.mara.quotas.grant("oxbow", measure, Decimal(20))
        world.mara.quotas.grant("tarnwick", measure, Decimal(100))
    with pytest.raises(QuotaExceeded, match="Saltmarsh Ferries can have at most 20 addresses: its 8 and the 12"):
        world.user("edda").quotas.grant("saltmarsh", "addresses", None)


def test_what_is_counted_grows_up_to_the_limit(world: World) -> None:
    """Users with those who are invited, projects, and organisations below: the refusal names the figures."""
    mara, edda = world.mara, world.user("edda")
    held = {each.measure: each for each in mara.quotas.list("oxbow")}
    assert [held[each].own for each in ("users", "projects", "organisations")] == [2, 0, 2]
    with pytest.raises(QuotaBelowGranted, match="Oxbow Managed IT has itself and has passed on 2 users, so 1 are"):
        mara.quotas.grant("oxbow", "users", Decimal(1))
    mara.quotas.grant("oxbow", "users", Decimal(5))
    edda.quotas.grant("saltmarsh", "users", Decimal(2))
    edda.invitations.create("oxbow", email="new@oxbow.example", role=Role.VIEWER)
    edda.invitations.create("oxbow", email="new@oxbow.example", role=Role.FINANCE)
    with pytest.raises(QuotaExceeded, match="Oxbow Managed IT may have 5 users; it has 3 and has passed on 2; ask its"):
        edda.invitations.create("oxbow", email="more@oxbow.example", role=Role.VIEWER)
    mara.quotas.grant("oxbow", "projects", Decimal(1))
    edda.projects.create("oxbow", slug="one", name="One")
    with pytest.raises(QuotaExceeded, match="Oxbow Managed IT may have 1 project; it has 1; ask its seller for more"):
        edda.projects.create("oxbow", slug="two", name="Two")
    mara.quotas.grant("oxbow", "organisations", Decimal(2))
    below = OrganisationCreate(parent="oxbow", type="tenant", slug="x", name="X", country="GB", currency="GBP")
    with pytest.raises(QuotaExceeded, match="Oxbow Managed IT may have 2 organisations; it has 2"):
        edda.organisations.create(below)


def test_own_tiers_and_what_is_passed_on_share_a_limit(world: World) -> None:
    """Invariant 3: whoever sells and uses itself has both within its limit, whichever comes first."""
    quotas = "plan: open-range\nname: Open Range\nservices: [compute, network]\ntiers:\n"
    quotas += "  - {tier: heath, name: Heath, quotas: {processors: 40}}\n  - {tier: moor, name: Moor}"
    world.mara.catalogue.publish("tarnwick", files(quotas))
    world.mara.quotas.grant("tarnwick", "processors", Decimal(1000))
    world.mara.quotas.grant("oxbow", "processors", Decimal(100))
    edda = world.user("edda")
    own = SubscriptionCreate(
        organisation="oxbow", plan="open-range", tier="heath", name="Own", starts_on=date(2026, 10, 1)
    )
    edda.quotas.grant("saltmarsh", "processors", Decimal(61))
    with pytest.raises(QuotaExceeded, match="this needs 40 vCPU, and of Oxbow Managed IT's 100 its other"):
        world.mara.subscriptions.create(own)
    edda.quotas.grant("saltmarsh", "processors", Decimal(60))
    world.mara.subscriptions.create(own)
    assert {each.measure: each.left for each in edda.quotas.list("oxbow")}["processors"] == 0
    with pytest.raises(QuotaExceeded, match="at most 60 vCPU: its 60 and the 0 that Oxbow Managed IT has free"):
        edda.quotas.grant("saltmarsh", "processors", Decimal(61))
    with pytest.raises(QuotaBelowGranted):
        world.mara.quotas.grant("oxbow", "processors", Decimal(99))


def test_of_many_at_once_exactly_those_that_fit_are_made(world: World) -> None:
    """Forty projects of one organisation that has room for ten: ten are made, each refusal names the limit."""
    world.mara.quotas.grant("quillstone", "projects", Decimal(11))
    clients = [Client(world.url) for _ in range(8)]
    for client in clients:
        client.sign_in(EMAILS["mara"], PASSWORD)
    made: list[str] = []
    refused: list[str] = []

    def ask(index: int) -> None:
        for number in range(5):
            slug = f"p-{index}-{number}"
            try:
                clients[index].projects.create("quillstone", slug=slug, name=slug)
                made.append(slug)
            except QuotaExceeded as error:
                refused.append(str(error))

    threads = [threading.Thread(target=ask, args=(index,)) for index in range(len(clients))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    for client in clients:
        client.close()
    assert (len(made), len(refused)) == (10, 30)
    assert len(world.mara.projects.list("quillstone")) == 11
    assert set(refused) == {"Quillstone Observatory may have 11 projects; it has 11; ask its seller for more"}


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


def test_a_limit_above_and_a_grant_below_at_once_leave_nobody_unlimited(world: World) -> None:
    """Where nobody has a limit, the first above and something passed on below meet: one waits, and sees the other."""
    clients = {user: Client(world.url) for user in ("mara", "edda")}
    for user, client in clients.items():
        client.sign_in(EMAILS[user], PASSWORD)
    for measure in ("memory", "machines", "addresses", "egress", "ingest"):
        gate = threading.Barrier(2)

        def ask(user: str, slug: str, limit: int, measure: str = measure, gate: threading.Barrier = gate) -> None:
            gate.wait()
            with suppress(QuotaExceeded, UnlimitedBelow):
                clients[user].quotas.grant(slug, measure, Decimal(limit))

        threads = [
            threading.Thread(target=ask, args=each) for each in (("mara", "tarnwick", 9), ("edda", "saltmarsh", 5))
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60)
        limits = [
            next(each.limit for each in world.mara.quotas.list(slug) if each.measure == measure)
            for slug in ("tarnwick", "oxbow", "saltmarsh")
        ]
        assert limits in ([9, 0, 0], [None, None, 5]), (measure, limits)
    for client in clients.values():
        client.close()


def test_limits_have_a_history_to_the_second(world: World) -> None:
    """Of what was set, not of what was asked again; with those of projects, and what closing gives back."""
    mara = world.mara
    mara.quotas.grant("tarnwick", "processors", Decimal(500))
    for day, limit in (("2026-10-06 08:00:07", 20), ("2026-10-07 09:30:00", 40), ("2026-10-07 10:00:00", 40)):
        mara.clock.set(moment(day), held=True)
        mara.quotas.grant("quillstone", "processors", Decimal(limit))
    mara.quotas.grant("quillstone", "processors", Decimal(8), project="archive")
    mara.quotas.grant("quillstone", "storage", None)
    found = mara.quotas.changes("quillstone")
    assert [(each.measure, each.project, each.limit) for each in found] == [
        ("storage", None, None),
        ("processors", "archive", 8),
        ("processors", None, 40),
        ("processors", None, 20),
    ]
    assert found[-1].changed_at == moment("2026-10-06 08:00:07")
    assert [each.limit for each in mara.quotas.changes("quillstone", measure="storage")] == [None]
    with pytest.raises(NotFound):
        world.user("edda").quotas.changes("quillstone")
