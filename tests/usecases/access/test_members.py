"""Members: invited, joined, changed, at rest and gone; passwords, sessions and what tokens may."""

import threading
from uuid import UUID

import pytest

from gradumen.client import Client
from gradumen.core.errors import (
    Conflict,
    Forbidden,
    GradumenError,
    Invalid,
    NeedsPassword,
    NotFound,
    NotSignedIn,
)
from gradumen.core.permissions import Role
from gradumen.wire.organisations.organisations import OrganisationCreate
from tests.world import EMAILS, PASSWORD, World, egress, join

NEW = "new@saltmarsh.example"


def user_id(world: World, who: str, organisation: str, email: str) -> UUID:
    return next(each.user_id for each in world.user(who).members.list(organisation) if each.email == email)


def test_an_invitation_is_for_one_address_once_and_for_a_week(world: World) -> None:
    ines = world.user("ines")
    first = ines.invitations.create("saltmarsh", email=NEW, role=Role.VIEWER)
    second = ines.invitations.create("saltmarsh", email=NEW.upper(), role=Role.FINANCE)
    assert [(each.email, each.role) for each in ines.invitations.list("saltmarsh")] == [(NEW.upper(), "finance")]
    with Client(world.url) as anybody:
        with pytest.raises(NotFound):
            anybody.invitations.accept(first.secret or "", name="New", password=PASSWORD)
        with pytest.raises(NotSignedIn, match="sign in as that user"):
            world.user("una").invitations.accept(second.secret or "")
        with pytest.raises(Invalid, match="password"):
            anybody.invitations.accept(second.secret or "", name="New", password="short")
        joined = anybody.invitations.accept(second.secret or "", name="New", password=PASSWORD)
        assert (joined.organisation, joined.role) == ("saltmarsh", "finance")
        with pytest.raises(NotFound):
            anybody.invitations.accept(second.secret or "", name="New", password=PASSWORD)
    assert world.user(NEW).organisations.get("saltmarsh").role == "finance"
    withdrawn = ines.invitations.create("saltmarsh", email="other@saltmarsh.example", role=Role.VIEWER)
    ines.invitations.withdraw(withdrawn.id)
    ines.invitations.withdraw(withdrawn.id)
    with Client(world.url) as anybody, pytest.raises(NotFound):
        anybody.invitations.accept(withdrawn.secret or "", name="O", password=PASSWORD)


def test_nobody_makes_itself_a_member_below(world: World) -> None:
    """From above only the first is invited, and nobody who is a member there; all of it is on both records."""
    with pytest.raises(Forbidden, match="manage members"):
        world.mara.invitations.create("saltmarsh", email="mine@tarnwick.example", role=Role.ADMINISTRATOR)
    edda = world.user("edda")
    edda.organisations.create(
        OrganisationCreate(parent="oxbow", type="tenant", slug="eft", name="Eft", country="GB", currency="GBP")
    )
    for own in (EMAILS["edda"], EMAILS["mara"].upper()):
        with pytest.raises(Conflict, match="a member of an organisation above eft"):
            edda.invitations.create("eft", email=own, role=Role.ADMINISTRATOR)
    with pytest.raises(Forbidden):
        world.user("piers").invitations.create("eft", email="a@eft.example", role=Role.ADMINISTRATOR)
    invited = edda.invitations.create("eft", email="a@eft.example", role=Role.ADMINISTRATOR)
    assert invited.invited_from == "oxbow"
    with Client(world.url) as anybody:
        anybody.invitations.accept(invited.secret or "", name="A", password=PASSWORD)
    with pytest.raises(Forbidden):
        edda.invitations.create("eft", email="b@eft.example", role=Role.ADMINISTRATOR)
    join(world, "a@eft.example", "eft", "b@eft.example", Role.VIEWER)
    above = {(each.action, each.concerns) for each in edda.audit_entries.list("oxbow", search="a@eft.example")}
    assert {("member invited", "eft"), ("member joined", None)} <= above
    below = {each.action: each for each in world.user("a@eft.example").audit_entries.list("eft")}
    assert below["member invited"].organisation in ("oxbow", "eft") and "member joined" in below
    told = world.user("a@eft.example").audit_entries.list("eft", action="member invited", search="a@eft")
    assert [(each.organisation, each.user, each.address) for each in told] == [("oxbow", "", "")]


def test_a_user_may_belong_to_several_organisations(world: World) -> None:
    invited = world.mara.invitations.create("tarnwick", email=EMAILS["una"], role=Role.VIEWER)
    una = world.user("una")
    with Client(world.url) as anybody, pytest.raises(NotSignedIn, match="has a sign-in already"):
        anybody.invitations.accept(invited.secret or "", name="U", password=PASSWORD)
    una.invitations.accept(invited.secret or "")
    assert {(each.organisation, each.role) for each in una.session().memberships} == {
        ("quillstone", "finance"),
        ("tarnwick", "viewer"),
    }
    # Whoever sets a password is that user everywhere.
    with pytest.raises(Forbidden, match="every organisation"):
        world.mara.members.make_password_reset("tarnwick", user_id(world, "mara", "tarnwick", EMAILS["una"]))


def test_the_last_administrator_stays(world: World) -> None:
    ines = world.user("ines")
    own = user_id(world, "ines", "saltmarsh", EMAILS["ines"])
    for act in (
        lambda: ines.members.change("saltmarsh", own, role=Role.VIEWER),
        lambda: ines.members.change("saltmarsh", own, disabled=True),
        lambda: ines.members.remove("saltmarsh", own),
    ):
        with pytest.raises(Conflict, match="last administrator"):
            act()
    join(world, "ines", "saltmarsh", NEW, Role.ADMINISTRATOR)
    both = [(ines, own), (world.user(NEW), user_id(world, "ines", "saltmarsh", NEW))]
    gate = threading.Barrier(2)
    outcomes: list[object] = []

    def leave(client: Client, who: UUID) -> None:
        gate.wait()
        try:
            client.members.remove("saltmarsh", who)
            outcomes.append("left")
        except GradumenError as refusal:
            outcomes.append(type(refusal))

    threads = [threading.Thread(target=leave, args=each) for each in both]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert sorted(map(str, outcomes)) == sorted(["left", str(Conflict)])


@pytest.mark.parametrize("user", ["piers", "viv@oxbow.example"])
def test_nobody_but_an_administrator_changes_a_member_also_not_itself(world: World, user: str) -> None:
    join(world, "edda", "oxbow", "viv@oxbow.example", Role.VIEWER)
    own = next(each for each in world.user(user).members.list("oxbow") if each.email == EMAILS.get(user, user))
    for act in ({"role": Role.ADMINISTRATOR}, {"role": Role.SENDER}, {"disabled": True}, {"disabled": False}):
        with pytest.raises(Forbidden, match="manage members"):
            world.user(user).members.change("oxbow", own.user_id, **act)  # type: ignore[arg-type]  # of either kind
    with pytest.raises(Forbidden):
        world.user(user).members.remove("oxbow", user_id(world, "edda", "oxbow", EMAILS["edda"]))
    assert world.user(user).session().memberships[0].role == own.role
    world.user(user).members.remove("oxbow", own.user_id)
    assert world.user(user).session().memberships == []


def test_a_reset_link_ends_where_its_user_joins_another_organisation(world: World) -> None:
    """Its maker would be that user there too."""
    who = user_id(world, "edda", "oxbow", EMAILS["piers"])
    secret = world.user("edda").members.make_password_reset("oxbow", who)
    invited = world.mara.invitations.create("tarnwick", email=EMAILS["piers"], role=Role.VIEWER)
    world.user("piers").invitations.accept(invited.secret or "")
    with Client(world.url) as anybody, pytest.raises(NotFound):
        anybody.sessions.reset_password(secret, "mine from now on")


def test_a_role_holds_from_the_next_call_on_also_for_tokens(world: World) -> None:
    edda, piers = world.user("edda"), world.user("piers")
    who = user_id(world, "edda", "oxbow", EMAILS["piers"])
    token = piers.tokens.create("oxbow", name="bills", role=Role.FINANCE)
    with Client(world.url, token.secret) as program:
        assert program.session().memberships[0].role == "finance"
        edda.members.change("oxbow", who, role=Role.VIEWER)
        assert program.session().memberships[0].role == "viewer"
        with pytest.raises(Forbidden):
            program.bill_runs.start("oxbow", "2026-09")
        edda.members.change("oxbow", who, disabled=True)
        with pytest.raises(NotSignedIn):
            program.session()
        assert piers.session().memberships == []
        edda.members.change("oxbow", who, disabled=False)
        assert program.session().memberships[0].role == "viewer"
        edda.members.remove("oxbow", who)
        edda.members.remove("oxbow", who)
        with pytest.raises(NotSignedIn):
            program.session()
    join_again = edda.invitations.create("oxbow", email=EMAILS["piers"], role=Role.FINANCE)
    piers.invitations.accept(join_again.secret or "")
    with Client(world.url, token.secret) as program, pytest.raises(NotSignedIn):
        program.session()


def test_tokens_make_neither_tokens_nor_members(world: World) -> None:
    edda = world.user("edda")
    token = edda.tokens.create("oxbow", name="all", role=Role.ADMINISTRATOR)
    other = edda.tokens.create("oxbow", name="see", role=Role.VIEWER)
    who = user_id(world, "edda", "oxbow", EMAILS["piers"])
    with Client(world.url, token.secret) as program:
        for act in (
            lambda: program.tokens.create("oxbow", name="x", role=Role.VIEWER),
            lambda: program.invitations.create("oxbow", email="x@oxbow.example", role=Role.VIEWER),
            lambda: program.members.change("oxbow", who, role=Role.ADMINISTRATOR),
            lambda: program.members.remove("oxbow", who),
            lambda: program.members.make_password_reset("oxbow", who),
            lambda: program.sessions.change_password(PASSWORD, "a longer password"),
        ):
            with pytest.raises(NeedsPassword):
                act()
    with Client(world.url, other.secret) as viewer:
        assert [each.name for each in viewer.tokens.list()] == ["see"]
        with pytest.raises(NotFound):
            viewer.tokens.revoke(token.id)
        viewer.tokens.revoke(other.id)
        with pytest.raises(NotSignedIn):
            viewer.tokens.list()


def test_a_sender_sends_to_its_feeds_and_reads_nothing(world: World) -> None:
    join(world, "mara", "tarnwick", "meters@tarnwick.example", Role.SENDER)
    world.mara.feeds.create("tarnwick", slug="south", name="South")
    world.mara.feeds.allow("tarnwick/south", "meters@tarnwick.example")
    world.mara.readings.send("tarnwick/south", [egress("not its own", 5)])
    token = world.user("meters@tarnwick.example").tokens.create("tarnwick", name="m", role=Role.SENDER)
    with Client(world.url, token.secret) as program:
        assert program.readings.send("tarnwick/south", [egress("a", 7)]).accepted == 1
        assert [each.accepted for each in program.feeds.deliveries("tarnwick/south")] == [1]
        for act in (
            lambda: program.readings.send("tarnwick/north-fell", [egress("b", 7)]),
            lambda: program.organisations.get("tarnwick"),
            lambda: program.usage.sum("tarnwick", "2026-09"),
            lambda: program.spend.period_so_far("tarnwick", wait=60),
            lambda: program.feeds.list("tarnwick"),
            lambda: program.members.list("tarnwick"),
        ):
            with pytest.raises(NotFound):
                act()
        assert program.organisations.list() == program.invoices.list() == program.catalogue.plans() == []
    assert len(world.mara.feeds.deliveries("tarnwick/south")) == 2


def test_a_password_is_changed_by_its_user_and_reset_by_a_link(world: World) -> None:
    una, elsewhere = world.user("una"), Client(world.url)
    elsewhere.sign_in(EMAILS["una"], PASSWORD)
    assert sorted(each.current for each in una.sessions.list()) == [False, True]
    with pytest.raises(NotSignedIn, match="current password"):
        una.sessions.change_password("wrong one here", "another good one")
    una.sessions.change_password(PASSWORD, "another good one")
    assert una.session().email == EMAILS["una"]
    with pytest.raises(NotSignedIn):
        elsewhere.session()
    secret = world.user("edda").members.make_password_reset("oxbow", user_id(world, "edda", "oxbow", EMAILS["piers"]))
    piers = world.user("piers")
    assert piers.session()
    with pytest.raises(Invalid):
        elsewhere.sessions.reset_password(secret, "short")
    elsewhere.sessions.reset_password(secret, "a third good one")
    with pytest.raises(NotSignedIn):
        piers.session()
    with pytest.raises(NotFound):
        elsewhere.sessions.reset_password(secret, "a fourth good one")
    assert elsewhere.sign_in(EMAILS["piers"], "a third good one").email == EMAILS["piers"]
    own = elsewhere.sessions.list()
    elsewhere.sessions.end(own[0].id)
    with pytest.raises(NotSignedIn):
        elsewhere.session()
    elsewhere.close()
