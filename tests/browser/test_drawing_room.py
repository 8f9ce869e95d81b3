"""Drawing at work: the view takes the room, points are typed, the curve is closed, taken back and ended as one expects."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.bench import add_line, box_of, new_part, place, saved, shown


def begin(page: Page, name: str) -> None:
    """Make a part and begin to draw in it."""
    new_part(page, name)
    add_line(page, "draw a curve called rib in side view")
    expect(page.locator(".board")).to_have_attribute("data-room", "side")


def points(page: Page, count: int) -> None:
    """Wait until the side view has so many points, and all is answered."""
    expect(page.locator(".view-side .drawn-point")).to_have_count(count)
    shown(page)


def label(page: Page, index: int) -> str:
    """Return what a point says of itself."""
    return page.locator(f".view-side .drawn-point[data-index='{index}']").get_attribute("aria-label") or ""


def test_the_view_that_is_drawn_in_takes_the_room(signed_in):
    """It is large while points are placed, the picture stands beside it; G and Done bring all four back."""
    page = signed_in
    begin(page, "Room")
    large, picture = box_of(page.locator(".view-side")), box_of(page.locator(".view-picture"))
    assert large["width"] > 2 * picture["width"]
    assert large["height"] > 2 * picture["height"]
    place(page, "side", 0.5, 0.5)
    points(page, 1)
    place(page, "side", 0.6, 0.7)
    points(page, 2)
    page.keyboard.press("g")
    expect(page.locator(".board")).not_to_have_attribute("data-room", "side")
    expect(page.locator(".draw-bar")).to_be_visible()
    place(page, "side", 0.9, 0.9)
    points(page, 3)
    page.get_by_role("button", name="Done").click()
    expect(page.locator(".draw-bar")).to_be_hidden()
    assert box_of(page.locator(".view-picture"))["width"] > 2 * picture["width"]


def test_points_are_typed_where_one_draws(signed_in):
    """A digit begins a place; by and at count from the last point; what is no place is told and stays to be mended."""
    page = signed_in
    begin(page, "Typed")
    for text, told in (("40, 25", "y 40 z 25 mm"), ("-1 cm, 5", "y -10 z 5 mm")):
        page.keyboard.type(text)
        page.keyboard.press("Enter")
        points(page, 1 if text.startswith("40") else 2)
        assert told in label(page, 0 if text.startswith("40") else 1)
    typed = page.locator("[data-draw-place]")
    typed.fill("by 10, 20")
    page.keyboard.press("Enter")
    points(page, 3)
    assert "y 0 z 25 mm" in label(page, 2)
    typed.fill("20 at 90")
    page.keyboard.press("Enter")
    points(page, 4)
    assert "y 0 z 45 mm" in label(page, 3)
    typed.fill("10 to nowhere")
    page.keyboard.press("Enter")
    expect(page.locator(".messages")).to_contain_text("Type it as 40, 25")
    expect(typed).to_have_value("10 to nowhere")
    points(page, 4)


def test_a_curve_is_closed_by_its_first_point_and_taken_back_by_undo(signed_in):
    """Ctrl Z takes the last point; a click on the first one closes the curve and ends placing."""
    page = signed_in
    begin(page, "Closed")
    for count, (right, up) in enumerate(((0.3, 0.4), (0.7, 0.4), (0.7, 0.8), (0.4, 0.85)), 1):
        place(page, "side", right, up)
        points(page, count)
    page.keyboard.press("Control+z")
    saved(page, "undid")
    points(page, 3)
    expect(page.locator(".draw-bar")).to_be_visible()
    box = box_of(page.locator(".view-side .drawn-point[data-index='0']"))
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(page.locator("[data-field=shape]").first).to_have_value("closed")
    expect(page.locator(".draw-bar")).to_be_hidden()
    points(page, 3)


def test_a_double_click_ends_placing_without_a_doubled_point(signed_in):
    """The first click places a point, the second ends; the line that is undone away ends placing too."""
    page = signed_in
    begin(page, "Ended")
    place(page, "side", 0.4, 0.4)
    points(page, 1)
    box = box_of(page.locator(".view-side .view-drawing"))
    page.mouse.dblclick(box["x"] + 0.6 * box["width"], box["y"] + 0.4 * box["height"])
    expect(page.locator(".draw-bar")).to_be_hidden()
    points(page, 2)
    page.keyboard.press("n")
    expect(page.locator(".draw-bar")).to_be_visible()
    for _ in range(3):
        page.keyboard.press("Control+z")
    expect(page.locator(".line")).to_have_count(0)
    expect(page.locator(".draw-bar")).to_be_hidden()
    expect(page.locator(".board")).not_to_have_attribute("data-room", "side")


def test_the_grid_has_a_typed_step_that_is_seen(signed_in):
    """Points fall on it, it is drawn, it stays for the part, and a step that is none is refused in words."""
    page = signed_in
    begin(page, "Grid")
    step = page.locator("[data-draw-step]")
    step.fill("a lot")
    page.keyboard.press("Enter")
    expect(page.locator(".board-note")).to_contain_text("such as 5 mm")
    step.fill("1.5 cm")
    page.keyboard.press("Enter")
    expect(page.locator(".view-side .grid-line")).to_have_count(2)
    for count, (right, up) in enumerate(((0.31, 0.43), (0.67, 0.81)), 1):
        place(page, "side", right, up)
        points(page, count)
        words = label(page, count - 1)
        numbers = [float(words.split(f" {axis} ")[1].split()[0]) for axis in ("y", "z")]
        assert [value % 15 for value in numbers] == pytest.approx([0, 0])
    page.reload()
    expect(page.locator(".bench")).to_have_attribute("data-ready", "1")
    shown(page)
    page.keyboard.press("n")
    expect(step).to_have_value("15 mm")
