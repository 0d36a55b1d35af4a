"""Mail in the console: what was sent, sent again, written anew; notices; and a password that was forgotten."""

import re
from collections.abc import Iterator
from datetime import date

import pytest
from playwright.sync_api import expect

from gradumen.core.permissions import Role
from gradumen.core.subscriptions.orders import OrderKind
from gradumen.jobs.messages import Mailer
from gradumen.settings import Settings
from gradumen.wire.subscriptions.orders import OrderCreate
from tests.conftest import Service
from tests.console.conftest import Tab
from tests.messages.mail_server import Box, mail_server
from tests.world import EMAILS, World


@pytest.fixture
def box(service: Service, world: World) -> Iterator[tuple[Box, Mailer]]:
    """A mail server, with what is in the outbox sent; links lead to the service."""
    with mail_server() as (made, address):
        mailer = Mailer(service.uow, Settings(smtp=f"smtp://{address}", address=service.url))
        while mailer.send_due():
            pass
        made.mails.clear()
        yield made, mailer


def test_what_could_not_be_sent_is_seen_and_sent_again_and_a_text_is_written_anew(
    tab: Tab, world: World, box: tuple[Box, Mailer]
) -> None:
    got, mailer = box
    got.answers["odd@saltmarsh.example"] = "550 nobody here"
    world.user("ines").invitations.create("saltmarsh", email="odd@saltmarsh.example", role=Role.VIEWER)
    mailer.send_due()
    got.answers.clear()
    tab.expected.append("422")
    tab.sign_in("ines")
    tab.go("/", "so far")
    page = tab.page
    expect(page.get_by_text("1 message could not be sent in the last seven days")).to_be_visible()
    tab.go("/record/messages?state=failed", "Messages")
    tab.accessible()
    page.get_by_role("row", name="odd@saltmarsh.example").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("550 nobody here")
    tab.accessible("[role=dialog]")
    dialog.get_by_role("button", name="Send it again").click()
    expect(page.get_by_text("It is sent to odd@saltmarsh.example again.")).to_be_visible()
    mailer.send_due()
    assert [each["To"] for each in got.mails] == ["odd@saltmarsh.example"]

    tab.go("/record/messages/texts", "Texts of messages")
    page.get_by_role("row", name="Invitation").click()
    dialog.get_by_label("Subject").fill("Come on board, {nobody}")
    dialog.get_by_role("button", name="See it as mail").click()
    expect(dialog.get_by_role("alert").first).to_contain_text("{nobody} is no placeholder")
    dialog.get_by_label("Subject").fill("Come on board of {organisation}")
    dialog.get_by_role("button", name="See it as mail").click()
    expect(dialog.get_by_text("Come on board of Saltmarsh Ferries")).to_be_visible()
    frame = page.frame_locator("iframe[title='The mail']")
    expect(frame.get_by_role("link", name="Accept the invitation")).to_be_visible()
    tab.accessible("[role=dialog]")
    dialog.get_by_role("button", name="Save").click()
    expect(page.get_by_role("row", name="Invitation")).to_contain_text("your own")
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("row", name="Invitation")).to_contain_text("as it begins")


def test_who_ordered_has_a_notice_of_what_came_of_it(tab: Tab, world: World) -> None:
    wanted = OrderCreate(kind=OrderKind.SUBSCRIBE, plan="open-range", tier="moor", name="Second", day=date(2026, 10, 9))
    placed = world.user("ines").orders.place("saltmarsh", wanted)
    world.user("edda").orders.approve(placed.id, placed.amount)
    tab.sign_in("ines")
    tab.go("/", "so far")
    page = tab.page
    page.get_by_role("button", name="Notices 1 new").click()
    tab.accessible("[role=dialog]")
    page.get_by_role("dialog", name="Notices").get_by_role("link", name="Ordered: Open Range Moor").click()
    expect(page.get_by_role("heading", name="Saltmarsh Ferries", level=1)).to_be_visible()
    expect(page.get_by_role("button", name="Notices", exact=True)).to_be_visible()


def test_a_forgotten_password_is_set_anew_from_the_sign_in_page(
    tab: Tab, world: World, box: tuple[Box, Mailer]
) -> None:
    got, mailer = box
    tab.expected.append("401")
    page = tab.page
    page.goto(tab.url + "/")
    page.get_by_role("link", name="Forgot your password?").click()
    expect(page.get_by_role("heading", name="A new password")).to_be_visible()
    tab.accessible()
    page.get_by_label("E-mail address").fill(EMAILS["vera"])
    page.get_by_role("button", name="Send the link").click()
    expect(page.get_by_role("heading", name="Look into your mail")).to_be_visible()
    mailer.send_due()
    [mail] = got.mails
    body = mail.get_body(("plain",))
    assert body is not None
    link = re.search(r"http\S+/reset#\S+", body.get_content())
    assert link is not None
    page.goto(link[0])
    page.get_by_label("New password").fill("an entirely other pass phrase")
    page.get_by_role("button", name="Set it").click()
    page.get_by_role("link", name="Sign in").click()
    page.get_by_label("E-mail address").fill(EMAILS["vera"])
    page.get_by_label("Password").fill("an entirely other pass phrase")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="so far", level=1)).to_be_visible()
