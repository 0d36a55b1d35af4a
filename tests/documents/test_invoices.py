"""The invoice as PDF: what it prints, for whom, how it is kept, and how long many lines take to lay out."""

import io
from datetime import date
from decimal import Decimal
from typing import Any

import pytest
from pypdf import PdfReader

from gradumen.documents.fonts import NotPrintable
from gradumen.documents.invoices import PdfInvoice, PdfLine, PdfTax, write_pdf


def invoice(number: int = 1, **changes: Any) -> PdfInvoice:
    """An invoice with lines, and with changes."""
    fields: dict[str, Any] = {
        "kind": "invoice",
        "number": "TARNWICK-2026-00001",
        "seller": "Tarnwick Cloud",
        "seller_country": "IE",
        "buyer": "Quillstone",
        "buyer_country": "IE",
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
                f"Machines {number:04d}", "Quillstone / press", "1 Sep to 30 Sep 2026", "1", "month", Decimal(number)
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
    pdf = write_pdf(invoice(buyer=name))
    assert name in pages(pdf)[0]
    fonts = PdfReader(io.BytesIO(pdf)).pages[0]["/Resources"]["/Font"].values()  # type: ignore[index]  # as every page has it
    descriptors = [font.get_object().get("/FontDescriptor") for font in fonts]
    assert any(each is not None and "/FontFile2" in each.get_object() for each in descriptors), (
        "the typeface is embedded"
    )


def test_letters_that_are_lacking_are_named_rather_than_boxed() -> None:
    with pytest.raises(NotPrintable, match=r"'山の雲'.*Latin, Greek and Cyrillic"):
        write_pdf(invoice(buyer="山の雲"))


def test_one_document_is_the_same_bytes_each_time() -> None:
    assert write_pdf(invoice(40)) == write_pdf(invoice(40))


@pytest.mark.parametrize("lines", [0, 1, 21, 22, 23, 24, 300])
def test_every_line_is_on_some_page_once_and_in_order_below_a_head(lines: int) -> None:
    found = pages(write_pdf(invoice(lines)))
    words = [word for page in found for word in page.split("\n") if word.startswith("Machines")]
    assert words == [f"Machines {number:04d}" for number in range(lines)]
    assert all("Service period" in page for page in found if "Machines" in page)
    assert "Total EUR" in found[-1]


def test_a_long_description_is_wrapped_and_whole() -> None:
    words = [f"word{number}" for number in range(90)]
    line = PdfLine(" ".join(words), "", "1 Sep to 30 Sep 2026", "1", "month", Decimal(1))
    found = " ".join(pages(write_pdf(invoice(lines=[line]))))
    assert all(word in found for word in words)


def test_taxes_of_several_percentages_are_printed_with_what_they_are_on() -> None:
    taxes = [PdfTax("S", "7", Decimal(50), Decimal("3.50")), PdfTax("S", "19", Decimal(-1000), Decimal(-190))]
    text = pages(write_pdf(invoice(taxes=taxes)))[0].replace("\u00a0", " ")
    assert "Tax 7 % on 50.00 (standard rate)" in text
    assert "Tax 19 % on \u22121 000.00 (standard rate)" in text
