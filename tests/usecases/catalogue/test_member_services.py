"""Who is held to some services orders and sells plans of those only, by every way of doing it."""

from datetime import date

import pytest

from gradumen.client import Client
from gradumen.core.errors import Forbidden, Invalid, NotFound
from gradumen.core.permissions import Role
from gradumen.core.subscriptions.orders import OrderKind
from gradumen.wire.catalogue.member_services import MemberServices
from gradumen.wire.subscriptions.onboardings import OnboardingCreate, OnboardingSubscription
from gradumen.wire.subscriptions.orders import OrderCreate
from gradumen.wire.subscriptions.subscriptions import SubscriptionChange, SubscriptionCreate
from tests.world import PASSWORD, World, join

FLASK = OrderCreate(kind=OrderKind.SUBSCRIBE, day=date(2026, 11, 1), plan="open-range", tier="heath", name="Flask")


def member(world: World, inviter: str, organisation: str, *services: str) -> Client:
    """A finance person of an organisation who is held to services."""
    email = f"held@{organisation}.example"
    join(world, inviter, organisation, email, Role.FINANCE)
    admin = world.user(inviter)
    found = next(each for each in admin.members.list(organisation) if each.email == email)
    assert admin.member_services.set(organisation, found.user_id, services).services == sorted(services)
    client = Client(world.url)
    client.sign_in(email, PASSWORD)
    return client


def plan_services(world: World) -> list[str]:
    form = next(each.form for each in world.user("edda").catalogue.plans() if each.slug == "open-range")
    return list(form.services)


def test_a_customer_orders_what_it_is_held_to(world: World) -> None:
    whole = plan_services(world)
    assert len(whole) > 1, "a bundle: one of its services is not enough"
    with member(world, "ines", "saltmarsh", whole[0]) as held:
        assert held.session().memberships[0].services == [whole[0]]
        with pytest.raises(Forbidden, match=f"order {whole[1]}"):
            held.orders.place("saltmarsh", FLASK)
        mine = world.user("ines").subscriptions.list("saltmarsh")[0]
        for kind, more in ((OrderKind.CHANGE, {"quantity": 2}), (OrderKind.END, {})):
            wanted = OrderCreate(kind=kind, day=date(2026, 11, 1), subscription=mine.id, **more)
            with pytest.raises(Forbidden):
                held.orders.place("saltmarsh", wanted)
        user = next(each for each in world.user("ines").members.list("saltmarsh") if each.email.startswith("held"))
        world.user("ines").member_services.set("saltmarsh", user.user_id, whole)
        assert held.orders.place("saltmarsh", FLASK).what
        world.user("ines").member_services.set("saltmarsh", user.user_id, None)
        assert held.session().memberships[0].services is None
    entries = [each for each in world.user("ines").audit_entries.list("saltmarsh") if each.action == "member changed"]
    assert entries[0].after == {"services": None} and entries[-1].after == {"services": [whole[0]]}


def test_a_seller_sells_changes_and_approves_what_it_is_held_to(world: World) -> None:
    waiting = world.user("ines").orders.place("saltmarsh", FLASK)
    assert waiting.state == "waiting"
    with member(world, "edda", "oxbow") as held:
        new = SubscriptionCreate(
            organisation="saltmarsh", plan="open-range", tier="heath", name="Jar", starts_on=date(2026, 11, 1)
        )
        mine = world.user("edda").subscriptions.list("saltmarsh")[0]
        gull = OnboardingCreate(
            slug="gull", name="Gull", subscriptions=[OnboardingSubscription(plan="open-range", tier="moor")]
        )
        for act in (
            lambda: held.subscriptions.create(new),
            lambda: held.subscriptions.change(mine.id, SubscriptionChange(starts_on=date(2026, 11, 1), quantity=3)),
            lambda: held.subscriptions.end(mine.id, date(2026, 12, 1)),
            lambda: held.onboardings.make("oxbow", [gull]),
            lambda: held.orders.approve(waiting.id, waiting.amount),
        ):
            with pytest.raises(Forbidden, match="order"):
                act()
        assert held.orders.refuse(waiting.id, "Not ours").state == "refused"


def test_a_service_must_be_one_that_it_can_order(world: World) -> None:
    edda = world.user("edda")
    mine = next(each for each in edda.members.list("oxbow"))
    with pytest.raises(Invalid, match="no service that Oxbow Managed IT can order or sell"):
        edda.member_services.set("oxbow", mine.user_id, ["nothing-such"])
    with pytest.raises(NotFound):
        edda.member_services.set("saltmarsh-of-nobody", mine.user_id, None)
    with pytest.raises(Forbidden):
        world.user("mara").member_services.set("oxbow", mine.user_id, None)


def test_who_is_invited_is_held_from_the_first_day(world: World) -> None:
    edda = world.user("edda")
    invited = edda.invitations.create("oxbow", email="new@oxbow.example", role=Role.FINANCE)
    assert invited.secret
    edda.member_services.set_invited(invited.id, [])
    assert edda.invitations.list("oxbow")[0].services == []
    with Client(world.url) as client:
        assert client.invitations.accept(invited.secret, name="New", password=PASSWORD)
    assert next(each for each in edda.members.list("oxbow") if each.email == invited.email).services == []
    with pytest.raises(NotFound):
        edda.member_services.set_invited(invited.id, None)
    assert MemberServices(services=None).services is None
