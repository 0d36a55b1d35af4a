"""Sessions and passwords."""

from gradumen.client.connection import Connection
from gradumen.wire.access.sessions import OpenSessionBody, PasswordChange, PasswordReset, PasswordResetAsk


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

    def ask_password_reset(self, email: str) -> None:
        """Have a link mailed by which a user of that address sets a new password, if there is one."""
        self._connection.act("password-resets/ask", PasswordResetAsk(email=email))
