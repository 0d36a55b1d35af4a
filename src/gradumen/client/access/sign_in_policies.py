"""What organisations demand of who signs in."""

from typing import Literal

from gradumen.client.connection import Connection
from gradumen.wire.access.sign_in_policies import SignInPolicyBody, SignInPolicyUpdate


class SignInPolicies:
    """Of whom a second factor is demanded."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def get(self, organisation: str) -> SignInPolicyBody:
        """What an organisation demands."""
        return self._connection.get(f"organisations/{organisation}/sign-in-policy", SignInPolicyBody)

    def set(self, organisation: str, second_factor: Literal["nobody", "members", "all below"]) -> SignInPolicyBody:
        """Demand it of nobody, its members, or all below as well."""
        update = SignInPolicyUpdate(second_factor=second_factor)
        return self._connection.put(f"organisations/{organisation}/sign-in-policy", SignInPolicyBody, update)
