"""Second factors: set up in two steps, each code taken once, demanded by whom it concerns, lost and found again."""

import re
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from pyotp import TOTP

from gradumen.client import Client
from gradumen.core.errors import (
    Conflict,
    Forbidden,
    Invalid,
    NeedsPassword,
    NotFound,
    NotSignedIn,
    SecondFactorNeeded,
    SlowDown,
)
from gradumen.core.messages import Kind
from gradumen.core.permissions import Role
from gradumen.store.sealing import Seals
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.access import codes
from gradumen.usecases.sealing import check_seals, forget_secrets, seal_anew
from tests.conftest import Service
from tests.world import EMAILS, PASSWORD, World


class App:
    """An app for codes that is always one step of time further, so that each code is new."""

    def __init__(self, secret: str) -> None:
        self.totp, self.ahead = TOTP(secret), -1

    def code(self) -> str:
        """The next code that was not shown yet; at most three are good at once."""
        self.ahead += 1
        left = 30 - time.time() % 30
        if left < 3:
            # The first is of the step before, which is good only until this one ends.
            time.sleep(left)
        return self.totp.at(datetime.now(UTC) + timedelta(seconds=30 * (self.ahead - 1)))


def set_up(world: World, user: str) -> tuple[App, list[str]]:
    """A second factor, with an app and recovery codes."""
    client = world.user(user)
    app = App(client.second_factors.begin(PASSWORD).secret)
    return app, client.second_factors.confirm(app.code()).codes


@pytest.fixture
def edda(world: World) -> Iterator[Client]:
    """A client that signs in anew as Edda."""
    with Client(world.url) as made:
        yield made


def test_a_code_is_asked_for_from_then_on_and_taken_once(world: World, edda: Client) -> None:
    app, recovery = set_up(world, "edda")
    assert len(set(recovery)) == 10 and all(re.fullmatch(r"[a-z2-9]{5}-[a-z2-9]{5}", each) for each in recovery)
    with pytest.raises(SecondFactorNeeded):
        edda.sign_in(EMAILS["edda"], PASSWORD)
    code = app.code()
    assert edda.sign_in(EMAILS["edda"], PASSWORD, code).email == EMAILS["edda"]
    for again in (code, "", "x" * 80, "١٢٣٤٥٦"):
        with pytest.raises(NotSignedIn, match="wrong or was used"):
            edda.sign_in(EMAILS["edda"], PASSWORD, again)
    with pytest.raises(NotSignedIn, match="password is wrong"):
        edda.sign_in(EMAILS["edda"], "another password", app.code())


def test_a_recovery_code_stands_in_once_however_it_is_typed(world: World, edda: Client) -> None:
    _, recovery = set_up(world, "edda")
    edda.sign_in(EMAILS["edda"], PASSWORD, recovery[0].upper().replace("-", " "))
    assert edda.second_factors.get().recovery_codes == 9
    with pytest.raises(NotSignedIn):
        edda.sign_in(EMAILS["edda"], PASSWORD, recovery[0])
    renewed = edda.second_factors.renew_recovery_codes(recovery[1])
    assert not set(renewed.codes) & set(recovery)
    with pytest.raises(Invalid):
        edda.second_factors.renew_recovery_codes(recovery[2])
    edda.second_factors.drop(renewed.codes[0])
    assert not edda.second_factors.get().on
    edda.sign_in(EMAILS["edda"], PASSWORD)


def test_codes_are_guessed_slowly_even_from_many_networks(world: World, edda: Client) -> None:
    app, _ = set_up(world, "edda")
    for _ in range(5):
        with pytest.raises(NotSignedIn):
            edda.sign_in(EMAILS["edda"], PASSWORD, "000000")
    with pytest.raises(SlowDown):
        edda.sign_in(EMAILS["edda"], PASSWORD, app.code())


def test_setting_up_needs_the_password_and_a_first_code_and_ends_other_sessions(world: World, edda: Client) -> None:
    client = world.user("edda")
    edda.sign_in(EMAILS["edda"], PASSWORD)
    with pytest.raises(NotSignedIn, match="nothing was changed"):
        client.second_factors.begin("another password")
    with pytest.raises(Conflict, match="begin with"):
        client.second_factors.confirm("123456")
    first = App(client.second_factors.begin(PASSWORD).secret)
    made = client.second_factors.begin(PASSWORD)
    assert made.secret in made.uri and "edda%40oxbow.example" in made.uri and made.picture.startswith("<svg")
    for wrong in (first.code(), "000000"):
        with pytest.raises(Invalid, match="wrong"):
            client.second_factors.confirm(wrong)
    assert not client.second_factors.get().on
    client.second_factors.confirm(App(made.secret).code())
    assert client.second_factors.get().on
    with pytest.raises(NotSignedIn):
        edda.session()
    with pytest.raises(Conflict, match="already"):
        client.second_factors.begin(PASSWORD)
    told = client.messages.notices().items[0]
    assert (told.kind, told.subject) == (Kind.SECOND_FACTOR, "Your second factor was set up")
    assert "second factor set up" in {each.action for each in client.audit_entries.list("oxbow")}


def test_two_who_send_one_code_at_once_are_let_in_once(service: Service, world: World) -> None:
    app, _ = set_up(world, "edda")
    user = next(each.user_id for each in world.user("edda").members.list("oxbow") if each.email == EMAILS["edda"])
    code, at = app.code(), datetime.now(UTC)
    assert [codes.take_code(service.uow, user, code, at=at) for _ in range(2)] == [True, False]


def test_who_has_none_where_it_is_demanded_has_no_rights_there_until_it_is_set_up(world: World) -> None:
    edda, piers, ines, mara = (world.user(each) for each in ("edda", "piers", "ines", "mara"))
    program = Client(world.url, piers.tokens.create("oxbow", name="program", role=Role.FINANCE).secret)
    with pytest.raises(Conflict, match="your own second factor first"):
        edda.sign_in_policies.set("oxbow", "members")
    set_up(world, "edda")
    policy = edda.sign_in_policies.set("oxbow", "members")
    assert (policy.without, policy.demanded_above) == (1, False)
    assert edda.sign_in_policies.set("oxbow", "members") == policy
    assert [each.slug for each in edda.organisations.list()][:1] == ["oxbow"]

    session = piers.session()
    assert session.memberships == [] and [each.demanded_by for each in session.held_back] == ["Oxbow Managed IT"]
    assert piers.organisations.list() == []
    with pytest.raises(NotFound):
        piers.quotas.list("oxbow")
    assert program.organisations.list(), "programs go on"
    assert ines.organisations.list() and mara.organisations.list()
    set_up(world, "piers")
    assert piers.session().held_back == [] and piers.organisations.list()

    edda.sign_in_policies.set("oxbow", "all below")
    assert ines.organisations.list() == []
    [held] = ines.session().held_back
    assert (held.organisation, held.demanded_by) == ("saltmarsh", "Oxbow Managed IT")
    set_up(world, "ines")
    assert ines.sign_in_policies.get("saltmarsh").demanded_above
    edda.sign_in_policies.set("oxbow", "nobody")
    assert world.user("vera").organisations.list()
    actions = [each.action for each in edda.audit_entries.list("oxbow")]
    assert actions.count("sign-in policy set") == 3
    program.close()


def test_what_the_provider_demands_of_all_is_not_said_in_its_name_below_a_reseller(world: World) -> None:
    set_up(world, "mara")
    world.mara.sign_in_policies.set("tarnwick", "all below")
    assert world.user("edda").session().held_back[0].demanded_by == "Tarnwick Cloud"
    assert "Tarnwick" not in world.user("ines").session().model_dump_json()


def test_who_lost_it_is_helped_by_those_who_answer_for_all_that_it_is(world: World, edda: Client) -> None:
    set_up(world, "vera")
    vera = next(each.user_id for each in world.user("ines").members.list("saltmarsh") if each.email == EMAILS["vera"])
    with pytest.raises(Forbidden):
        world.user("vera").second_factors.take("saltmarsh", vera)
    with pytest.raises(Forbidden):
        world.user("edda").second_factors.take("saltmarsh", vera)
    for _ in range(2):
        world.user("ines").second_factors.take("saltmarsh", vera)
    edda.sign_in(EMAILS["vera"], PASSWORD)
    assert edda.messages.notices().items[0].subject == "Your second factor was taken away by an administrator"


def test_a_program_has_nothing_to_do_with_it(world: World) -> None:
    token = world.user("edda").tokens.create("oxbow", name="program", role=Role.ADMINISTRATOR).secret
    with Client(world.url, token) as program:
        for call in (
            lambda: program.second_factors.begin(PASSWORD),
            lambda: program.second_factors.confirm("123456"),
            lambda: program.second_factors.drop("123456"),
            lambda: program.sign_in_policies.set("oxbow", "members"),
        ):
            with pytest.raises(NeedsPassword):
                call()


@pytest.fixture
def same_keys(service: Service) -> Iterator[Seals]:
    """The service's keys, which are as they were afterwards: the small world is sealed with them."""
    seals = service.uow.seals
    assert seals is not None
    before = seals.path.read_text()
    yield seals
    seals.path.write_text(before)


def test_secrets_survive_a_new_key_and_are_given_up_with_lost_ones(
    service: Service, world: World, edda: Client, same_keys: Seals, tmp_path: Path
) -> None:
    app, _ = set_up(world, "edda")
    check_seals(service.uow)
    same_keys.add_key()
    assert seal_anew(service.uow) >= 1
    same_keys.keep(1)
    edda.sign_in(EMAILS["edda"], PASSWORD, app.code())
    other = Seals(tmp_path / "other")
    forget_secrets(UnitOfWork(service.uow.engine, seals=other))
    edda.sign_in(EMAILS["edda"], PASSWORD)
    assert edda.second_factors.get().recovery_codes == 0
