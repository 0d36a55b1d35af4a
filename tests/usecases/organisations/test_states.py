"""The states of organisations: who decides, what each means for them and all below, and what stands against closing."""

import threading
from datetime import date
from decimal import Decimal

import pytest

from gradumen.client import Client
from gradumen.core.errors import Conflict, Forbidden, Invalid, NotActive, NotFound, NotSignedIn
from gradumen.wire.organisations.organisations import OrganisationCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionCreate
from tests.usecases.billing.test_bill_runs import ADVANCE, paid_ahead
from tests.world import EMAILS, PASSWORD, World, egress, files, moment


def subscribe(client: Client, organisation: str, name: str) -> None:
    client.subscriptions.create(
        SubscriptionCreate(
            organisation=organisation, plan="open-range", tier="heath", name=name, starts_on=date(2026, 10, 1)
        )
    )


def sign_in(world: World, user: str) -> None:
    with Client(world.url) as client:
        client.sign_in(EMAILS[user], PASSWORD)


def bill(world: World, seller: str, user: str) -> None:
    """Bill a seller's months until nothing waits."""
    world.close(seller, user, "2026-09")
    for month in ("2026-10", "2026-11"):
        assert not world.user(user).spend.period_so_far(seller, month, wait=60).waiting


def test_who_is_suspended_looks_and_changes_nothing_nor_do_those_below(world: World) -> None:
    edda, ines = world.user("edda"), world.user("ines")
    suspended = world.mara.states.change("oxbow", "suspended", reason="Two invoices are overdue")
    assert (suspended.state, suspended.own, suspended.below) == ("suspended", "suspended", 2)
    told = ines.states.list("saltmarsh")
    assert (told.state, told.own, told.history) == ("suspended", "active", [])
    assert edda.organisations.get("oxbow").state == "suspended"
    for change in (
        lambda: edda.projects.create("oxbow", slug="more", name="More"),
        lambda: subscribe(edda, "saltmarsh", "More"),
        lambda: edda.quotas.grant("saltmarsh", "storage", None),
        lambda: ines.projects.create("saltmarsh", slug="more", name="More"),
        lambda: edda.states.change("saltmarsh", "closing", reason="Gone"),
    ):
        with pytest.raises(Forbidden):
            change()
    with pytest.raises(NotActive, match="Oxbow Managed IT is suspended"):
        subscribe(world.mara, "oxbow", "More")
    sign_in(world, "edda")
    assert edda.spend.period_so_far("oxbow", "2026-09").links, "it sees what it is charged"
    world.send(egress("e", 10**12))
    assert world.close("oxbow", "piers", "2026-09"), "what runs is metered, charged and billed"
    world.mara.states.change("oxbow", "active")
    subscribe(edda, "saltmarsh", "More")


def test_only_the_seller_decides_and_only_what_follows(world: World) -> None:
    for user, refusal in (("edda", Forbidden), ("piers", Forbidden), ("ines", NotFound), ("una", NotFound)):
        with pytest.raises(refusal):
            world.user(user).states.change("oxbow", "suspended", reason="Why not")
    with pytest.raises(Forbidden):
        world.mara.states.change("tarnwick", "suspended", reason="It has no seller")
    with pytest.raises(Conflict, match="active and cannot become closed: it can become suspended or closing"):
        world.mara.states.change("oxbow", "closed")
    with pytest.raises(Invalid, match="say why Oxbow Managed IT is to be suspended"):
        world.mara.states.change("oxbow", "suspended")
    with pytest.raises(Invalid, match="starts after today"):
        world.mara.states.change("oxbow", "suspended", starts_on=date(2026, 9, 1), reason="Late")
    assert world.mara.states.list("oxbow").history == []
    assert [each.state for each in world.mara.states.list("oxbow").next] == ["suspended", "closing"]
    assert world.user("edda").states.list("oxbow").next == [], "those who do not decide are offered nothing"


def test_what_is_planned_holds_from_its_day_and_can_be_withdrawn(world: World) -> None:
    mara, ends = world.mara, date(2026, 11, 1)
    mara.clock.set(moment("2026-10-10"), held=True)
    for _ in range(2):
        planned = mara.states.change("quillstone", "closing", starts_on=ends, reason="The contract ends")
    assert (planned.state, [each.planned for each in planned.history]) == ("active", [True])
    mara.states.withdraw_planned("quillstone")
    mara.states.withdraw_planned("quillstone")
    assert mara.states.list("quillstone").history == []
    mara.states.change("quillstone", "closing", starts_on=ends, reason="The contract ends")
    mara.clock.set(moment("2026-11-01 12:00"), held=True)
    assert mara.states.list("quillstone").state == "closing"
    with pytest.raises(NotActive, match="Quillstone Observatory is closing"):
        subscribe(mara, "quillstone", "More")
    taken = [entry for entry in mara.audit_entries.list("tarnwick") if entry.action == "state set"]
    assert len(taken) == 2, "asking again is no act"


def test_the_reason_is_between_an_organisation_and_its_seller(world: World) -> None:
    world.user("edda").states.change("saltmarsh", "suspended", reason="Owes for August")
    assert world.user("ines").states.list("saltmarsh").history[0].reason == "Owes for August"
    assert world.mara.states.list("saltmarsh").history[0].reason is None


def test_closing_ends_when_nothing_is_left(world: World) -> None:
    """Subscriptions, months to bill and buyers stand against it; quotas are released, and nobody signs in."""
    mara, edda = world.mara, world.user("edda")
    world.send(egress("e", 10**12))
    mara.quotas.grant("tarnwick", "storage", Decimal(100))
    mara.quotas.grant("quillstone", "storage", Decimal(40))
    mara.states.change("oxbow", "closing", reason="Sold")
    with pytest.raises(Conflict, match="it sells to 2 that are not closed"):
        mara.states.change("oxbow", "closed")
    mara.states.change("oxbow", "active")
    mara.states.change("quillstone", "closing", reason="Moves out")
    with pytest.raises(Conflict, match=r"1 subscription of it is not over; [0-9] months of it are not billed"):
        mara.states.change("quillstone", "closed")
    (subscription,) = mara.subscriptions.list("quillstone")
    mara.subscriptions.end(subscription.id, date(2026, 10, 1))
    mara.spend.period_so_far("tarnwick", "2026-11", wait=60)
    assert mara.states.list("quillstone").next[1].hindrances == ["2 months of it are not billed"]
    bill(world, "tarnwick", "finn")
    closed = mara.states.change("quillstone", "closed")
    assert (closed.state, closed.next) == ("closed", [])
    assert {each.measure: each.limit for each in mara.quotas.list("quillstone")}["storage"] == 0, "released"
    assert {each.measure: each.granted for each in mara.quotas.list("tarnwick")}["storage"] == 0
    assert mara.quotas.changes("quillstone")[0].released
    with pytest.raises(Conflict, match="closed and cannot become active: that is final"):
        mara.states.change("quillstone", "active")
    assert mara.invoices.list(organisation="quillstone"), "its documents are kept"
    assert edda.organisations.get("oxbow").state == "active"
    assert [each.slug for each in mara.organisations.list(state="closed")] == ["quillstone"]


def test_who_is_proposed_comes_in_on_its_day(world: World) -> None:
    mara = world.mara
    mara.clock.set(moment("2026-10-10"), held=True)
    body = OrganisationCreate(
        parent="tarnwick", type="tenant", slug="brasswick", name="Brasswick Opera", country="IE", currency="EUR",
        starts_on=date(2026, 10, 15),
    )  # fmt: skip
    assert mara.organisations.create(body).state == "proposed"
    subscribe(mara, "brasswick", "Prepared")
    with pytest.raises(Invalid, match="starts after today"):
        mara.organisations.create(body.model_copy(update={"slug": "other", "starts_on": date(2026, 10, 1)}))
    assert [each.slug for each in mara.organisations.list(state="proposed")] == ["brasswick"]
    mara.clock.set(moment("2026-10-15 12:00"), held=True)
    assert mara.organisations.get("brasswick").state == "active"


def test_who_is_closed_or_proposed_lets_nobody_in_that_has_nowhere_else(world: World) -> None:
    edda = world.user("edda")
    edda.states.change("saltmarsh", "closing", reason="Gone")
    for each in edda.subscriptions.list("saltmarsh"):
        edda.subscriptions.end(each.id, date(2026, 10, 1))
    bill(world, "oxbow", "piers")
    open_session = world.user("ines")
    assert open_session.organisations.get("saltmarsh").state == "closing"
    edda.states.change("saltmarsh", "closed")
    with pytest.raises(NotSignedIn, match="Saltmarsh Ferries is closed"):
        sign_in(world, "ines")
    with pytest.raises(NotFound):
        open_session.organisations.get("saltmarsh")
    assert open_session.organisations.list() == []


@pytest.mark.parametrize("ahead", [False, True])
def test_what_is_to_be_given_back_stands_against_closing(world: World, ahead: bool) -> None:
    """A month that was billed, in advance or not, and of which nothing is charged any more."""
    mara, since = world.mara, date(2026, 10, 1) if ahead else date(2026, 9, 1)
    mara.catalogue.publish("tarnwick", files(ADVANCE))
    made = mara.subscriptions.create(paid_ahead(since))
    for each in mara.subscriptions.list("quillstone"):
        if each.id != made.id:
            mara.subscriptions.end(each.id, each.starts_on)
    bill(world, "tarnwick", "finn")
    mara.subscriptions.end(made.id, since)
    mara.states.change("quillstone", "closing", reason="Gone")
    for month in ("2026-09", "2026-10", "2026-11"):
        mara.spend.period_so_far("tarnwick", month, wait=60)
    with pytest.raises(Conflict, match="not billed"):
        mara.states.change("quillstone", "closed")
    bill(world, "tarnwick", "finn")
    assert mara.states.change("quillstone", "closed").state == "closed"
    documents = mara.invoices.list(organisation="quillstone")
    assert sum(each.net for each in documents) == 0
    assert len(documents) == 2


def test_nothing_new_is_made_for_one_that_is_closed_at_that_moment(world: World) -> None:
    """A customer of it, or a subscription, and its end at once: one of them is refused, never both done."""
    mara = world.mara
    clients = [Client(world.url) for _ in range(2)]
    for client in clients:
        client.sign_in(EMAILS["mara"], PASSWORD)
    for number in range(8):
        slug = f"short-{number}"
        body = OrganisationCreate(
            parent="tarnwick", type="reseller", slug=slug, name=slug, country="IE", currency="EUR"
        )
        mara.organisations.create(body)
        mara.states.change(slug, "closing", reason="A try")
        below = body.model_copy(update={"parent": slug, "slug": f"below-{number}", "type": "tenant"})
        gate, done = threading.Barrier(2), []

        def close(slug: str = slug, gate: threading.Barrier = gate, done: list[str] = done) -> None:
            gate.wait()
            try:
                clients[0].states.change(slug, "closed")
                done.append("closed")
            except Conflict:
                pass

        def make(
            slug: str = slug, below: OrganisationCreate = below, gate: threading.Barrier = gate, done: list[str] = done
        ) -> None:
            gate.wait()
            try:
                clients[1].states.change(slug, "active")
                clients[1].organisations.create(below)
                done.append("made")
            except Conflict:
                pass

        threads = [threading.Thread(target=each) for each in (close, make)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60)
        assert len(done) == 1, done
    for client in clients:
        client.close()
