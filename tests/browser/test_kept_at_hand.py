"""What the bench keeps at hand: verbs used lately and their drawings, steps kept as starters, sizes as a table."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.bench import add_line, new_part, saved, shown


def test_the_finder_shows_drawings_and_the_verbs_used_lately(signed_in: Page) -> None:
    """What was used last comes first, and is told with its drawing; a press of it adds one more."""
    page = signed_in
    new_part(page, "Lately")
    add_line(page, "circle radius 15 at 0,0,40")
    add_line(page, "box 40 by 30 by 20")
    shown(page)
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    lately = page.locator(".proposal-lately .proposal")
    expect(lately).to_have_text(["Block", "Circle"])
    lately.nth(1).hover()
    expect(page.locator(".proposal-help")).to_contain_text("Draw a circle")
    drawing = page.locator(".proposal-help img")
    expect(drawing).to_be_visible()
    page.wait_for_function("() => document.querySelector('.proposal-help img').naturalWidth > 0")
    lately.nth(1).click()
    expect(page.locator(".line[data-verb=circle]")).to_have_count(2)


def test_a_step_is_kept_and_put_in_and_sizes_are_changed_in_a_table(signed_in: Page) -> None:
    """The step stands there once more under other names; a size renamed in the table is renamed in both."""
    page = signed_in
    new_part(page, "At hand")
    for text in ("foot = 12 mm", "wall = foot / 4", "spare = 1 mm"):
        page.keyboard.press("/")
        page.keyboard.type(text)
        expect(page.locator(".proposal").first).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.locator(f"[data-size-name={text.split()[0]}]")).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("step foot ring")
    expect(page.locator(".proposal").first).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator(".step-head")).to_have_count(1)
    add_line(page, "circle radius foot in plan")
    add_line(page, "extrude circle by wall")
    shown(page)
    page.keyboard.press("Escape")
    page.locator(".step-head").hover()
    page.locator("[data-step-keep]").click()
    expect(page.locator("#slip")).to_contain_text("Kept. It can be put in")
    page.locator("[data-put-starter]").click()
    saved(page, "foot ring put in")
    expect(page.locator(".line[data-verb=extrude]")).to_have_count(2)
    shown(page)
    page.locator("#sheet-foot").get_by_role("button", name="table").click()
    rows = page.locator("#sizes-slip tbody tr")
    expect(rows).to_have_count(3)
    expect(rows.first).to_contain_text("lines 1, 3, wall")
    rows.first.locator("[name=name]").fill("base")
    page.locator("[data-apply-sizes]").click()
    saved(page, "sizes changed")
    expect(page.locator(".line[data-verb=circle]").first).to_contain_text("base = 12 mm")
    expect(page.locator(".line[data-verb=circle]").last).to_contain_text("base = 12 mm")
