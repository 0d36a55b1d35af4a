"""gradumen details: who organisations are on paper."""

import argparse
from typing import Any

from gradumen.cli.nouns import Verbs, add_organisation
from gradumen.cli.output import Out
from gradumen.cli.profiles import own_organisation
from gradumen.client import Client
from gradumen.core.errors import Invalid
from gradumen.wire.organisations.details import BillingContactBody, DetailsBody, DetailsUpdate

TEXTS = {
    "legal_name": "legal name",
    "registration": "number in the register of companies",
    "tax_id": "tax number; its check digit is looked at where the country's are known",
    "street": "street, or the lines above the town with \\n between them",
    "postal_code": "postal code",
    "town": "town",
    "region": "region",
    "email": "e-mail address",
    "phone": "telephone number",
    "language": "language of what is written to it, like en or fr-BE",
}


def register(nouns: Any) -> None:
    """Add the verbs."""
    verbs = Verbs(
        nouns, "details", "who an organisation is on paper: legal name, tax number, address, billing contacts"
    )
    add_organisation(verbs.add("show", run_show, "what is known of an organisation"))
    change = verbs.add("change", run_change, "change what is given; empty text: not known; safe to repeat")
    add_organisation(change)
    for name, help in TEXTS.items():
        change.add_argument(f"--{name.replace('_', '-')}", help=help)
    change.add_argument(
        "--billing-contact", action="append", metavar="NAME<ADDRESS>", help="whom documents are for, in place of those"
        " that are there; repeatable; empty: nobody",
    )  # fmt: skip


def contact(raw: str) -> BillingContactBody:
    """Read a contact that is written ``Name <address>``.

    Raises:
        Invalid: it is written otherwise.
    """
    name, less, rest = raw.partition("<")
    if not less or not rest.endswith(">"):
        raise Invalid(
            f"'{raw[:80]}' is no contact; write it like 'Ada Moor <ada@oxbow.example>'", field="billing_contact"
        )
    return BillingContactBody(name=name.strip(), email=rest[:-1].strip())


def run_show(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Show details."""
    return _show(client.details.get(own_organisation(arguments)), out)


def run_change(arguments: argparse.Namespace, client: Client, out: Out) -> int:
    """Change details."""
    slug = own_organisation(arguments)
    held = client.details.get(slug)
    given = {name: getattr(arguments, name) for name in TEXTS if getattr(arguments, name) is not None}
    if given.get("street"):
        given["street"] = given["street"].replace("\\n", "\n")
    contacts = held.billing_contacts
    if arguments.billing_contact is not None:
        contacts = [contact(each) for each in arguments.billing_contact if each.strip()]
    kept = {name: getattr(held, name) for name in TEXTS}
    body = DetailsUpdate(**{**kept, **given}, billing_contacts=contacts, version=held.version)
    return _show(client.details.set(slug, body), out)


def _show(found: DetailsBody, out: Out) -> int:
    out.body(found)
    rows = [(name.replace("_", " "), line) for name in TEXTS for line in (getattr(found, name) or "").splitlines()]
    rows += [("billing contact", f"{each.name} <{each.email}>") for each in found.billing_contacts]
    rows += [("payer", found.payer_name)] if found.payer_name else []
    rows += [("notes", line) for line in (found.notes or "").splitlines()]
    if rows:
        out.table((found.organisation_name.upper(), found.country), rows)
    else:
        out.say(f"nothing is known of {found.organisation_name} yet; say it with: gradumen details change")
    return 0
