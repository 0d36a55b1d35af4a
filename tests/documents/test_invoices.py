"""The invoice as PDF: what it prints, for whom, how it is kept, and how long many lines take to lay out."""

import io
from datetime import date
from decimal import Decimal
from typing import Any

import pytest
from pypdf import PdfReader

from gradumen.documents.fonts import NotPrintable
from gradumen.documents.invoices import PdfInvoice, PdfLine, PdfParty, PdfTax, average_text, write_pdf


def invoice(number: int = 1, **changes: Any) -> PdfInvoice:
    """An invoice with lines, and with changes."""
    fields: dict[str, Any] = {
        "kind": "invoice",
        "number": "TARNWICK-2026-00001",
        "seller": PdfParty("Tarnwick Cloud", ["Ireland"], []),
        "buyer": PdfParty("Quillstone", ["Ireland"], []),
        "payer": None,
        "period": "2026-09",
        "invoice_date": date(2026, 10, 1),
        "due_date": date(2026, 10, 31),
        "currency": "EUR",
        "net": Decimal("10"),
        "gross": Decimal("12.30"),
        "tax_category": "S",
        "taxes": [PdfTax("S", "23", Decimal("10"), Decimal("2.30"))],
        "lines": [
            PdfLine(
                "Press",
                f"Machines {number:04d}",
                "Open Range",
                "1 Sep to 30 Sep 2026",
                "1",
                "month",
                "",
                Decimal(number),
            )
            for number in range(number)
        ],
    }
    return PdfInvoice(**{**fields, **changes})


def pages(pdf: bytes) -> list[str]:
    """The text of each page."""
    return [page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages]


@pytest.mark.parametrize("name", ["Łódź Ćwierć", "Škoda ž Ő ğ", "Λόγος Ωμέγα", "Кириллица Ђорђе", "Ærø Ñandú €"])
def test_latin_greek_and_cyrillic_are_printed(name: str) -> None:
    pdf = write_pdf(invoice(buyer=PdfParty(name, [], [])))
    assert name in pages(pdf)[0]
    fonts = PdfReader(io.BytesIO(pdf)).pages[0]["/Resources"]["/Font"].values()  # type: ignore[index]  # as every page has it
    descriptors = [font.get_object().get("/FontDescriptor") for font in fonts]
    assert any(each is not None and "/FontFile2" in each.get_object() for each in descriptors), (
        "the typeface is embedded"
    )


def test_letters_that_are_lacking_are_named_rather_than_boxed() -> None:
    with pytest.raises(NotPrintable, match=r"'山の雲'.*Latin, Greek and Cyrillic"):
        write_pdf(invoice(buyer=PdfParty("山の雲", [], [])))


def test_one_document_is_the_same_bytes_each_time() -> None:
    assert write_pdf(invoice(40)) == write_pdf(invoice(40))


@pytest.mark.parametrize("lines", [0, 1, 21, 22, 23, 24, 300])
def test_every_line_is_on_some_page_once_and_in_order_below_a_head(lines: int) -> None:
    found = pages(write_pdf(invoice(lines)))
    words = [word for page in found for word in page.split("\n") if word.startswith("Machines")]
    assert words == [f"Machines {number:04d}" for number in range(lines)]
    assert all("On average" in page for page in found if "Machines" in page)
    assert "Total EUR" in found[-1]


def test_a_long_description_is_wrapped_and_whole() -> None:
    words = [f"word{number}" for number in range(90)]
    line = PdfLine("Press", " ".join(words), "", "1 Sep to 30 Sep 2026", "1", "month", "", Decimal(1))
    found = " ".join(pages(write_pdf(invoice(lines=[line]))))
    assert all(word in found for word in words)


def test_lines_stand_below_their_project_with_its_sum_and_the_usual_period_is_said_once() -> None:
    september, august = "2026-09-01 to 2026-09-30", "2026-08-01 to 2026-08-31"
    lines = [
        PdfLine("Archive", "Processors", "Open Range", september, "1", "vCPU-hour", "", Decimal("1.10")),
        PdfLine("Press", "Processors", "Open Range", september, "1", "vCPU-hour", "", Decimal("4")),
        PdfLine("Archive", "Data sent out", "Open Range", august, "2", "GiB", "1.1", Decimal("2.20")),
    ]
    words = pages(write_pdf(invoice(lines=lines)))[0].split("\n")
    assert sum(september in each for each in words) == 1
    assert [each for each in words if "unless said" in each] == [
        f"Service period {september}, unless said below a line."
    ]
    places = [words.index(each) for each in ("Archive", "3.30", "1.10", "2.20", "Press")]
    assert places == sorted(places), words
    assert sum(august in each for each in words) == 1
    assert "1.1" in words, "what one of two came to"


def test_a_project_is_never_named_at_the_foot_of_a_page_alone() -> None:
    lines = [
        PdfLine(f"Project {number:03d}", "Machines", "Open Range", "always", "1", "month", "", Decimal(1))
        for number in range(90)
    ]
    found = pages(write_pdf(invoice(lines=lines)))
    assert len(found) > 1
    for page in found:
        assert page.count("Project ") == page.count("Machines")


def test_taxes_of_several_percentages_are_printed_with_what_they_are_on() -> None:
    taxes = [PdfTax("S", "7", Decimal(50), Decimal("3.50")), PdfTax("S", "19", Decimal(-1000), Decimal(-190))]
    text = pages(write_pdf(invoice(taxes=taxes)))[0].replace("\u00a0", " ")
    assert "Tax 7 % on 50.00 (standard rate)" in text
    assert "Tax 19 % on \u22121 000.00 (standard rate)" in text


def test_what_one_unit_came_to_has_four_places_and_is_left_out_where_it_says_nothing() -> None:
    assert average_text(Decimal("-12.50"), Decimal("-1000")) == "0.0125"
    assert average_text(Decimal("233.53"), Decimal("79042241.333333")) == "0.00000295"
    assert average_text(Decimal("0.01"), Decimal(10**18)) == "0"
    assert average_text(Decimal("1234.56"), Decimal("0.5")) == "2\u00a0469.12"
    assert [average_text(Decimal(amount), Decimal(of)) for amount, of in (("5", "1"), ("0", "9"), ("5", "0"))] == [
        ""
    ] * 3
