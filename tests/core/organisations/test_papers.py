"""What stands on papers is read exactly, or refused with its field: whatever is typed."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.organisations.papers import email_of, language_of, phone_of, street_of, tax_id_of

COUNTRIES = ("BE", "DE", "FR", "GB", "GR", "IE", "IS", "JP", "NO", "SE", "US", "CH", "AU", "BR", "ZZ")
LONGEST = 30


@given(st.text(max_size=60), st.sampled_from(COUNTRIES))
def test_a_tax_number_is_read_the_same_again_or_refused(raw: str, country: str) -> None:
    try:
        read = tax_id_of(raw, country)
    except Invalid as refused:
        assert refused.facts["field"] == "tax_id"
        return
    assert tax_id_of(read, country) == read
    assert read.isascii()
    assert 1 <= len(read) <= LONGEST, "the column holds it"


@pytest.mark.parametrize(
    ("country", "raw", "read"),
    [
        ("BE", "BE 0999.999.922", "BE0999999922"),
        ("IE", "9999999P", "IE9999999P"),
        ("SE", "SE999999990801", "SE999999990801"),
        ("GB", "GB 999 9999 18", "999999918"),
        ("US", "12-3456789", "12-3456789"),
    ],
)
def test_numbers_are_written_as_each_country_does(country: str, raw: str, read: str) -> None:
    assert tax_id_of(raw, country) == read


@pytest.mark.parametrize(
    ("country", "raw", "why"),
    [
        ("BE", "BE 0999.999.923", "check digit"),
        ("IE", "IE9999999Q", "check digit"),
        ("IE", "GB999999973", "form"),
        ("US", "?", "3 to 30 letters"),
    ],
)
def test_what_is_no_number_is_refused_with_the_reason(country: str, raw: str, why: str) -> None:
    with pytest.raises(Invalid, match=why):
        tax_id_of(raw, country)


@given(st.text(max_size=300))
def test_anything_typed_is_read_or_refused_and_never_fails(raw: str) -> None:
    for read, field in ((email_of, "email"), (None, "phone"), (None, "language"), (None, "street")):
        try:
            if read is not None:
                value = email_of(raw, field=field)
                assert "@" in value
                assert value.isascii()
            elif field == "phone":
                assert phone_of(raw).isascii()
            elif field == "language":
                assert language_of(raw) == raw
            else:
                assert 1 <= len(street_of(raw).splitlines()) <= 3
        except Invalid as refused:
            assert refused.facts["field"] == field


def test_the_usual_forms_are_taken() -> None:
    assert email_of(" desk@oxbow.example ", field="email") == "desk@oxbow.example"
    assert email_of("o'neill+desk@oxbow.example", field="email") == "o'neill+desk@oxbow.example"
    for odd in ("\x80@0", "a\x00b@x.example", "\u00e9@x.example", "a..b@x.example", "a b@x.example"):
        with pytest.raises(Invalid):
            email_of(odd, field="email")
    assert phone_of("+44  1632 960 001") == "+44 1632 960 001"
    assert [language_of(each) for each in ("en", "nl-BE", "sr-Latn-RS")] == ["en", "nl-BE", "sr-Latn-RS"]
    assert street_of(" Pier House \n\n2 Harbour Road") == "Pier House\n2 Harbour Road"
