"""Faults that a first user met, each by its steps."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from glass_spoon.studio.models import Part
from tests.browser.bench import add_line, open_part, place, ready, saved, shown, type_value

TOP = """(id) => Math.round(document.querySelector(`.line[data-line="${id}"]`).getBoundingClientRect().top)"""


@pytest.fixture
def long_sheet(signed_in) -> Page:
    """The ventilator, whose sheet is several windows long."""
    page = signed_in
    page.get_by_role("link", name="Ventilator").click()
    ready(page)
    shown(page)
    return page


def middle_line(page: Page) -> str:
    """Scroll to the middle of the sheet; return the id of a line in sight with a number."""
    page.evaluate(
        "() => { const lines = document.querySelector('.sheet-lines'); lines.scrollTop = lines.scrollHeight / 3; }"
    )
    return page.evaluate(
        """() => {
            const frame = document.querySelector(".sheet-lines").getBoundingClientRect();
            const inside = [...document.querySelectorAll(".line")].filter((line) => {
                const box = line.getBoundingClientRect();
                const isInside = box.top > frame.top + 20 && box.bottom < frame.bottom - 60;
                return isInside && line.querySelector("button[data-kind=number]");
            });
            return inside[0].dataset.line;
        }"""
    )


def test_the_sheet_never_moves_under_the_hand(long_sheet) -> None:
    """A value changed, a line pointed at, paused, taken up, shown alone, undone: the line stays where it is."""
    page = long_sheet
    line = middle_line(page)
    chosen = page.locator(f".line[data-line='{line}']")
    before = page.evaluate(TOP, line)

    def stays(what: str) -> None:
        shown(page)
        page.wait_for_timeout(120)
        assert abs(page.evaluate(TOP, line) - before) <= 1, what

    chosen.hover()
    stays("pointing at a line")
    for other in page.locator(".line").all()[3:9]:
        if other.is_visible():
            other.dispatch_event("pointerover")
    stays("pointing at others")
    number = chosen.locator("button[data-kind=number]").first
    number.focus()
    stays("the focus in a line")
    raw = number.get_attribute("data-raw")
    number.click()
    page.locator(".value-input").press("ArrowUp")
    page.locator(".value-input").press("Enter")
    saved(page, "changed")
    stays("a value changed")
    page.keyboard.press("Control+z")
    saved(page, "undid")
    stays("an edit undone")
    assert chosen.locator("button[data-kind=number]").first.get_attribute("data-raw") == raw
    chosen.get_by_role("button", name="Pause").click()
    saved(page, "paused")
    page.wait_for_timeout(200)
    assert abs(page.evaluate(TOP, line) - before) <= 1, "a line paused"
    page.keyboard.press("Control+z")
    saved(page, "undid")
    stays("a pause undone")
    chosen.locator(".line-number").click()
    expect(page.locator(".shown-after")).to_be_visible()
    stays("the part as it stood after the line")
    chosen.locator(".line-number").click()
    expect(page.locator(".shown-after")).to_have_count(0)
    stays("all shown again")


def test_a_file_is_written_by_one_click_in_sight(signed_in) -> None:
    """It goes to the downloads by itself, and the dialog says so where it can be seen."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.get_by_role("button", name="Send out").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Write the file").click()
    assert download.value.suggested_filename == "Camp kettle.glb"
    expect(page.locator("#parcel")).to_be_in_viewport(ratio=1)
    expect(page.locator("#parcel")).to_contain_text("is written")


def test_undo_after_adding_a_line_takes_back_the_line(signed_in) -> None:
    """Also with the focus in the finder, whose own words are not brought back; Ctrl Y makes it again."""
    page = signed_in
    open_part(page, "Camp kettle")
    lines = page.locator(".line").count()
    add_line(page, "circle 20 mm")
    shown(page)
    expect(page.locator("#next-line")).to_be_focused()
    page.keyboard.press("Control+z")
    saved(page, "undid")
    expect(page.locator(".line")).to_have_count(lines)
    expect(page.locator("#next-line")).to_have_value("")
    page.keyboard.press("Control+y")
    saved(page, "redid")
    expect(page.locator(".line")).to_have_count(lines + 1)
    page.locator("#next-line").fill("mesh")
    page.keyboard.press("Control+z")
    expect(page.locator(".line")).to_have_count(lines + 1)


@pytest.fixture
def drawing(signed_in) -> Page:
    """A new part whose first curve is being drawn."""
    page = signed_in
    page.get_by_role("link", name="Boathouse kit").click()
    page.get_by_label("Name of a new part").fill("Bailer")
    page.get_by_role("button", name="Make a part").click()
    ready(page)
    page.get_by_role("button", name="Draw a profile").click()
    expect(page.locator(".view-front")).to_have_class(re.compile("can-place"))
    return page


def points(page: Page) -> int:
    """Return the number of points of the drawn curve as saved."""
    shown(page)
    return len(Part.objects.get(name="Bailer").document["lines"][0]["points"])


def test_escape_leaves_drawing(drawing) -> None:
    """Before the first point and after; and it stays left."""
    page = drawing
    page.locator(".view-front .view-drawing").hover()
    page.keyboard.press("Escape")
    expect(page.locator(".view-front")).to_have_class("view view-front")
    shown(page)
    page.wait_for_timeout(300)
    expect(page.locator(".view-front")).to_have_class("view view-front")
    place(page, "front", 0.7, 0.5)
    assert points(page) == 0
    page.keyboard.press("n")
    place(page, "front", 0.7, 0.5)
    assert points(page) == 1
    page.keyboard.press("Escape")
    place(page, "front", 0.8, 0.3)
    assert points(page) == 1


def test_enter_presses_a_button_while_drawing(drawing) -> None:
    """The focused button is meant, not the pen."""
    page = drawing
    place(page, "front", 0.7, 0.5)
    shown(page)
    page.get_by_role("button", name="Versions").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#slip")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.locator("#slip")).to_be_hidden()
    expect(page.locator(".view-front")).to_have_class(re.compile("can-place"))


def test_a_double_click_on_the_name_of_a_view_places_no_point(drawing) -> None:
    """The view moves under the second click."""
    page = drawing
    place(page, "front", 0.7, 0.5)
    assert points(page) == 1
    page.locator(".view-front .view-name").dblclick()
    page.wait_for_timeout(300)
    assert points(page) == 1


def test_the_distance_typed_after_the_second_click_sets_the_scale(signed_in) -> None:
    """Keys go to the field that asks, without a click into it."""
    page = signed_in
    page.get_by_role("link", name="Kettle from the sketch").click()
    ready(page)
    shown(page)
    line = page.locator(".line[data-verb=lay]").first
    line.hover()
    line.get_by_role("button", name="Scale by two points").click()
    place(page, "front", 0.4, 0.4)
    place(page, "front", 0.6, 0.4)
    expect(page.locator(".board-note input")).to_be_focused()
    page.keyboard.press("Control+a")
    page.keyboard.type("123 mm")
    page.keyboard.press("Enter")
    saved(page, "changed")


def test_reading_gauges_is_told_as_reading(signed_in) -> None:
    """Never as nothing to read."""
    page = signed_in
    open_part(page, "Camp kettle")
    seen = page.evaluate_handle(
        """() => {
            const seen = [];
            const note = () => seen.push(document.querySelector("#gauges").textContent);
            new MutationObserver(note).observe(document.body, { childList: true, subtree: true });
            return seen;
        }"""
    )
    type_value(page, "along", "140")
    shown(page)
    expect(page.locator(".gauge[data-code=four_sided]")).to_be_visible()
    assert not any("Nothing to read" in text for text in seen.json_value())
