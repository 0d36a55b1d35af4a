"""How what stands on papers is read: tax numbers, e-mail addresses, telephone numbers, languages, addresses."""

import re

from stdnum import exceptions, get_cc_module
from stdnum.eu import vat

from gradumen.core.errors import Invalid
from gradumen.core.names import name_of

# What stands before the @ is a dot-string (RFC 5321, 4.1.2).
_EMAIL = re.compile(r"[A-Za-z0-9!#$%&'*+/=?^_`{|}~.-]{1,64}@[A-Za-z0-9](?:[A-Za-z0-9.-]{0,180}[A-Za-z0-9])?", re.ASCII)
_PHONE = re.compile(r"\+?[0-9][0-9 ()./-]{3,38}", re.ASCII)
_LANGUAGE = re.compile(r"[a-z]{2,3}(-[A-Z][a-z]{3})?(-[A-Z]{2})?", re.ASCII)
_OTHER_TAX_ID = re.compile(r"[A-Z0-9][A-Z0-9 ./-]{1,28}[A-Z0-9]", re.ASCII)
STREET_LINES = 3


def tax_id_of(raw: str, country: str) -> str:
    """Read a tax number: by form and check digit where the country's are known, else by form alone.

    Numbers of the European Union's value added tax begin with the country (Council Directive 2006/112/EC, article 215).

    Args:
        country: ISO 3166-1 alpha-2.

    Raises:
        Invalid: it is no number of that country.

    >>> tax_id_of("0999.999.922", "BE"), tax_id_of("GB 999 9999 73", "GB")
    ('BE0999999922', '999999973')
    """
    written = raw.strip().upper()
    own = country.lower()
    try:
        if own in vat.MEMBER_STATES:
            prefix = "EL" if own == "gr" else country
            return str(vat.validate(written if written.startswith(prefix) else f"{prefix}{written}"))
        known = get_cc_module(own, "vat")
        if known is not None:
            return str(known.validate(written))
    except exceptions.ValidationError as error:
        why = "its check digit is wrong" if isinstance(error, exceptions.InvalidChecksum) else "its form is another"
        raise Invalid(
            f"'{raw[:40]}' is no tax number of {country}: {why}; write it as on the tax office's letter",
            field="tax_id",
            value=raw,
        ) from None
    if not _OTHER_TAX_ID.fullmatch(written):
        raise Invalid(
            f"'{raw[:40]}' is no tax number: 3 to 30 letters, digits and . / - between them", field="tax_id", value=raw
        )
    return written


def email_of(raw: str, *, field: str) -> str:
    """Read an e-mail address, by form.

    Raises:
        Invalid: it is none.
    """
    written = raw.strip()
    if len(written) > 200 or not _EMAIL.fullmatch(written) or ".." in written:
        raise Invalid(f"'{raw[:60]}' is no e-mail address; write it like desk@oxbow.example", field=field, value=raw)
    return written


def phone_of(raw: str) -> str:
    """Read a telephone number, by form.

    Raises:
        Invalid: it is none.
    """
    written = " ".join(raw.split())
    if not _PHONE.fullmatch(written):
        raise Invalid(f"'{raw[:40]}' is no telephone number; write it like +353 1 555 0100", field="phone", value=raw)
    return written


def language_of(raw: str) -> str:
    """Read the tag of a language (RFC 5646: language, script, region).

    Raises:
        Invalid: it is none.
    """
    if not _LANGUAGE.fullmatch(raw):
        raise Invalid(f"'{raw[:20]}' is no tag of a language; write it like en or fr-BE", field="language", value=raw)
    return raw


def street_of(raw: str) -> str:
    """Read the lines of an address above its town, each trimmed.

    Raises:
        Invalid: more than `STREET_LINES`, or too long ones.
    """
    lines = [name_of(line, field="street", most=100) for line in raw.splitlines() if line.strip()]
    if not 1 <= len(lines) <= STREET_LINES:
        raise Invalid(f"an address has 1 to {STREET_LINES} lines above its town", field="street", value=raw)
    return "\n".join(lines)
