"""Sessions, passwords and the business clock."""

from datetime import datetime

from gradumen.client.connection import Connection
from gradumen.wire.access.sessions import OpenSessionBody, PasswordChange, PasswordReset
from gradumen.wire.clock import ClockBody, ClockUpdate


class Sessions:
    """The signed-in user's sessions and password."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def list(self) -> list[OpenSessionBody]:
        """The open sessions."""
        return self._connection.page("sessions", OpenSessionBody).items

    def end(self, session: str) -> None:
        """End one of them."""
        self._connection.delete(f"sessions/{session}")

    def change_password(self, current: str, new: str) -> None:
        """Change the password; other sessions end."""
        self._connection.act("session/password", PasswordChange(current=current, new=new))

    def reset_password(self, secret: str, password: str) -> None:
        """Set a new password by a reset link's secret."""
        self._connection.act("password-resets", PasswordReset(secret=secret, password=password))


class Clock:
    """The business clock."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def read(self) -> ClockBody:
        """The business time."""
        return self._connection.get("clock", ClockBody)

    def set(self, to: datetime | None, *, held: bool = False) -> ClockBody:
        """Move the business clock, where the settings allow it."""
        return self._connection.put("clock", ClockBody, ClockUpdate(to=to, held=held))
