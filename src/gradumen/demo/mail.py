"""Where the demo's mail ends: a mail server on loopback that keeps everything, and a page on which it is read."""

import email
import html
import socket
import threading
from email import policy
from email.message import EmailMessage
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

_STYLE = (
    "body{margin:0;background:#f7f5ef;color:#22302b;font:15px/1.5 Inter,Arial,sans-serif}main{max-width:900px;"
    "margin:0 auto;padding:24px}table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:7px 9px 7px 0;"
    "border-bottom:1px solid #d9d4c7;vertical-align:top}a{color:#2f5d3a}iframe{width:100%;height:560px;"
    "border:1px solid #d9d4c7;background:#fff}.quiet{color:#5b665f;white-space:nowrap}"
)


class Mailbox:
    """Takes mail for anybody, in a folder: a file a mail, the newest last."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._lock = threading.Lock()
        self._next = 0

    def open(self) -> None:
        """Make the folder, and number on from what is in it."""
        self.folder.mkdir(parents=True, exist_ok=True)
        self._next = max((int(path.stem) for path in self.files()), default=0) + 1

    def files(self) -> list[Path]:
        """All mails, the oldest first."""
        return sorted(self.folder.glob("*.eml"))

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        """Keep one."""
        content = envelope.content or b""
        with self._lock:
            number, self._next = self._next, self._next + 1
        path = self.folder / f"{number:06d}.eml"
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
        return "250 kept"


def read_mail(path: Path) -> EmailMessage:
    """A mail that was kept."""
    return email.message_from_bytes(path.read_bytes(), policy=policy.default)


class MailSink:
    """The server and its page, for as long as the demo runs."""

    def __init__(self, folder: Path, page_port: int) -> None:
        self.box = Mailbox(folder)
        self._smtp = Controller(self.box, hostname="127.0.0.1", port=_free_port(), ready_timeout=20)
        self._serves = False
        page = type("Page", (_Page,), {"box": self.box})
        try:
            self._http = ThreadingHTTPServer(("127.0.0.1", page_port), page)
        except OSError:
            self._http = ThreadingHTTPServer(("127.0.0.1", 0), page)

    def start(self) -> None:
        """Begin to listen."""
        self.box.open()
        self._smtp.start()
        threading.Thread(target=self._http.serve_forever, name="mail page", daemon=True).start()
        self._serves = True

    def stop(self) -> None:
        """End."""
        if self._serves:
            self._http.shutdown()
            self._smtp.stop()
        self._http.server_close()

    @property
    def smtp(self) -> str:
        """The server's address, as the service's settings name it."""
        return f"smtp://127.0.0.1:{self._smtp.port}"

    @property
    def url(self) -> str:
        """The page's address."""
        return f"http://127.0.0.1:{self._http.server_address[1]}/"


class _Page(BaseHTTPRequestHandler):
    """All mails as a list, and each by its number."""

    box: Mailbox

    def do_GET(self) -> None:
        """Answer with the list, a mail, its HTML, or the file that it brings."""
        number, _, what = self.path.strip("/").partition("/")
        path = self.box.folder / f"{number}.eml"
        if number.isdigit() and path.exists():
            self._mail(number, read_mail(path), what)
        else:
            self._send(self._list(), "text/html; charset=utf-8")

    def _list(self) -> bytes:
        rows = []
        for path in reversed(self.box.files()[-500:]):
            mail = read_mail(path)
            rows.append(
                f'<tr><td class="quiet">{_text(mail["Date"])[5:22]}</td><td>{_text(mail["To"])}</td>'
                f'<td>{_text(mail["From"])}</td><td><a href="/{path.stem}">{_text(mail["Subject"])}</a></td></tr>'
            )
        head = "<tr><th>Sent</th><th>To</th><th>From</th><th>Subject</th></tr>"
        return _html("Mail of the demo", f"<table>{head}{''.join(rows)}</table>" if rows else "<p>No mail yet.</p>")

    def _mail(self, number: str, mail: EmailMessage, what: str) -> None:
        attached = list(mail.iter_attachments())
        body = mail.get_body(("html",))
        if what == "html" and body is not None:
            self._send(body.get_content().encode(), "text/html; charset=utf-8")
        elif what == "file" and attached:
            self._send(attached[0].get_content(), attached[0].get_content_type())
        else:
            file = f'<p><a href="/{number}/file">{_text(attached[0].get_filename())}</a></p>' if attached else ""
            self._send(
                _html(
                    _text(mail["Subject"]),
                    f'<p><a href="/">All mail</a></p><p>To {_text(mail["To"])}, from {_text(mail["From"])}</p>{file}'
                    f'<iframe sandbox="allow-popups allow-top-navigation-by-user-activation" src="/{number}/html" '
                    'title="The mail"></iframe>',
                ),
                "text/html; charset=utf-8",
            )

    def _send(self, content: bytes, kind: str) -> None:
        self.send_response(200)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    def log_message(self, format: str, *args: Any) -> None:
        """Nothing: the demo's own words stand there."""


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def _text(value: object) -> str:
    return html.escape(str(value or ""))


def _html(title: str, content: str) -> bytes:
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><base target="_top"><title>{title}</title>'
        f"<style>{_STYLE}</style></head><body><main><h1>{title}</h1>{content}</main></body></html>"
    ).encode()
