"""Messages: told with what they tell, sent once, to those who may know; what fails is seen and can be sent again."""

import re
from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from email.message import EmailMessage

import pytest

from gradumen.client import Client
from gradumen.core.errors import Conflict, Forbidden, Invalid, NotFound, SlowDown
from gradumen.core.messages import KEPT_TRYING, Kind, State
from gradumen.core.permissions import Role
from gradumen.core.quotas.measures import Measure
from gradumen.core.subscriptions.orders import Approver, OrderKind
from gradumen.jobs.messages import Mailer
from gradumen.settings import Settings
from gradumen.usecases.messages import forget_messages, take_messages
from gradumen.wire.organisations.details import BillingContactBody, DetailsUpdate
from gradumen.wire.subscriptions.orders import OrderBody, OrderCreate
from tests.conftest import Service
from tests.messages.mail_server import Box, mail_server
from tests.world import EMAILS, PASSWORD, World, egress

CONSOLE = "https://clouds.tarnwick.example"
INES, EDDA, PIERS, MARA = (EMAILS[user] for user in ("ines", "edda", "piers", "mara"))


class Post:
    """A mail server, and the service's mailer, which sends when it is told to."""

    def __init__(self, service: Service, box: Box, address: str) -> None:
        self.service, self.box = service, box
        self.settings = Settings(smtp=f"smtp://{address}", address=CONSOLE, mail_from="clouds@tarnwick.example")
        self.mailer = Mailer(service.uow, self.settings)

    def send(self) -> list[EmailMessage]:
        """Send all that is due; gives what arrived."""
        before = len(self.box.mails)
        while self.mailer.send_due():
            pass
        return self.box.mails[before:]

    def send_to(self, email: str) -> EmailMessage:
        """Send all that is due, of which one is to an address."""
        [got] = [each for each in self.send() if each["To"] == email]
        return got


@pytest.fixture
def post(service: Service, world: World) -> Iterator[Post]:
    """With nothing in the outbox."""
    with mail_server() as (box, address):
        made = Post(service, box, address)
        made.send()
        yield made


def text_of(mail: EmailMessage) -> str:
    body = mail.get_body(("plain",))
    assert body is not None
    text: str = body.get_content()
    return text


def secret_of(mail: EmailMessage, page: str) -> str:
    found = re.search(rf"{CONSOLE}/{page}#(\S+)", text_of(mail))
    assert found is not None
    return found[1]


def test_an_invitation_arrives_and_its_link_is_the_one_that_was_made(world: World, post: Post) -> None:
    world.user("ines").invitations.create("saltmarsh", email="new@saltmarsh.example", role=Role.VIEWER)
    mail = post.send_to("new@saltmarsh.example")
    assert mail["Subject"] == "You are invited to Saltmarsh Ferries"
    assert "Ines invites you to work in Saltmarsh Ferries as viewer." in text_of(mail)
    with Client(world.url) as anybody:
        anybody.invitations.accept(secret_of(mail, "join"), name="New", password=PASSWORD)
    [listed] = world.user("ines").messages.list("saltmarsh", search="new@")
    assert listed.state is State.SENT and secret_of(mail, "join") not in listed.model_dump_json()


def test_a_forgotten_password_is_set_anew_by_mail_and_nobody_learns_who_is_a_user(world: World, post: Post) -> None:
    with Client(world.url) as anybody:
        anybody.sessions.ask_password_reset("nobody@saltmarsh.example")
        assert post.send() == []
        anybody.sessions.ask_password_reset(INES.upper())
        secret = secret_of(post.send_to(INES), "reset")
        anybody.sessions.reset_password(secret, "quite another long one")
        with pytest.raises(NotFound):
            anybody.sessions.reset_password(secret, "and once more a long one")
        anybody.sign_in(INES, "quite another long one")
    assert post.send_to(INES)["Subject"] == "Your password was changed"


def test_links_for_a_password_are_not_asked_for_without_end(world: World) -> None:
    with Client(world.url) as anybody:
        for _ in range(3):
            anybody.sessions.ask_password_reset(INES)
        with pytest.raises(SlowDown):
            anybody.sessions.ask_password_reset(INES)


def order(world: World, name: str = "Second") -> OrderBody:
    return world.user("ines").orders.place(
        "saltmarsh",
        OrderCreate(
            kind=OrderKind.SUBSCRIBE, plan="open-range", tier="moor", name=name, quantity=1, day=date(2026, 10, 9)
        ),
    )


def test_an_order_is_told_to_who_approves_it_and_confirmed_to_who_ordered(world: World, post: Post) -> None:
    placed = order(world)
    mails = post.send()
    assert {each["To"] for each in mails} == {EDDA, PIERS}
    assert "It adds 75.05 GBP a month. It waits for approval." in text_of(mails[0])
    assert f"{CONSOLE}/organisations/saltmarsh/subscriptions" in text_of(mails[0])
    world.user("edda").orders.approve(placed.id, placed.amount)
    world.user("edda").orders.approve(placed.id, placed.amount)
    [told] = post.send()
    assert told["To"] == INES and told["Subject"].startswith("Ordered: Open Range Moor")
    assert told["From"].addresses[0].display_name == "Oxbow Managed IT"

    again = order(world, "Third")
    world.user("edda").orders.refuse(again.id, "Not before winter.")
    mail = post.send_to(INES)
    assert "Not before winter." in text_of(mail)
    assert "tarnwick" not in text_of(mail).replace(CONSOLE, "").lower()


def test_a_request_for_a_limit_is_told_to_its_seller_and_its_answer_to_who_asked(world: World, post: Post) -> None:
    world.mara.quotas.grant("oxbow", Measure.PROCESSORS, limit=Decimal(100))
    world.user("edda").quotas.grant("saltmarsh", Measure.PROCESSORS, limit=Decimal(10))
    asked = world.user("ines").quota_requests.ask("saltmarsh", Measure.PROCESSORS, limit=Decimal(64), reason="Summer.")
    [mail] = post.send()
    assert mail["To"] == EDDA and mail["Subject"] == "Saltmarsh Ferries asks for 64 vCPU"
    world.user("edda").quota_requests.answer(asked.id, limit=Decimal(48), reason="More in May.")
    answer = post.send_to(INES)
    assert "was granted in part: 48 vCPU" in text_of(answer) and "More in May." in text_of(answer)


def test_a_document_goes_to_its_contacts_with_its_page_or_to_who_pays_there(world: World, post: Post) -> None:
    world.send(egress("e", 10**12))
    [first] = [each for each in world.close("oxbow", "edda", "2026-09") if each.buyer == "saltmarsh"]
    mail = post.send_to(INES)
    [file] = mail.iter_attachments()
    assert file.get_filename() == f"{first.number}.pdf"
    assert file.get_content() == world.user("edda").invoices.pdf(first.id)
    assert world.user("ines").messages.list("saltmarsh", state=State.SENT)
    assert [each for each in world.user("edda").messages.list("oxbow") if each.kind is Kind.INVOICE] == []

    contacts = [BillingContactBody(name="Accounts", email="accounts@saltmarsh.example")]
    world.user("ines").details.set("saltmarsh", DetailsUpdate(billing_contacts=contacts))
    world.send(egress("late", 10**12))
    assert [each.kind for each in world.close("oxbow", "edda", "2026-09")] == ["invoice"]
    assert [each["To"] for each in post.send()] == ["accounts@saltmarsh.example"]
    assert [each.email for each in world.user("edda").messages.list("oxbow")][:1] == ["accounts@saltmarsh.example"]


def test_what_fails_in_passing_is_tried_again_and_what_fails_for_good_waits_for_a_person(
    world: World, post: Post
) -> None:
    ines = world.user("ines")
    post.box.answers = {"late@saltmarsh.example": "451 come back", "odd@saltmarsh.example": "550 nobody here"}
    for name in ("late", "odd", "fine"):
        ines.invitations.create("saltmarsh", email=f"{name}@saltmarsh.example", role=Role.VIEWER)
    assert [each["To"] for each in post.send()] == ["fine@saltmarsh.example"]
    states = {each.email[:4]: each for each in ines.messages.list("saltmarsh", search="saltmarsh")}
    assert (states["late"].state, states["late"].problem) == (State.WAITING, "451 come back")
    assert (states["odd@"].state, states["odd@"].problem) == (State.FAILED, "550 nobody here")
    assert states["late"].due_at is not None and states["late"].due_at > datetime.now(UTC) + timedelta(seconds=30)

    [todo] = [each for each in ines.to_dos.list("saltmarsh") if each.kind == "messages"]
    assert todo.title == "1 message could not be sent in the last seven days"
    assert "messages" not in [each.kind for each in world.user("vera").to_dos.list("saltmarsh")]

    post.box.answers = {}
    assert post.send() == []
    again = ines.messages.retry(states["odd@"].id)
    assert again.state is State.WAITING and ines.messages.retry(again.id) == again
    assert post.send_to("odd@saltmarsh.example")
    with pytest.raises(Conflict, match="sent already"):
        ines.messages.retry(again.id)


def test_one_that_cannot_be_made_keeps_no_other_back(world: World, post: Post, monkeypatch: pytest.MonkeyPatch) -> None:
    world.send(egress("e", 10**12))
    world.close("oxbow", "edda", "2026-09")

    def broken(_: object) -> bytes:
        raise ZeroDivisionError

    monkeypatch.setattr("gradumen.jobs.messages.write_issued", broken)
    world.user("ines").invitations.create("saltmarsh", email="new@saltmarsh.example", role=Role.VIEWER)
    assert [each["To"] for each in post.send()] == ["new@saltmarsh.example"]
    [held] = [each for each in world.user("ines").messages.list("saltmarsh") if each.kind is Kind.INVOICE]
    assert (held.state, held.attempts) == (State.WAITING, 1) and "ZeroDivisionError" in (held.problem or "")


def test_without_a_server_mail_waits_and_fails_only_when_it_is_old(service: Service, world: World, post: Post) -> None:
    order(world)
    for mailer in (Mailer(service.uow, Settings()), Mailer(service.uow, Settings(smtp="smtp://127.0.0.1:9"))):
        assert mailer.send_due() == 0
    waiting = world.user("edda").messages.list("oxbow", state=State.WAITING)
    assert len(waiting) == 2 and all(each.attempts == 0 for each in waiting)
    forget_messages(service.uow, at=datetime.now(UTC) + KEPT_TRYING - timedelta(hours=1))
    assert len(world.user("edda").messages.list("oxbow", state=State.WAITING)) == 2
    forget_messages(service.uow, at=datetime.now(UTC) + KEPT_TRYING + timedelta(hours=1))
    assert {each.problem for each in world.user("edda").messages.list("oxbow", state=State.FAILED)} == {
        "no mail server took it within three days"
    }


def test_two_workers_send_each_message_once(service: Service, world: World, post: Post) -> None:
    order(world)
    first = take_messages(service.uow, at=datetime.now(UTC), address="", most=9)
    assert len(first) == 2
    assert take_messages(service.uow, at=datetime.now(UTC), address="", most=9) == []
    lost = datetime.now(UTC) + timedelta(minutes=3)
    again = take_messages(service.uow, at=lost, address="", most=9)
    assert {each.id for each in again} == {each.id for each in first}


def test_who_has_left_is_told_nothing_more(world: World, post: Post) -> None:
    ines, edda = world.user("ines"), world.user("edda")
    vera = next(each.user_id for each in ines.members.list("saltmarsh") if each.email == EMAILS["vera"])
    ines.members.change("saltmarsh", vera, role=Role.FINANCE)
    wanted = OrderCreate(
        kind=OrderKind.SUBSCRIBE, plan="open-range", tier="moor", name="Hers", quantity=1, day=date(2026, 10, 9)
    )
    placed = world.user("vera").orders.place("saltmarsh", wanted)
    post.send()
    ines.members.remove("saltmarsh", vera)
    edda.orders.approve(placed.id, placed.amount)
    assert post.send() == []


def test_what_an_organisation_decides_among_its_own_comes_from_itself(world: World, post: Post) -> None:
    world.user("ines").orders.set_policy("saltmarsh", "GBP", Decimal(1), Approver.OWN)
    secret = world.user("ines").invitations.create("saltmarsh", email="boss@saltmarsh.example", role=Role.ADMINISTRATOR)
    with Client(world.url) as boss:
        boss.invitations.accept(secret.secret or "", name="Boss", password=PASSWORD)
        boss.sign_in("boss@saltmarsh.example", PASSWORD)
        post.send()
        placed = order(world)
        [waits] = post.send()
        assert waits["To"] == "boss@saltmarsh.example"
        boss.orders.refuse(placed.id, "Not now.")
    [told] = post.send()
    assert told["To"] == INES and told["From"].addresses[0].display_name == "Saltmarsh Ferries"
    assert world.user("edda").messages.list("oxbow", state=State.SENT)[0].kind is Kind.INVITATION


def test_what_is_rolled_back_is_told_to_nobody(world: World, post: Post) -> None:
    with pytest.raises(Invalid):
        world.user("ines").orders.place(
            "saltmarsh", OrderCreate(kind=OrderKind.SUBSCRIBE, plan="open-range", day=date(2026, 10, 9))
        )
    with pytest.raises(Forbidden):
        world.mara.invitations.create("saltmarsh", email="x@saltmarsh.example", role=Role.VIEWER)
    assert post.send() == []


def test_an_organisation_writes_texts_of_its_own_for_what_comes_from_it(world: World, post: Post) -> None:
    edda = world.user("edda")
    before = {each.kind: each for each in edda.messages.texts("oxbow")}
    assert set(before) == set(Kind) and not any(each.own for each in before.values())
    text = {"subject": "Oxbow: {what}", "body": "Dear {name},\n\nsee {link}"}
    tried = edda.messages.try_text("oxbow", Kind.ORDER_DONE, **text)
    assert tried.text.startswith("Dear Ines Quay,")
    written = edda.messages.write_text("oxbow", Kind.ORDER_DONE, **text, version=0)
    assert (written.own, written.version) == (True, 1)
    assert edda.messages.write_text("oxbow", Kind.ORDER_DONE, **text) == written
    with pytest.raises(Conflict, match="version 1"):
        edda.messages.write_text("oxbow", Kind.ORDER_DONE, subject="x", body="y", version=0)
    with pytest.raises(Invalid, match="no placeholder"):
        edda.messages.write_text("oxbow", Kind.ORDER_DONE, subject="x", body="{secret}")

    placed = order(world)
    post.send()
    edda.orders.approve(placed.id, placed.amount)
    assert post.send_to(INES)["Subject"].startswith("Oxbow: Open Range Moor")
    assert edda.messages.drop_text("oxbow", Kind.ORDER_DONE) == before[Kind.ORDER_DONE]
    assert edda.messages.drop_text("oxbow", Kind.ORDER_DONE) == before[Kind.ORDER_DONE]
    actions = [each.action for each in edda.audit_entries.list("oxbow") if each.action.startswith("message text")]
    assert actions == ["message text dropped", "message text written"]


def test_messages_are_for_the_administrators_of_their_organisation(world: World, post: Post) -> None:
    world.user("ines").invitations.create("saltmarsh", email="new@saltmarsh.example", role=Role.VIEWER)
    [message] = world.user("ines").messages.list("saltmarsh", search="new@")
    for user, refusal in (("vera", Forbidden), ("edda", Forbidden), ("mara", Forbidden), ("una", NotFound)):
        with pytest.raises(refusal):
            world.user(user).messages.list("saltmarsh")
        with pytest.raises(refusal):
            world.user(user).messages.texts("saltmarsh")
        with pytest.raises(NotFound):
            world.user(user).messages.retry(message.id)


def test_notices_are_what_one_was_told_oneself(service: Service, world: World, post: Post) -> None:
    placed = order(world)
    world.user("edda").orders.approve(placed.id, placed.amount)
    told = world.user("ines").messages.notices()
    assert (told.unread, [each.kind for each in told.items]) == (1, [Kind.ORDER_DONE])
    assert world.user("edda").messages.notices().unread == 1
    assert world.user("vera").messages.notices().items == []
    for _ in range(2):
        world.user("ines").messages.read_notices(told.items[0].created_at)
    assert world.user("ines").messages.notices().unread == 0
    post.send()
    forget_messages(service.uow, at=datetime.now(UTC) + timedelta(days=181))
    assert world.user("ines").messages.notices().items == []
