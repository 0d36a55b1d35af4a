"""Bodies of second factors."""

from datetime import datetime

from gradumen.wire.values import Body


class SecondFactorBody(Body):
    """The signed-in user's second factor: since when, and how many recovery codes are left."""

    on: bool
    since: datetime | None
    recovery_codes: int


class SecondFactorBegin(Body):
    """The password again, so that nobody who finds an open session takes an account over."""

    password: str


class SecondFactorSecretBody(Body):
    """What an app for codes takes: the ``picture`` (SVG) of the ``uri``, or the ``secret`` typed. Shown this once."""

    secret: str
    uri: str
    picture: str


class CodeBody(Body):
    """A code of the second factor, or a recovery code."""

    code: str


class RecoveryCodesBody(Body):
    """Codes that stand in for the second factor, each once. Shown this once."""

    codes: list[str]
