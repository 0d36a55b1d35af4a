"""Second factors."""

from uuid import UUID

from gradumen.client.connection import Connection
from gradumen.wire.access.second_factors import (
    CodeBody,
    RecoveryCodesBody,
    SecondFactorBegin,
    SecondFactorBody,
    SecondFactorSecretBody,
)

_PATH = "session/second-factor"


class SecondFactors:
    """The signed-in user's second factor, and taking away that of a member."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self) -> SecondFactorBody:
        """Whether there is one, and how many recovery codes are left."""
        return self._connection.get(_PATH, SecondFactorBody)

    def begin(self, password: str) -> SecondFactorSecretBody:
        """Make a secret for an app for codes; it holds once it is confirmed."""
        return self._connection.post(_PATH, SecondFactorSecretBody, SecondFactorBegin(password=password))

    def confirm(self, code: str) -> RecoveryCodesBody:
        """End the set-up with a first code; gives recovery codes."""
        return self._connection.post(f"{_PATH}/confirm", RecoveryCodesBody, CodeBody(code=code))

    def renew_recovery_codes(self, code: str) -> RecoveryCodesBody:
        """Make new recovery codes in the place of those that are there."""
        return self._connection.post(f"{_PATH}/recovery-codes", RecoveryCodesBody, CodeBody(code=code))

    def drop(self, code: str) -> None:
        """Give it up."""
        self._connection.act(f"{_PATH}/drop", CodeBody(code=code))

    def take(self, organisation: str, user_id: UUID) -> None:
        """Take a member's away, who lost it with its recovery codes."""
        self._connection.delete(f"organisations/{organisation}/members/{user_id}/second-factor")
