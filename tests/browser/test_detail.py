"""Bodies joined and marked faces worked on in the browser: typed in words, dragged by their handle, told at their line."""

from __future__ import annotations

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
