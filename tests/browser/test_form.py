"""Surfaces made by mouse and keyboard: a loft through sections, a cord along a helix."""

import pytest
from playwright.sync_api import Page, expect

from tests.browser.bench import add_line, gauge, ready, shown

pytestmark = pytest.mark.browser


def new_part(page: Page, name: str) -> None:
    page.get_by_role("link", name="Boathouse kit").click()
    page.get_by_label("Name of a new part").fill(name)
    page.get_by_role("button", name="Make a part").click()
    ready(page)


def size_of(page: Page) -> str:
    """Return the extents that the gauges' column tells."""
    return page.locator(".gauges").get_by_text("Size").locator("xpath=..").inner_text()


def last(page: Page, field: str):
    """Return a value of the last line."""
    return page.locator(".line").last.locator(f"[data-field='{field}']")


def type_last(page: Page, field: str, text: str) -> None:
    last(page, field).click()
    page.locator(".value-input").fill(text)
    page.keyboard.press("Enter")
    shown(page)


def test_a_hull_is_lofted_through_stations_and_a_station_taken_out(signed_in):
    """Three rings in plan at three heights, lofted and meshed in quads; the middle one is taken out and put back."""
    page = signed_in
    new_part(page, "Float")
    for number, (radius, height) in enumerate(((20, 0), (45, 60), (25, 140)), 1):
        add_line(page, f"circle {radius}")
        shown(page)
        last(page, "plane").select_option("plan")
        shown(page)
        if height:
            add_line(page, f"move circle {number}" if number > 1 else "move circle")
            shown(page)
            type_last(page, "z", f"{height} mm")
    add_line(page, "loft")
    shown(page)
    entries = page.locator(".item-list select.item-name")
    expect(entries).to_have_count(3)
    last(page, "start").select_option("flat")
    shown(page)
    last(page, "end").select_option("domed")
    shown(page)
    add_line(page, "mesh 32 40")
    shown(page)
    assert gauge(page, "four_sided") == "100 %"
    assert gauge(page, "open_edges") == "0"
    wide = size_of(page)

    entries.nth(1).select_option("")
    expect(entries).to_have_count(2)
    shown(page)
    assert size_of(page) != wide
    page.get_by_role("button", name="Undo").click()
    expect(entries).to_have_count(3)
    shown(page)
    assert size_of(page) == wide


def test_a_spring_is_wound_and_tapers_by_a_law(signed_in):
    """Helix, cord, mesh; then its thickness runs from one to a half; a law that cannot be read is told, not taken."""
    page = signed_in
    new_part(page, "Spring")
    for words in ("helix", "cord 5", "mesh 12 160"):
        add_line(page, words)
        shown(page)
    assert gauge(page, "open_edges") == "0"
    scale = page.locator("[data-field='scale']")
    scale.click()
    page.locator(".value-input").fill("1 to 0.5 eased")
    page.keyboard.press("Enter")
    shown(page)
    expect(scale).to_have_text("1 to 0.5 eased")
    expect(page.locator(".line .finding")).to_have_count(0)
    scale.click()
    page.locator(".value-input").fill("1 to")
    page.keyboard.press("Enter")
    shown(page)
    expect(page.locator(".line .finding").first).to_contain_text("1 to 0.5 eased")
    page.get_by_role("radio", name="Sides").click()
    expect(page.locator(".legend")).to_contain_text("Green faces out")
