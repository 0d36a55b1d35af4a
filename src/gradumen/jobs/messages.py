"""Sends what is in the outbox: taken in one transaction, sent outside of any, and noted in another."""

import logging
import threading
from datetime import timedelta

from gradumen.core.errors import GradumenError
from gradumen.documents.issued import write_issued
from gradumen.jobs.leases import now
from gradumen.messages.mail import Attachment, Connection, Refused, Server, Unreachable, compose, connected
from gradumen.settings import Settings
from gradumen.store.unit_of_work import UnitOfWork
from gradumen.usecases.billing.invoices import document_to_send, keep_sent_pdf
from gradumen.usecases.messages import Outgoing, forget_messages, note_refused, note_sent, put_back, take_messages

log = logging.getLogger("gradumen.mail")
BATCH = 5
"""So few that a slow server ends with them within their lease."""
AGAIN_AFTER = timedelta(minutes=1)
"""How long mail rests when no server answers."""
FORGET_EVERY = timedelta(hours=1)


class Mailer:
    """Sends mail by itself, in a thread of its own: a slow mail server keeps nothing else waiting."""

    def __init__(self, uow: UnitOfWork, settings: Settings, *, idle_seconds: float = 1.0) -> None:
        """Without a mail server in the settings messages stay in the outbox, and fail when they are too old."""
        self.uow, self.settings, self.idle_seconds = uow, settings, idle_seconds
        self.server = Server.read(settings.smtp) if settings.smtp else None
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self.run, name="mail", daemon=True)

    def start(self) -> None:
        """Begin in a thread of this process."""
        self._thread.start()

    def stop(self) -> None:
        """Finish what is being sent and end."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(30)

    def run(self) -> None:
        """Send until told to stop."""
        forgotten = now() - FORGET_EVERY
        while not self._stop.is_set():
            sent = 0
            try:
                sent = self.send_due()
                if now() - forgotten >= FORGET_EVERY:
                    forget_messages(self.uow, at=now())
                    forgotten = now()
            except Exception:  # the outermost loop: whatever failed is tried again
                log.exception("sending mail failed; trying again")
            if not sent:
                self._stop.wait(self.idle_seconds)

    def send_due(self) -> int:
        """Send some of what is due; gives how many were tried."""
        if self.server is None:
            return 0
        due = take_messages(self.uow, at=now(), address=self.settings.console_address, most=BATCH)
        if not due:
            return 0
        left = list(due)
        try:
            with connected(self.server) as connection:
                while left:
                    self._send(connection, left[0])
                    left.pop(0)
        except Unreachable as error:
            log.warning("%s", error)
            self._put_back(left)
        return len(due) - len(left)

    def _send(self, connection: Connection, message: Outgoing) -> None:
        """Send one; whatever is wrong with it is an attempt of its own, and keeps no other back."""
        try:
            made = compose(
                message.mail,
                message=message.id,
                to=message.email,
                sender=self.settings.mail_from,
                from_name=message.from_name,
                reply_to=message.reply_to,
                at=message.created_at,
                attachment=self._attachment(message),
            )
            connection.send(made)
        except Unreachable:
            raise
        except Refused as refusal:
            self._refused(message, refusal.problem, passing=refusal.passing)
        except Exception as error:  # of this message alone: the others of its batch go on
            log.exception("message %s cannot be made", message.id)
            self._refused(message, f"it cannot be made ({type(error).__name__}); the log says more", passing=True)
        else:
            note_sent(self.uow, message=message.id, attempt=message.attempt, at=now())

    def _refused(self, message: Outgoing, problem: str, *, passing: bool) -> None:
        attempt = message.attempt
        note_refused(self.uow, message=message.id, attempt=attempt, problem=problem, passing=passing, at=now())

    def _attachment(self, message: Outgoing) -> Attachment | None:
        """The document that a message is about, as PDF."""
        if message.invoice is None:
            return None
        try:
            found, pdf = document_to_send(self.uow, invoice_id=message.invoice)
            if pdf is None:
                pdf = keep_sent_pdf(self.uow, invoice_id=message.invoice, pdf=write_issued(found), at=now())
        except GradumenError as error:
            raise Refused(error.message, passing=False) from error
        return Attachment(f"{found.number}.pdf", pdf)

    def _put_back(self, messages: list[Outgoing]) -> None:
        again = now() + AGAIN_AFTER
        for each in messages:
            put_back(self.uow, message=each.id, attempt=each.attempt, at=again)
