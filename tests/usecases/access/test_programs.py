"""Programs that are planned with an invitation: who joins collects each one's token, once."""

from uuid import uuid4

import httpx
import pytest

from gradumen.client import Client
from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound
from gradumen.core.permissions import Role
from gradumen.wire.access.programs import ProgramPlan
from tests.world import PASSWORD, World, join

SENDS = ProgramPlan(name="Night upload", role=Role.SENDER, days=30)
READS = ProgramPlan(name="Ledger", role=Role.VIEWER)


def keeper(world: World) -> Client:
    """A viewer of oxbow for whom two programs are planned."""
    join(world, "edda", "oxbow", "keeper@oxbow.example", Role.VIEWER, [SENDS, READS])
    client = Client(world.url)
    client.sign_in("keeper@oxbow.example", PASSWORD)
    return client


def test_who_joins_collects_each_token_once_and_it_acts_as_planned(world: World) -> None:
    with keeper(world) as kay:
        assert [(each.name, each.role, each.days, each.organisation) for each in kay.programs.list()] == [
            ("Ledger", Role.VIEWER, 90, "oxbow"),
            ("Night upload", Role.SENDER, 30, "oxbow"),
        ]
        ledger, upload = kay.programs.list()
        assert kay.tokens.list() == [], "nothing is made before it is collected"
        made = kay.programs.collect_token(ledger.id)
        assert made.secret and (made.role, made.name) == (Role.VIEWER, "Ledger")
        assert [each.name for each in kay.programs.list()] == ["Night upload"]
        with pytest.raises(Conflict, match="collected already"):
            kay.programs.collect_token(ledger.id)
        with pytest.raises(Conflict, match="withdraw that"):
            kay.programs.drop(ledger.id)
        kay.programs.drop(upload.id)
        kay.programs.drop(upload.id)
        with pytest.raises(Conflict, match="given up"):
            kay.programs.collect_token(upload.id)
        assert [each.name for each in kay.tokens.list()] == ["Ledger"]
    with Client(world.url, token=made.secret) as program:
        assert program.organisations.get("oxbow").slug == "oxbow"
        with pytest.raises(Forbidden, match="password"):
            program.programs.collect_token(upload.id)


def test_nobody_else_collects_it_and_no_member_any_more_neither(world: World) -> None:
    edda = world.user("edda")
    invited = edda.invitations.create("oxbow", email="late@oxbow.example", role=Role.VIEWER, programs=[READS])
    assert [each.name for each in edda.invitations.list("oxbow")[0].programs] == ["Ledger"]
    assert edda.programs.list() == [], "it waits for the one who is invited"
    with keeper(world) as kay:
        planned = kay.programs.list()[0].id
        for other in ("edda", "mara", "ines"):
            with pytest.raises(NotFound):
                world.user(other).programs.collect_token(planned)
        with pytest.raises(NotFound):
            kay.programs.collect_token(uuid4())
        member = next(each for each in edda.members.list("oxbow") if each.email.startswith("keeper"))
        edda.members.change("oxbow", member.user_id, disabled=True)
        assert kay.programs.list() == []
        with pytest.raises(NotFound):
            kay.programs.collect_token(planned)
        edda.members.change("oxbow", member.user_id, disabled=False, role=Role.SENDER)
        with pytest.raises(Forbidden):
            kay.programs.collect_token(planned)
    edda.invitations.withdraw(invited.id)


@pytest.mark.parametrize(
    ("program", "said"),
    [
        (ProgramPlan(name="Boss", role=Role.ADMINISTRATOR), "no more than late@oxbow"),
        (ProgramPlan(name="Old", role=Role.VIEWER, days=9000), "1 to 366 days"),
        (ProgramPlan(name=" ", role=Role.VIEWER), "programs"),
    ],
)
def test_a_program_may_no_more_than_who_answers_for_it(world: World, program: ProgramPlan, said: str) -> None:
    edda = world.user("edda")
    with pytest.raises(Invalid, match=said):
        edda.invitations.create("oxbow", email="late@oxbow.example", role=Role.VIEWER, programs=[program])
    assert not [each for each in edda.invitations.list("oxbow") if each.email.startswith("late")]


def test_too_many_are_refused_by_the_body(world: World) -> None:
    path = f"{world.url}/api/v1/organisations/oxbow/invitations"
    http: httpx.Client = world.user("edda").connection.http
    body = {"email": "late@oxbow.example", "role": "viewer", "programs": [{"name": f"p{n}"} for n in range(21)]}
    answer = http.post(path, json=body)
    assert answer.status_code == 422 and "programs" in answer.text
