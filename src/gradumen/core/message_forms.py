"""The kinds of messages: when each is sent, what its link says, and the text that it begins with."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum


class Kind(StrEnum):
    """What a message is about."""

    INVITATION = "invitation"
    PASSWORD_RESET = "password-reset"
    PASSWORD_CHANGED = "password-changed"
    SECOND_FACTOR = "second-factor"
    ORDER_WAITS = "order-waits"
    ORDER_DONE = "order-done"
    ORDER_REFUSED = "order-refused"
    WELCOME = "welcome"
    ONBOARDING_WAITS = "onboarding-waits"
    ONBOARDING_ANSWERED = "onboarding-answered"
    QUOTA_ASKED = "quota-asked"
    QUOTA_ANSWERED = "quota-answered"
    OVER_LIMIT = "over-limit"
    ENDS_SOON = "ends-soon"
    MOVE = "move"
    INVOICE = "invoice"


LINK = "link"
"""The placeholder of the way to the page that a message is about."""


@dataclass(frozen=True, slots=True)
class Text:
    """Subject and body with placeholders; a line apart begins a new paragraph."""

    subject: str
    body: str


@dataclass(frozen=True, slots=True)
class Form:
    """A kind of message: when it is sent, what its link says, the text it begins with, and an example of its facts."""

    when: str
    act: str
    text: Text
    example: Mapping[str, str] = field(default_factory=dict)

    @property
    def placeholders(self) -> tuple[str, ...]:
        """What may stand in braces."""
        return tuple(self.example)


_PERSON = {"name": "Ines Quay"}
_LINK = {LINK: "https://clouds.example/…"}
FORMS: dict[Kind, Form] = {
    Kind.INVITATION: Form(
        "somebody is invited",
        "Accept the invitation",
        Text(
            "You are invited to {organisation}",
            "{inviter} invites you to work in {organisation} as {role}.\n\n{link}\n\n"
            "The link works once, until {until}. If you expect no invitation, do nothing.",
        ),
        {
            "organisation": "Saltmarsh Ferries",
            "inviter": "Oxbow Managed IT",
            "role": "administrator",
            "until": "2 October 2026",
            **_LINK,
        },
    ),
    Kind.WELCOME: Form(
        "a customer is on board for whom words of welcome were written, to the people that it begins with",
        "Sign in",
        Text(
            "Welcome, {organisation}",
            "{welcome}\n\nThis is there for {organisation}:\n{what}\n\nYour invitation comes in a mail of its own; "
            "accept it first.\n\n{link}",
        ),
        {
            "organisation": "Saltmarsh Ferries",
            "welcome": "Good to have you with us. Piers Holm looks after you: call him whenever something is unclear.",
            "what": "Open Range, tier Moor, from 1 October 2026",
            **_LINK,
        },
    ),
    Kind.PASSWORD_RESET: Form(
        "somebody asks for a new password, or an administrator makes a link for it",
        "Set a new password",
        Text(
            "A new password for {organisation}",
            "Hello {name},\n\nhere you set a new password.\n\n{link}\n\n"
            "The link works once, until {until}. If you did not ask for it, do nothing: your password stays.",
        ),
        {**_PERSON, "organisation": "Saltmarsh Ferries", "until": "25 September 2026, 14:30 UTC", **_LINK},
    ),
    Kind.PASSWORD_CHANGED: Form(
        "a password was changed",
        "Look at your sign-ins",
        Text(
            "Your password was changed",
            "Hello {name},\n\nyour password was changed on {at}. If it was not you, tell an administrator of "
            "{organisation} at once.\n\n{link}",
        ),
        {**_PERSON, "organisation": "Saltmarsh Ferries", "at": "25 September 2026, 14:30 UTC", **_LINK},
    ),
    Kind.SECOND_FACTOR: Form(
        "a second factor was set up or taken away",
        "Look at your account",
        Text(
            "Your second factor was {change}",
            "Hello {name},\n\nyour second factor was {change} on {at}. If it was not you, tell an administrator of "
            "{organisation} at once.\n\n{link}",
        ),
        {
            **_PERSON,
            "organisation": "Saltmarsh Ferries",
            "change": "set up",
            "at": "25 September 2026, 14:30 UTC",
            **_LINK,
        },
    ),
    Kind.ORDER_WAITS: Form(
        "an order waits for approval",
        "Look at the order",
        Text(
            "{customer} orders: {what}",
            "Hello {name},\n\n{customer} orders: {what}. {adds} It waits for approval.\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "what": "Open Range, tier Moor, from 1 October 2026",
            "adds": "It adds 79.00 GBP a month.",
            **_LINK,
        },
    ),
    Kind.ORDER_DONE: Form(
        "an order was carried out",
        "Look at the subscription",
        Text(
            "Ordered: {what}",
            "Hello {name},\n\n{customer} has what was ordered: {what}. {adds}\n\n{reason}\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "what": "Open Range, tier Moor, from 1 October 2026",
            "adds": "It adds 79.00 GBP a month.",
            "reason": "",
            **_LINK,
        },
    ),
    Kind.ORDER_REFUSED: Form(
        "an order was refused",
        "Look at the order",
        Text(
            "Not approved: {what}",
            "Hello {name},\n\nthe order of {customer} was not approved: {what}.\n\n{reason}\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "what": "Open Range, tier Moor, from 1 October 2026",
            "reason": "Please ask again in October.",
            **_LINK,
        },
    ),
    Kind.ONBOARDING_WAITS: Form(
        "a new customer waits for approval",
        "Look at what would happen",
        Text(
            "{customer} waits to come on board",
            "Hello {name},\n\n{asked_by} asks to bring {customer} on board. {comes_to} It waits for approval."
            "\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "seller": "Oxbow Managed IT",
            "asked_by": "Edda Lund",
            "comes_to": "It comes to 79.00 GBP a month.",
            **_LINK,
        },
    ),
    Kind.ONBOARDING_ANSWERED: Form(
        "a new customer was approved, refused, or asked back about",
        "Look at it",
        Text(
            "{customer}: {outcome}",
            "Hello {name},\n\nbringing {customer} on board was {outcome}. {comes_to}\n\n{reason}\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "seller": "Oxbow Managed IT",
            "asked_by": "Edda Lund",
            "comes_to": "It comes to 79.00 GBP a month.",
            "outcome": "asked back",
            "reason": "Which cost centre pays for it?",
            **_LINK,
        },
    ),
    Kind.QUOTA_ASKED: Form(
        "a customer asks for another limit",
        "Look at the request",
        Text(
            "{customer} asks for {limit}",
            "Hello {name},\n\n{customer} asks for a limit of {limit} ({measure}).\n\n{reason}\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "measure": "processors",
            "limit": "64 vCPU",
            "reason": "The summer timetable.",
            **_LINK,
        },
    ),
    Kind.QUOTA_ANSWERED: Form(
        "a request for another limit was answered",
        "Look at the limits",
        Text(
            "{limit} asked for: {outcome}",
            "Hello {name},\n\nthe request of {customer} for a limit of {limit} ({measure}) was {outcome}.\n\n{reason}"
            "\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "measure": "processors",
            "limit": "64 vCPU",
            "outcome": "granted in part: 48 vCPU",
            "reason": "More when the new hosts are in.",
            **_LINK,
        },
    ),
    Kind.OVER_LIMIT: Form(
        "more is in use of what meters count than a limit allows, or a soft limit's grace is over",
        "Look at it",
        Text(
            "{customer} is above its {limit}",
            "Hello {name},\n\n{what}. {then}\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "limit": "limit",
            "what": "Saltmarsh Ferries uses 130 vCPU, its limit is 100 vCPU",
            "then": "Use less, or ask your seller for more.",
            **_LINK,
        },
    ),
    Kind.ENDS_SOON: Form(
        "a trial, a subscription or an organisation's state is about to end",
        "Look at it",
        Text(
            "{customer}: {what}",
            "Hello {name},\n\nabout {customer}: {what}. {then}\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "what": "the trial of Open Range ends with 14 October 2026",
            "then": "From 15 October 2026 on it costs 79.00 GBP a month and what it uses.",
            **_LINK,
        },
    ),
    Kind.MOVE: Form(
        "an organisation is to buy from another seller, or that is taken back",
        "Look at it",
        Text(
            "{customer} moves to another seller",
            "Hello {name},\n\n{what}. {then}\n\n{link}",
        ),
        {
            **_PERSON,
            "customer": "Saltmarsh Ferries",
            "what": "Saltmarsh Ferries buys from you until 30 November 2026",
            "then": "You bill it up to that day, and what comes late for the time before.",
            **_LINK,
        },
    ),
    Kind.INVOICE: Form(
        "an invoice or a credit note was issued",
        "Look at the document",
        Text(
            "{document} {number} of {seller}",
            "Hello,\n\nhere is {document} {number} of {seller} for {customer}: {total}, {period}.\n\n{link}",
        ),
        {
            "document": "Invoice",
            "number": "OX-2026-000017",
            "seller": "Oxbow Managed IT",
            "customer": "Saltmarsh Ferries",
            "total": "1 204.50 GBP",
            "period": "September 2026",
            **_LINK,
        },
    ),
}
