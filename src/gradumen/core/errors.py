"""The errors of the product, in one tree.

GradumenError
├── Invalid                  a value that cannot be taken as it is
│   ├── Several              several of them
│   ├── CatalogueInvalid     problems in catalogue files, each with file, line and path
│   └── NotPriceable         no rate card, tax rate or subscription where one is needed
├── NotSignedIn              nobody is signed in, or the session or token is over
│   └── SecondFactorNeeded   the password is right, a code is asked for
├── Forbidden                may be seen but not done
│   ├── SessionChanged       a page of an earlier session
│   └── NeedsPassword        only somebody signed in by password does this, no program
├── NotFound                 is not there, or is outside the caller's scope
├── TooLarge                 more than one call may carry
├── WrongMediaType           a content type that this call does not read
├── TooSlow                  a body that did not come in time
├── SlowDown                 too many attempts; says when to come back
├── Busy                     too much of the caller's is being computed already
├── Unavailable              the database, or a system outside, does not serve just now
├── Unanswered               whether it was done is not known
└── Conflict                 does not fit the state of things
    ├── QuotaExceeded        a grant or request above what is left
    ├── QuotaBelowGranted    a limit below what is already given on
    ├── QuotaBelowSubscribed a limit below what the tiers of subscriptions promise
    ├── UnlimitedBelow       a limit for one below whom somebody has none
    ├── VersionInForce       a published version would change
    ├── NotOffered           a tier that its seller does not offer to the buyer
    ├── NotOnSale            a tier that is withdrawn or retired on that day
    ├── StillSubscribed      a tier to retire that subscriptions still have
    ├── NotActive            an organisation that is suspended, closing or closed, or not active yet
    ├── PeriodOpen           the period is not over yet
    ├── FeedsIncomplete      something of the period may still come by feeds
    ├── EditedMeanwhile      somebody else changed it first
    └── KeyUsedOtherwise     an Idempotency-Key with another body
"""

from collections.abc import Sequence
from typing import Any, ClassVar, Self


def whole_text(text: str) -> str:
    r"""A text that can be stored and sent: halves of characters, which some JSON has, are written out.

    >>> whole_text("a\ud800")
    'a\\ud800'
    """
    return text.encode("utf-8", "backslashreplace").decode()


class GradumenError(Exception):
    """Any refusal of the product: a stable ``code``, the facts, and a message that says what to do."""

    code: ClassVar[str] = "error"

    def __init__(self, message: str, **facts: Any) -> None:
        super().__init__(message)
        self.message = whole_text(message)
        self.facts: dict[str, Any] = facts

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self).rebuilt, (self.message, self.facts)

    @classmethod
    def rebuilt(cls, message: str, facts: dict[str, Any]) -> Self:
        """Make the error again from what went over the wire, without the constructor of the class."""
        error = cls.__new__(cls)
        GradumenError.__init__(error, message, **facts)
        return error


class Invalid(GradumenError):
    """A value that cannot be taken as it is; names the field, the value, the limit and the remedy."""

    code = "invalid"

    def __init__(self, message: str, *, field: str = "", value: object = None, **facts: Any) -> None:
        shown = None if value is None else whole_text(str(value)[:200])
        super().__init__(message, field=whole_text(field), value=shown, **facts)

    @property
    def each(self) -> "Sequence[Invalid]":
        """All that is wrong, where it is more."""
        return (self,)


class Several(Invalid):
    """Several values that cannot be taken as they are; by itself it says the first."""

    code = "several_invalid"

    def __init__(self, problems: "Sequence[Invalid]") -> None:
        super().__init__(problems[0].message, **problems[0].facts)
        self._each = tuple(problems)

    @property
    def each(self) -> Sequence[Invalid]:
        """All that is wrong."""
        return getattr(self, "_each", (self,))


class CatalogueInvalid(Invalid):
    """Problems in catalogue files; ``problems`` lists file, line, path, message and remedy of each."""

    code = "catalogue_invalid"

    def __init__(self, problems: list[dict[str, Any]]) -> None:
        first = problems[0]
        more = f" (and {len(problems) - 1} more)" if len(problems) > 1 else ""
        super().__init__(
            f"{first['file']}:{first['line']}: {first['path']}: {first['message']}{more}", problems=problems
        )


class NotPriceable(Invalid):
    """A rate card, tax rate or seller that is needed to price something is not there."""

    code = "not_priceable"


class NotSignedIn(GradumenError):
    """Nobody is signed in, or the session or token is over or withdrawn."""

    code = "not_signed_in"


class SecondFactorNeeded(NotSignedIn):
    """The password is right; the user has a second factor, and its code is asked for."""

    code = "second_factor_needed"

    def __init__(self) -> None:
        GradumenError.__init__(self, "send the code of your second factor too, or one of your recovery codes")


class Forbidden(GradumenError):
    """The caller may see this but not do this."""

    code = "forbidden"

    def __init__(self, *, right: str, organisation: str, name: str = "") -> None:
        whose = name or organisation
        super().__init__(
            f"this needs the right '{right}' in {whose}; ask an administrator of {whose} for it",
            right=right,
            organisation=organisation,
        )


class SessionChanged(Forbidden):
    """A page of the console that belongs to an earlier session."""

    code = "session_changed"

    def __init__(self) -> None:
        GradumenError.__init__(self, "your session changed: reload the page")


class NeedsPassword(Forbidden):
    """A program with a token asks for what only somebody signed in by password does."""

    code = "needs_password"

    def __init__(self) -> None:
        GradumenError.__init__(
            self, "programs with a token make no members or tokens and change no passwords; sign in by password"
        )


class NotFound(GradumenError):
    """It is not there, or it is outside the caller's scope: the two look alike."""

    code = "not_found"

    def __init__(self, what: str, name: object) -> None:
        super().__init__(f"no {what} '{name}' here; check the name, or who you are signed in as", what=what)


class TooLarge(GradumenError):
    """One call carries more than it may."""

    code = "too_large"


class WrongMediaType(GradumenError):
    """The content type is none that this call reads."""

    code = "wrong_media_type"


class TooSlow(GradumenError):
    """A body that did not come in time."""

    code = "too_slow"


class SealBroken(GradumenError):
    """A secret was sealed with a key that is not among those at hand."""

    code = "seal_broken"

    def __init__(self, keys: object) -> None:
        super().__init__(
            f"a secret in the database was sealed with a key that is not in {keys}; put the file of keys back that "
            "belongs to this database, or begin anew with: gradumen sealing begin-anew",
        )


class SlowDown(GradumenError):
    """Too many attempts; ``retry_after_seconds`` says when the next one is looked at."""

    code = "slow_down"

    def __init__(self, *, retry_after_seconds: int) -> None:
        super().__init__(
            f"too many failed attempts; try again in {retry_after_seconds} s", retry_after_seconds=retry_after_seconds
        )


class Busy(GradumenError):
    """Too much is being computed for this caller or organisation; ``retry_after_seconds`` says when to ask again."""

    code = "busy"

    def __init__(self, *, running: int, retry_after_seconds: int) -> None:
        super().__init__(
            f"{running} calls like this are being computed for you already; ask again in {retry_after_seconds} s",
            running=running,
            retry_after_seconds=retry_after_seconds,
        )


class Unavailable(GradumenError):
    """The service's database, or a system outside, is out of reach or overloaded; it may be there again soon."""

    code = "unavailable"

    def __init__(self, message: str = "") -> None:
        database = "the service's database does not take this just now; nothing was done, try again shortly"
        super().__init__(message or database)


class Unanswered(GradumenError):
    """The database did not say whether it carried this out."""

    code = "unanswered"

    def __init__(self) -> None:
        super().__init__(
            "the connection to the service's database broke while this was being stored; look whether it was, "
            "or repeat it with the same Idempotency-Key"
        )


class Conflict(GradumenError):
    """It does not fit the state of things; the message says which state."""

    code = "conflict"


class QuotaExceeded(Conflict):
    """More than is left of a limit of the one who asks (never someone else's figures); the facts name them."""

    code = "quota_exceeded"


class QuotaBelowGranted(Conflict):
    """A limit below what its holder has already passed on or reserved."""

    code = "quota_below_granted"


class QuotaBelowSubscribed(Conflict):
    """A limit below what the tiers of its holder's subscriptions promise together."""

    code = "quota_below_subscribed"


class UnlimitedBelow(Conflict):
    """A limit for a holder below which somebody has none."""

    code = "unlimited_below"


class NotOffered(Conflict):
    """A tier that a seller of the chain does not offer to its buyer."""

    code = "not_offered"


class NotOnSale(Conflict):
    """A tier that is not sold any more on the day that a subscription to it would begin."""

    code = "not_on_sale"


class StillSubscribed(Conflict):
    """A tier cannot be retired while subscriptions have it; ``subscriptions`` lists them."""

    code = "still_subscribed"


class VersionInForce(Conflict):
    """A published version never changes, and no version starts before one in force or in a billed period."""

    code = "version_in_force"


class PeriodOpen(Conflict):
    """The period is not over in the seller's billing zone."""

    code = "period_open"


class FeedsIncomplete(Conflict):
    """Something of a period may still come by feeds; ``feeds`` says of each up to when all is here."""

    code = "feeds_incomplete"


class NotActive(Conflict):
    """Something new for an organisation that is suspended, closing or closed, or not active yet."""

    code = "not_active"


class EditedMeanwhile(Conflict):
    """The thing was changed since it was read; read it again and repeat the edit."""

    code = "edited_meanwhile"


class KeyUsedOtherwise(Conflict):
    """The Idempotency-Key was used with another body."""

    code = "key_used_otherwise"


def error_class(code: str) -> type[GradumenError]:
    """Find the class with that ``code``; the root of the tree where there is none.

    >>> error_class("quota_exceeded").__name__
    'QuotaExceeded'
    """
    pending: list[type[GradumenError]] = [GradumenError]
    while pending:
        kind = pending.pop()
        if kind.code == code:
            return kind
        pending.extend(kind.__subclasses__())
    return GradumenError
