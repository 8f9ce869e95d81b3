"""Bodies joined and marked faces worked on in the browser: typed in words, dragged by their handle, told at their line."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from tests.browser.bench import add_line, drag, new_part, saved, shown

pytestmark = pytest.mark.browser


def test_two_bodies_are_fused_and_the_seam_is_rounded(signed_in):
    """Three lines in plain words; the seam is told, changed to round, and a radius far too large offers the way back."""
    page = signed_in
    new_part(page, "Knob")
    add_line(page, "ball of six sides radius 30 mm edge length 3 mm")
    add_line(page, "capsule radius 8 mm height 90 mm edge length 3 mm")
    add_line(page, "fuse all, rounded by 4 mm")
    shown(page)
    line = page.locator(".line").last
    expect(line).to_contain_text("to one skin, seam")
    expect(line).to_contain_text("1 seam,")
    expect(page.locator(".gauge[data-code=open_edges] .gauge-text")).to_have_text("0", timeout=20_000)
    line.locator("[data-field=radius]").click()
    page.keyboard.type("60 mm")
    page.keyboard.press("Enter")
    saved(page, "line 3 changed")
    expect(line).to_contain_text("Make the faces there about half as large")
    line.get_by_text("Leave the seam sharp").click()
    expect(line).to_contain_text("1 seam,")
    expect(line.locator("[data-field=radius]")).to_have_count(0)


def test_a_lid_is_inset_pulled_out_and_bevelled(signed_in):
    """Marks by words and by what a line made; the pulled-out faces are dragged by their arrow."""
    page = signed_in
    new_part(page, "Crate")
    add_line(page, "box 60 by 40 by 30 mm edge length 5 mm")
    add_line(page, "mark faces facing up within 30°")
    expect(page.locator(".line").last).to_contain_text("faces marked")
    add_line(page, "inset by 4 mm")
    shown(page)
    expect(page.locator(".line").last).to_contain_text("faces inset")
    add_line(page, "pull out by 6 mm")
    shown(page)
    expect(page.locator(".line").last).to_contain_text("faces pulled out, with")
    expect(page.locator(".gauge[data-code=open_edges] .gauge-text")).to_have_text("0", timeout=20_000)
    add_line(page, "slice at 10 mm keeping the upper half")
    shown(page)
    expect(page.locator(".line").last).to_contain_text("closed flat")


def test_what_is_picked_is_worked_on_by_a_key(signed_in):
    """A loop is picked and bevelled by B, its width typed at once; a face inset by I, and both undone; the handles stand."""
    page = signed_in
    new_part(page, "Chest")
    add_line(page, "box 60 by 40 by 30 mm edge length 10 mm")
    shown(page)
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    box = page.locator(".picture-surface").bounding_box()
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(page.locator(".mark-count")).to_contain_text("1 face picked")
    expect(page.locator(".mark-acts")).to_contain_text("Inset I")
    expect(page.locator("[data-act=bevel]")).to_be_hidden()
    page.keyboard.press("i")
    saved(page, "line 3 added")
    line = page.locator(".line").last
    expect(line).to_contain_text("1 face inset")
    expect(line.locator("[data-field=distance]")).to_be_focused()
    expect(page.locator(".picture-over .handle")).not_to_have_count(0)
    page.keyboard.press("Enter")
    page.keyboard.type("3 mm")
    page.keyboard.press("Enter")
    saved(page, "line 3 changed")
    expect(page.locator(".line").last.locator("[data-field=distance]")).to_have_text("3 mm")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.locator(".line")).to_have_count(1)


def test_marks_are_told_in_words_or_by_a_press(signed_in):
    """What is marked comes with the line that is typed; a line with no mark waits, and a press marks what it may mean."""
    page = signed_in
    new_part(page, "Casket")
    add_line(page, "box 60 by 40 by 30 mm edge length 10 mm, called casket")
    type_lines(page, "bevel the top edges of casket by 3 mm in 4 steps", 4)
    expect(page.locator(".line").last).to_contain_text("20 edges bevelled")
    expect(page.locator(".line").nth(2)).to_contain_text("20 edges marked")
    page.keyboard.press("Control+z")
    expect(page.locator(".line")).to_have_count(1)
    add_line(page, "bevel points")
    line = page.locator(".line").last
    expect(line).to_contain_text("Pick a mark for this line.")
    line.get_by_role("button", name="Mark its corners").click()
    expect(page.locator(".line")).to_have_count(3)
    expect(page.locator(".line").nth(1)).to_contain_text("8 points marked")
    expect(page.locator(".line").last).to_contain_text("8 points bevelled")


def type_lines(page, text: str, count: int) -> None:
    """Type a line that brings marks with it, and wait for so many lines in all."""
    page.keyboard.press("/")
    expect(page.locator("#next-line")).to_be_focused()
    page.keyboard.type(text)
    expect(page.locator(".proposal").first).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator(".line")).to_have_count(count)


def test_an_angle_is_dragged_along_its_arc(signed_in):
    """The arc of a bend stands in the front view and not in plan; dragged and by keys it changes the angle in degrees."""
    page = signed_in
    new_part(page, "Bow")
    add_line(page, "box 60 by 10 by 6 mm edge length 3 mm")
    add_line(page, "bend up by 40°")
    shown(page)
    handle = page.locator(".view-front .handle")
    expect(handle).to_have_attribute("aria-label", re.compile("angle .*40°"))
    expect(page.locator(".view-front .layer-handles polyline, .view-front polyline.handle-line")).to_have_count(1)
    expect(page.locator(".view-plan .handle")).to_have_count(0)
    box = handle.bounding_box()
    start = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(start[0] - 6, start[1] - 4, steps=3)
    page.mouse.move(start[0] - 14, start[1] - 6, steps=4)
    page.mouse.up()
    saved(page, "line 2 changed")
    typed = page.locator(".line").last.locator("[data-field=angle]")
    value = float(typed.inner_text().rstrip("°"))
    assert 45 < value < 90
    shown(page)
    page.locator(".view-front .handle").focus()
    page.keyboard.press("Shift+ArrowUp")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowUp")
    expect(typed).to_have_text(f"{value + 12:g}°")


def test_a_share_is_dragged_as_a_plain_number(signed_in):
    """A loop at a share of the way: what its handle gives has no unit, and the line stays good."""
    page = signed_in
    new_part(page, "Post")
    add_line(page, "box 20 by 20 by 40 mm edge length 20 mm")
    add_line(page, "mark ring nearest to 10, 10, 10")
    add_line(page, "insert loops one at a share of 0.5")
    shown(page)
    drag(page, page.locator(".view-front .handle").first, 0, -12)
    expect(page.locator(".line").last.locator("[data-field=share]")).not_to_have_text("0.5")
    text = page.locator(".line").last.locator("[data-field=share]").inner_text()
    assert "mm" not in text
    expect(page.locator(".line.is-failed")).to_have_count(0)


def test_picked_faces_are_hidden_to_pick_behind_them(signed_in):
    """The front of a box is hidden by H: a click there picks the inside of its back; Shift and H, or leaving, shows it."""
    page = signed_in
    new_part(page, "Case")
    add_line(page, "box 60 by 40 by 30 mm edge length 10 mm")
    shown(page)
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    box = page.locator(".picture-surface").bounding_box()
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.move(*middle)
    expect(page.locator(".pointing")).to_contain_text("face")
    front = page.locator(".pointing").inner_text()
    page.mouse.click(*middle)
    expect(page.locator(".mark-count")).to_contain_text("1 face picked")
    page.keyboard.press("h")
    expect(page.get_by_role("button", name="Show 1 hidden face")).to_be_visible()
    page.mouse.move(middle[0] + 2, middle[1])
    expect(page.locator(".pointing")).not_to_have_text(front)
    page.mouse.click(*middle)
    expect(page.locator(".mark-count")).to_contain_text("1 face picked")
    page.keyboard.press("Shift+H")
    expect(page.get_by_role("button", name="Show 1 hidden face")).to_be_hidden()


def test_a_face_is_picked_and_dragged_by_hand(signed_in):
    """Picked in the picture, taken over into a line of its own, dragged up in the front view, undone and redone."""
    page = signed_in
    new_part(page, "Lump")
    add_line(page, "box 60 by 40 by 30 mm edge length 10 mm")
    shown(page)
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    page.locator("[data-pick=face]").click()
    box = page.locator(".picture-surface").bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.42)
    expect(page.locator(".mark-count")).to_contain_text("1 face picked")
    page.get_by_role("button", name="Drag by hand").click()
    line = page.locator(".line").last
    expect(line).to_contain_text("Drag")
    expect(line).to_contain_text("1 place")
    expect(line).to_contain_text("picked within 1 box")
    expect(page.locator(".mark-bar")).to_be_hidden()
    grip = page.locator(".view-front .handle").first
    expect(grip).to_be_visible()
    drag(page, grip, 0, -40)
    saved(page, "line 2 changed")
    expect(line).to_contain_text("1 place dragged")
    page.get_by_role("button", name="Undo").click()
    expect(line).to_contain_text("points went by 0 mm")
    page.get_by_role("button", name="Redo").click()
    expect(line).not_to_contain_text("points went by 0 mm")


def test_a_path_is_picked_through_places_and_a_pick_grows(signed_in):
    """Two clicks give the edges between, and a line that finds them. A face grows by its neighbours and shrinks back."""
    page = signed_in
    new_part(page, "Trail")
    add_line(page, "box 60 by 40 by 30 mm edge length 5 mm")
    shown(page)
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    page.keyboard.press("7")
    box = page.locator(".picture-surface").bounding_box()
    middle = (box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.5)
    page.mouse.click(middle[0] - 60, middle[1])
    expect(page.locator(".mark-count")).to_contain_text("starts here")
    page.mouse.click(middle[0] + 60, middle[1] + 30)
    expect(page.locator(".mark-count")).to_contain_text("edges picked")
    page.get_by_role("button", name="this path").click()
    saved(page, "line 2 added")
    expect(page.locator(".line").last).to_contain_text("path of edges")
    page.keyboard.press("1")
    page.mouse.click(middle[0], middle[1] + 20)
    expect(page.locator(".mark-count")).to_contain_text("1 face picked")
    page.keyboard.press("+")
    expect(page.locator(".mark-count")).to_contain_text("9 faces picked")
    page.keyboard.press("-")
    expect(page.locator(".mark-count")).to_contain_text("1 face picked")
