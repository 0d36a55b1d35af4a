"""Messages to people: their kinds, the texts that they begin with, and how a text and its facts become a mail.

A text has placeholders in braces and nothing else that could be carried out; what stands in their place is plain text.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from enum import StrEnum
from html import escape

from gradumen.core.errors import Invalid
from gradumen.core.message_forms import FORMS, LINK, Form, Kind, Text

__all__ = [
    "FORMS",
    "LINK",
    "Form",
    "Kind",
    "Mail",
    "State",
    "Text",
    "check_text",
    "day_words",
    "moment_words",
    "month_words",
    "pause_after",
    "render",
]


class State(StrEnum):
    """How far a message has come."""

    WAITING = "waiting"
    SENT = "sent"
    FAILED = "failed"
    """It is not tried again by itself; its problem says why."""


LONGEST_SUBJECT, LONGEST_BODY = 200, 4000
_MONTHS = (
    *("January", "February", "March", "April", "May", "June"),
    *("July", "August", "September", "October", "November", "December"),
)
_PLACEHOLDER = re.compile(r"\{([^{}]*)\}")
_PAUSES = tuple(timedelta(minutes=each) for each in (1, 5, 30, 120, 480))
KEPT_TRYING = timedelta(days=3)
"""A message that is not sent for so long is not worth sending any more."""


def pause_after(attempt: int) -> timedelta | None:
    """How long a message rests after its n-th attempt failed in passing; None: it has failed.

    >>> pause_after(1), pause_after(6)
    (datetime.timedelta(seconds=60), None)
    """
    return _PAUSES[attempt - 1] if attempt <= len(_PAUSES) else None


def day_words(day: date) -> str:
    """A day for people.

    >>> day_words(date(2026, 10, 2))
    '2 October 2026'
    """
    return f"{day.day} {_MONTHS[day.month - 1]} {day.year}"


def month_words(first: date) -> str:
    """The month of a day for people."""
    return f"{_MONTHS[first.month - 1]} {first.year}"


def moment_words(at: datetime) -> str:
    """A moment for people, in UTC to the minute."""
    here = at.astimezone(UTC)
    return f"{day_words(here.date())}, {here:%H:%M} UTC"


def check_text(kind: Kind, text: Text) -> Text:
    """A text that somebody wrote, without spaces around it.

    Raises:
        Invalid: a part is empty, too long, has characters that cannot be shown, or something in braces that is no
            placeholder of the kind.
    """
    found = Text(text.subject.strip(), text.body.replace("\r\n", "\n").strip())
    known = FORMS[kind].placeholders
    for name, value, most in (("subject", found.subject, LONGEST_SUBJECT), ("body", found.body, LONGEST_BODY)):
        if not value or len(value) > most:
            raise Invalid(f"{name} has 1 to {most} characters; got {len(value)}", field=name, value=value[:80])
        if not (value.replace("\n", "") if name == "body" else value).isprintable():
            raise Invalid(f"{name} has a character that cannot be shown; type it anew", field=name, value=value[:80])
        for odd in _PLACEHOLDER.findall(value):
            if odd not in known:
                named = ", ".join(f"{{{each}}}" for each in known)
                raise Invalid(
                    f"{{{odd[:40]}}} is no placeholder of this message; it has {named}",
                    field=name,
                    value=odd,
                    known=list(known),
                )
        if "{" in _PLACEHOLDER.sub("", value) or "}" in _PLACEHOLDER.sub("", value):
            raise Invalid(
                f"{name} has a brace that belongs to no placeholder; write placeholders as {{{known[0]}}}",
                field=name,
                value=value[:80],
            )
    return found


@dataclass(frozen=True, slots=True)
class Mail:
    """What is sent: subject, plain text, and the same as HTML."""

    subject: str
    text: str
    html: str


def render(kind: Kind, text: Text, facts: Mapping[str, str], *, brand: str) -> Mail:
    """A mail of a text and its facts; what is not among the facts is nothing, and so is a paragraph of nothing.

    Args:
        brand: whom it comes from, named above and below.

    >>> mail = render(Kind.INVITATION, Text("To {organisation}", "<{role}>"), {"role": "a & b"}, brand="Oxbow")
    >>> mail.subject, mail.text.splitlines()[0]
    ('To', '<a & b>')
    >>> "&lt;a &amp; b&gt;" in mail.html
    True
    """
    link = facts.get(LINK, "")
    paragraphs = [each for each in re.split(r"\n\s*\n", text.body) if _filled(each, facts).strip()]
    plain = "\n\n".join(_filled(each, facts).strip() for each in paragraphs)
    subject = " ".join(_filled(text.subject, facts).split())
    parts = [_paragraph(each, facts, link, FORMS[kind].act) for each in paragraphs]
    return Mail(subject, f"{plain}\n\n-- \n{brand}\n", _page(subject, parts, brand))


def _filled(text: str, facts: Mapping[str, str]) -> str:
    return _PLACEHOLDER.sub(lambda found: facts.get(found[1], ""), text)


def _paragraph(text: str, facts: Mapping[str, str], link: str, act: str) -> str:
    """A paragraph as HTML; one that is the link alone is a button."""
    if text.strip() == f"{{{LINK}}}":
        style = "display:inline-block;padding:9px 16px;background:#3d5f2e;color:#ffffff;text-decoration:none"
        return f'<p style="margin:20px 0"><a href="{escape(link)}" style="{style}">{escape(act)}</a></p>'
    filled = escape(_filled(text, facts).strip()).replace("\n", "<br>")
    return f'<p style="margin:12px 0">{filled}</p>'


def _page(subject: str, paragraphs: list[str], brand: str) -> str:
    """A page that looks the same where styles are dropped: no picture, no script, nothing from elsewhere."""
    name = escape(brand)
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{escape(subject)}</title></head>'
        '<body style="margin:0;background:#f7f5ef;color:#22302b;font:15px/1.55 Inter,Arial,sans-serif">'
        '<div style="max-width:560px;margin:0 auto;padding:28px 20px">'
        f'<div style="font-weight:600;padding-bottom:10px;border-bottom:1px solid #d9d4c7">{name}</div>'
        f"{''.join(paragraphs)}"
        f'<div style="margin-top:28px;padding-top:10px;border-top:1px solid #d9d4c7;color:#5b665f;font-size:13px">'
        f"{name}</div></div></body></html>\n"
    )
