"""Catalogue files: numbers stay text, problems have lines, what is written reads the same."""

import importlib.resources
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import CatalogueInvalid
from gradumen.documents.catalogue import read_catalogue, write_catalogue
from gradumen.documents.invoices import money

leaves = st.text(st.characters(categories=("L", "N", "P", "S"), include_characters=" "), min_size=1, max_size=20)
forms = st.recursive(
    leaves, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(leaves, inner, max_size=3), max_leaves=8
)


@given(forms)
def test_what_is_written_reads_the_same(value: object) -> None:
    form = {"plan": "x", "value": value}
    assert read_catalogue([("a.yaml", write_catalogue([form]))])[0].form == form


def test_no_number_passes_through_a_float() -> None:
    document = read_catalogue([("a.yaml", "plan: x\nprice: 0.10\nbig: 1e400\noctal: 010\nyes: on\n")])[0]
    assert document.form == {"plan": "x", "price": "0.10", "big": "1e400", "octal": "010", "yes": "on"}


def test_a_problem_has_the_line_of_the_nearest_known_path() -> None:
    text = "plan: x\ntiers:\n  - tier: a\n    name: A\n  - tier: b\n    name: B\n"
    document = read_catalogue([("a.yaml", text)])[0]
    assert document.problem("tiers[1].name", "m")["line"] == 6
    assert document.problem("tiers[1].nothing.here", "m")["line"] == 5
    assert document.problem("", "m")["line"] == 1


def test_a_field_that_stands_twice_is_refused_with_its_line() -> None:
    with pytest.raises(CatalogueInvalid, match=r"a\.yaml:3: .*'name' stands twice"):
        read_catalogue([("a.yaml", "plan: x\nname: A\nname: B\n")])


def test_the_catalogue_of_the_demo_is_readable() -> None:
    folder = importlib.resources.files("gradumen.demo") / "catalogue"
    kinds = [
        document.kind
        for each in folder.iterdir()
        if each.name.endswith(".yaml")
        for document in read_catalogue([(each.name, each.read_text())])
    ]
    assert {kind: kinds.count(kind) for kind in set(kinds)} == {"service": 13, "plan": 10, "offer": 22, "rate-card": 13}


def test_amounts_of_documents_have_the_currencys_decimals() -> None:
    assert money(Decimal("1234.5"), "JPY") == "1\u00a0235"
    assert money(Decimal("-0.005"), "KWD") == "\u22120.005"
