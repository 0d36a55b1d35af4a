"""The list of documents: found, paged and summed by the service."""

import pytest

from gradumen.core.errors import Invalid
from gradumen.wire.billing.invoices import InvoicesBody
from tests.world import GIB, World, egress, reading


def page_by_page(world: World, user: str) -> list[str]:
    """The ids of all documents, one a page."""
    seen: list[str] = []
    after = None
    while True:
        page = world.user(user).invoices._connection.get("invoices", InvoicesBody, limit=1, after=after)
        seen += [str(each.id) for each in page.items]
        after = page.next
        if after is None:
            return seen


def test_documents_are_found_by_number_and_party_page_by_page_with_the_sums_of_all(world: World) -> None:
    world.send(egress("q", 300 * GIB, owner="quillstone/archive"), reading("s"))
    drafts = world.close("tarnwick", "finn", "2026-09", issue=False)
    finn = world.user("finn")
    assert sorted(page_by_page(world, "finn")) == sorted(str(each.id) for each in drafts)
    issued = {each.buyer: each for each in world.close("tarnwick", "finn", "2026-09")}
    number = issued["oxbow"].number or ""
    for search, buyers in (("quill", {"quillstone"}), (number, {"oxbow"}), ("TARN", {"oxbow", "quillstone"})):
        assert {each.buyer for each in finn.invoices.list(search=search)} == buyers, search
    assert finn.invoices.list(search="%") == [], "no sign stands for others"
    assert [each.buyer for each in finn.invoices.list(organisation="oxbow")] == ["oxbow"]
    assert world.user("edda").invoices.list(search="quill") == [], "what one does not see is not found"
    seen: list[str] = []
    after = None
    while True:
        page = finn.invoices._connection.get("invoices", InvoicesBody, limit=1, after=after)
        assert {each.currency: (each.count, each.gross) for each in page.sums} == {
            each.currency: (1, each.gross) for each in issued.values()
        }
        seen += [each.number or "" for each in page.items]
        after = page.next
        if after is None:
            break
    assert seen == sorted(each.number or "" for each in issued.values())
    with pytest.raises(Invalid, match="no place in this list"):
        finn.invoices._connection.get("invoices", InvoicesBody, after="2026-09|x")
