"""The main path by keyboard alone: nothing is clicked, and what has the focus is seen to have it."""

from playwright.sync_api import Page, expect

from tests.console.conftest import Tab
from tests.world import EMAILS, PASSWORD, World, egress

MOST = 90
"""Steps of the tab key after which something counts as out of reach."""
FOCUSED = """() => {
    const at = document.activeElement;
    const text = at.getAttribute('aria-label') || (at.labels && [...at.labels].map(each => each.innerText).join(' '))
        || at.innerText || '';
    const style = getComputedStyle(at.closest('.MuiInputBase-root') ?? at);
    return {role: at.getAttribute('role') || at.tagName.toLowerCase(), text: text.trim(),
        outline: style.outlineStyle !== 'none' || at.matches('input, textarea, [role=combobox], [role=spinbutton]')};
}"""


def reach(page: Page, text: str, *, back: bool = False) -> None:
    """Tab until something with that name has the focus, and see that it shows."""
    passed = []
    for _ in range(MOST):
        found = page.evaluate(FOCUSED)
        name = found["text"].replace(" *", "").replace("\u2009*", "")
        if found["role"] not in ("dialog", "div") and name.startswith(text):
            assert found["outline"], f"{text} has the focus and does not show it"
            return
        passed.append(found["text"][:30])
        page.keyboard.press("Shift+Tab" if back else "Tab")
    raise AssertionError(f"{text} cannot be reached by keyboard; passed {passed}")


def press(page: Page, text: str, key: str = "Enter") -> None:
    reach(page, text)
    page.keyboard.press(key)


def jump(tab: Tab, name: str, heading: str) -> None:
    """By the jump box, from wherever one is."""
    page = tab.page
    page.keyboard.press("Control+k")
    box = page.get_by_role("combobox", name="Organisation, plan, card, document or page")
    expect(box).to_be_focused()
    page.keyboard.type(name)
    expect(page.get_by_role("option").first).to_contain_text(name)
    tab.settle()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=heading, level=1)).to_be_visible()
    tab.settle()


def test_from_sign_in_to_an_issued_invoice_without_a_mouse(tab: Tab, world: World) -> None:
    world.send(egress("used", 10**13, owner="quillstone/archive"))
    page = tab.page
    page.goto(tab.url + "/")
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    reach(page, "E-mail address")
    page.keyboard.type(EMAILS["mara"])
    reach(page, "Password")
    page.keyboard.type(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="so far", level=1)).to_be_visible()

    jump(tab, "Quillstone Observatory", "Quillstone Observatory")
    reach(page, "Summary")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    storage = page.get_by_role("row", name="Storage no limit")
    expect(page.get_by_role("button", name="Change storage", exact=True)).to_be_visible()
    press(page, "Change storage")
    expect(page.get_by_role("dialog")).to_be_visible()
    if page.get_by_label("No limit").is_checked():
        press(page, "No limit", "Space")
    reach(page, "Limit", back=True)
    page.keyboard.press("Control+a")
    page.keyboard.type("321")
    page.keyboard.press("Enter")
    expect(page.get_by_role("dialog")).to_be_hidden()
    expect(page.get_by_role("row", name="Storage 321 GiB")).to_be_visible()
    press(page, "Undo")
    expect(storage).to_be_visible()

    jump(tab, "Bill runs", "Closing a month")
    press(page, "Make drafts of September 2026")
    expect(page.get_by_role("link", name="to review").first).to_be_visible()
    press(page, "2 to review")
    row = page.get_by_role("row", name="Quillstone Observatory")
    expect(row).to_be_visible()
    tab.settle()
    # Into the grid, then row by row.
    grid = page.get_by_role("grid")
    for _ in range(MOST):
        if grid.evaluate("each => each.contains(document.activeElement)"):
            break
        page.keyboard.press("Tab")
    for _ in range(5):
        page.keyboard.press("ArrowDown")
        if row.evaluate("each => each.contains(document.activeElement)"):
            break
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Quillstone Observatory", level=1)).to_be_visible()
    tab.settle()
    press(page, "Issue")
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Cannot be undone")
    press(page, "Issue")
    expect(dialog).to_be_hidden()
    expect(page.get_by_role("heading", name="TARNWICK-2026-", level=1)).to_be_visible()
