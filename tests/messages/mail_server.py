"""A mail server on loopback that does as it is told."""

import email
import socket
from collections.abc import Iterator
from contextlib import contextmanager
from email import policy
from email.message import EmailMessage

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword, Session


class Box:
    """Keeps what it takes; answers recipients as told, else takes everybody."""

    def __init__(self) -> None:
        self.mails: list[EmailMessage] = []
        self.answers: dict[str, str] = {}
        self.data_answer = "250 kept"

    async def handle_RCPT(
        self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        if address in self.answers:
            return self.answers[address]
        envelope.rcpt_tos.append(address)
        return "250 fine"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        if self.data_answer.startswith("250"):
            content = envelope.content if isinstance(envelope.content, bytes) else b""
            self.mails.append(email.message_from_bytes(content, policy=policy.default))
        return self.data_answer


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


@contextmanager
def mail_server(password: str | None = None) -> Iterator[tuple[Box, str]]:
    """A server and its address; with a password it lets nobody in without."""

    def check(server: SMTP, session: Session, envelope: Envelope, mechanism: str, data: object) -> AuthResult:
        right = isinstance(data, LoginPassword) and data.password.decode() == password
        return AuthResult(success=right, handled=right)

    box = Box()
    more = {"authenticator": check, "auth_required": True, "auth_require_tls": False} if password else {}
    controller = Controller(box, hostname="127.0.0.1", port=_free_port(), ready_timeout=20, **more)
    controller.start()
    try:
        yield box, f"127.0.0.1:{controller.port}"
    finally:
        controller.stop()
