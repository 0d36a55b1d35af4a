"""What organisations are on paper: who reads and changes it, how it is read, and that documents keep it."""

from decimal import Decimal
from io import BytesIO
from typing import Any

import pypdf
import pytest

from gradumen.core.errors import EditedMeanwhile, Forbidden, GradumenError, Invalid, NotFound
from gradumen.wire.organisations.details import BillingContactBody, DetailsUpdate
from tests.world import World, egress

SALTMARSH: dict[str, Any] = {
    "legal_name": "Saltmarsh Ferries Limited",
    "registration": "SC 000 001",
    "tax_id": "GB 999 9999 73",
    "street": "Pier House\n2 Harbour Road",
    "postal_code": "OB1 2ZZ",
    "town": "Saltmarsh",
    "email": "office@saltmarsh.example",
    "phone": "+44 1632 960 001",
    "language": "en-GB",
}


def test_what_is_known_is_read_and_changed_by_it_and_its_direct_seller(world: World) -> None:
    ines, edda = world.user("ines"), world.user("edda")
    assert ines.details.get("saltmarsh").version == 0
    contacts = [BillingContactBody(name="Nia Ford", email="Bills@Saltmarsh.example")]
    made = ines.details.set("saltmarsh", DetailsUpdate(**SALTMARSH, billing_contacts=contacts, version=0))
    assert made.tax_id == "999999973"
    assert made.billing_contacts == [BillingContactBody(name="Nia Ford", email="bills@saltmarsh.example")]
    again = ines.details.set("saltmarsh", DetailsUpdate(**SALTMARSH, billing_contacts=contacts))
    assert again.version == made.version == 1, "asking again changes nothing"
    assert edda.details.get("saltmarsh").legal_name == "Saltmarsh Ferries Limited"
    with pytest.raises(EditedMeanwhile):
        edda.details.set("saltmarsh", DetailsUpdate(**SALTMARSH, version=0))
    for user, refusal in (("mara", Forbidden), ("wynn", NotFound), ("una", NotFound)):
        with pytest.raises(refusal):
            world.user(user).details.get("saltmarsh")
    for user in ("vera", "piers"):
        with pytest.raises(Forbidden):
            world.user(user).details.set("saltmarsh", DetailsUpdate(town="Elsewhere"))
    (entry,) = [each for each in ines.audit_entries.list("saltmarsh") if each.action == "details changed"]
    assert entry.after is not None
    assert entry.after["town"] == "Saltmarsh"


@pytest.mark.parametrize(
    ("field", "value", "said"),
    [
        ("tax_id", "GB 999 9999 74", "its check digit is wrong"),
        ("tax_id", "12", "its form is another"),
        ("email", "nobody at all", "no e-mail address"),
        ("phone", "call me", "no telephone number"),
        ("language", "english", "no tag of a language"),
        ("street", "a\nb\nc\nd", "1 to 3 lines"),
        ("town", "x" * 101, "1 to 100 printable"),
        ("legal_name", "a\x07b", "1 to 200 printable"),
    ],
)
def test_what_cannot_be_read_is_named_and_nothing_is_kept(world: World, field: str, value: str, said: str) -> None:
    ines = world.user("ines")
    with pytest.raises(GradumenError, match=said) as refused:
        ines.details.set("saltmarsh", DetailsUpdate(**{**SALTMARSH, field: value}))
    assert refused.value.facts["field"] == field
    assert ines.details.get("saltmarsh").version == 0


def test_two_contacts_never_have_one_address(world: World) -> None:
    twice = [BillingContactBody(name=name, email="bills@saltmarsh.example") for name in ("Nia", "Ada")]
    with pytest.raises(Invalid, match="two billing contacts have the same"):
        world.user("ines").details.set("saltmarsh", DetailsUpdate(billing_contacts=twice))


def test_what_a_seller_notes_is_its_own(world: World) -> None:
    edda, ines = world.user("edda"), world.user("ines")
    edda.organisations.change("saltmarsh", notes="Pays late", tags=["ferries", "coast"], segment="transport")
    assert edda.organisations.get("saltmarsh").tags == ["coast", "ferries"]
    assert edda.details.get("saltmarsh").notes == "Pays late"
    assert [each.slug for each in edda.organisations.list(tag="coast")] == ["saltmarsh"]
    assert edda.organisations.list(tag="hills") == []
    for user in ("ines", "mara"):
        told = world.user(user).organisations.get("saltmarsh")
        assert (told.tags, told.segment) == ([], None)
        assert world.user(user).organisations.list(tag="coast") == []
    assert ines.details.get("saltmarsh").notes is None
    edda.organisations.change("saltmarsh", name="Saltmarsh Ferries Ltd", notes="Still pays late", payer="oxbow")
    for entry in ines.audit_entries.list("saltmarsh"):
        assert "late" not in f"{entry.before} {entry.after}"
    with pytest.raises(Forbidden):
        ines.organisations.change("saltmarsh", segment="best")
    with pytest.raises(Forbidden):
        world.mara.organisations.change("saltmarsh", tags=["mine"])
    assert ines.organisations.change("saltmarsh", name="Saltmarsh Lines").name == "Saltmarsh Lines"


def test_the_payer_is_one_that_the_same_seller_sells_to(world: World) -> None:
    edda = world.user("edda")
    with pytest.raises(Forbidden):
        world.user("ines").organisations.change("saltmarsh", payer="oxbow")
    with pytest.raises(NotFound):
        edda.organisations.change("saltmarsh", payer="quillstone")
    for payer in ("thistledown", "oxbow"):
        edda.organisations.change("saltmarsh", payer=payer)
        assert edda.details.get("saltmarsh").payer == payer
    edda.organisations.change("saltmarsh", payer=None)
    assert edda.details.get("saltmarsh").payer is None


def test_documents_keep_who_they_were_issued_to(world: World) -> None:
    """A draft says what is known now, what is issued stays as it was, on the page and in the PDF."""
    edda, piers = world.user("edda"), world.user("piers")
    world.send(egress("e", 10**12))
    edda.details.set("oxbow", DetailsUpdate(legal_name="Oxbow Managed IT Limited", tax_id="999999918", town="Oxbow"))
    (draft,) = [each for each in world.close("oxbow", "piers", "2026-09", issue=False) if each.buyer == "saltmarsh"]
    assert draft.parties.buyer.address == []
    edda.details.set("saltmarsh", DetailsUpdate(**SALTMARSH))
    edda.organisations.change("saltmarsh", payer="thistledown")
    assert piers.invoices.get(draft.id).parties.buyer.legal_name == "Saltmarsh Ferries Limited"
    issued = piers.invoices.issue(draft.id)
    edda.details.set("saltmarsh", DetailsUpdate(legal_name="Another Name", town="Elsewhere"))
    kept = piers.invoices.get(draft.id).parties
    assert kept == issued.parties
    assert kept.buyer.address == ["Pier House", "2 Harbour Road", "OB1 2ZZ Saltmarsh"]
    assert kept.payer is not None
    assert kept.payer.name == "Thistledown Clinic"
    pdf = pypdf.PdfReader(BytesIO(piers.invoices.pdf(draft.id))).pages[0].extract_text()
    for said in ("Oxbow Managed IT Limited", "Tax number 999999918", "Saltmarsh Ferries Limited", "2 Harbour Road",
                 "Tax number 999999973", "To be paid by", "Thistledown Clinic", "United Kingdom"):  # fmt: skip
        assert said in pdf
    assert "Elsewhere" not in pdf
    assert issued.gross > Decimal(0)
