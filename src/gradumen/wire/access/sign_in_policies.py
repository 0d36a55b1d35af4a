"""Bodies of what organisations demand of who signs in."""

from typing import Literal

from gradumen.wire.values import Body


class SignInPolicyBody(Body):
    """Of whom an organisation demands a second factor: of nobody, its members, or all below as well.

    ``demanded_above`` says that one above demands it anyway; ``without`` is how many of its members have none yet.
    """

    organisation: str
    second_factor: Literal["nobody", "members", "all below"]
    demanded_above: bool
    without: int


class SignInPolicyUpdate(Body):
    """Of whom a second factor is demanded from now on."""

    second_factor: Literal["nobody", "members", "all below"]
