"""What a message becomes: facts stand where their placeholders are, and nothing of them is carried out."""

from html.parser import HTMLParser

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gradumen.core.errors import Invalid
from gradumen.core.messages import FORMS, LINK, Kind, Text, check_text, render

anything = st.text(max_size=60)


class _Seen(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.text, self.tags, self.links = "", set[str](), list[str]()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.add(tag)
        self.links += [value or "" for name, value in attrs if name == "href"]

    def handle_data(self, data: str) -> None:
        self.text += data


OURS = {"html", "head", "meta", "title", "body", "div", "p", "a", "br"}


@given(st.dictionaries(st.sampled_from(FORMS[Kind.ORDER_DONE].placeholders), anything), anything)
def test_facts_are_text_whatever_they_are(facts: dict[str, str], brand: str) -> None:
    """Nothing that somebody typed becomes a tag, an attribute or another placeholder."""
    mail = render(Kind.ORDER_DONE, Text("{what}", "{what}\n\n{reason}\n\n{link}"), facts, brand=brand)
    seen = _Seen()
    seen.feed(mail.html)

    assert seen.tags <= OURS
    assert "\n" not in mail.subject and "\r" not in mail.subject
    for name in ("what", "reason"):
        if (facts.get(name) or "").strip():
            assert facts[name].strip() in mail.text
    if "{" in facts.get("what", ""):
        assert facts["what"].strip() in mail.text


def test_a_paragraph_of_nothing_is_left_out_and_a_link_alone_is_a_button() -> None:
    text = Text("x", "One.\n\n{reason}\n\n{link}")
    mail = render(Kind.ORDER_DONE, text, {"reason": "", LINK: "https://a.example/?a=1&b=2"}, brand="Oxbow")
    seen = _Seen()
    seen.feed(mail.html)

    assert mail.text == "One.\n\nhttps://a.example/?a=1&b=2\n\n-- \nOxbow\n"
    assert seen.links == ["https://a.example/?a=1&b=2"]
    assert FORMS[Kind.ORDER_DONE].act in seen.text
    assert mail.html.count("<p ") == 2


@pytest.mark.parametrize("kind", Kind)
def test_each_kind_begins_with_a_text_that_is_fine(kind: Kind) -> None:
    form = FORMS[kind]
    assert check_text(kind, form.text) == form.text
    mail = render(kind, form.text, form.example, brand="Oxbow")
    assert "{" not in mail.subject + mail.text
    assert form.example[LINK] in mail.text


@pytest.mark.parametrize(
    ("subject", "body", "field"),
    [
        ("", "x", "subject"),
        ("x" * 201, "x", "subject"),
        ("a\nb", "x", "subject"),
        ("x", " ", "body"),
        ("x", "y" * 4001, "body"),
        ("x", "bell \a", "body"),
        ("x", "{role", "body"),
        ("x", "role}", "body"),
        ("{{role}}", "x", "subject"),
    ],
)
def test_a_text_that_cannot_be_sent_is_refused_at_its_field(subject: str, body: str, field: str) -> None:
    with pytest.raises(Invalid) as refused:
        check_text(Kind.INVITATION, Text(subject, body))
    assert refused.value.facts["field"] == field


@pytest.mark.parametrize("odd", ["password", "role.__class__", "role!r", "0", "", "ROLE", "link:>500"])
def test_what_is_no_placeholder_is_named_with_those_that_there_are(odd: str) -> None:
    with pytest.raises(Invalid) as refused:
        check_text(Kind.INVITATION, Text("x", f"a {{{odd}}} b"))
    assert "{organisation}" in refused.value.message
    assert refused.value.facts["known"] == list(FORMS[Kind.INVITATION].placeholders)
