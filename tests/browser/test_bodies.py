"""Bodies in the browser: typed, drawn as instances when they are many, pointed at, left out by a click, sent out."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.browser.bench import add_line, new_part, saved, shown, value

pytestmark = pytest.mark.browser


def test_a_thousand_blocks_are_typed_drawn_and_pointed_at(signed_in):
    """Two lines: 432 faces at 1,000 places; the count stands under Faces, and the pointer names the body."""
    page = signed_in
    new_part(page, "Blocks")
    add_line(page, "box 60 by 40 by 30 mm")
    saved(page, "line 1 added")
    add_line(page, "grid of 40 by 25 copies 70 x 50 mm apart")
    saved(page, "line 2 added")
    shown(page)
    expect(page.locator("#gauges, .gauges").first).to_contain_text("432,000 quads in 1,000 bodies", timeout=20_000)
    expect(page.locator(".line").last).to_contain_text("each by itself")
    box = page.locator(".picture-surface").bounding_box()
    for step in range(40):  # a thousand blocks may not be drawn yet when the hand first comes: it moves on a little
        page.mouse.move(box["x"] + box["width"] / 2 + step % 3, box["y"] + box["height"] / 2)
        if "of body" in page.locator(".pointing").inner_text():
            break
        page.wait_for_timeout(500)
    expect(page.locator(".pointing")).to_contain_text("of body")
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    expect(page.locator(".mark-bar")).to_be_visible()
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(page.locator(".mark-count")).to_contain_text("1,000 bodies, drawn from one mesh")


def test_a_copy_is_left_out_by_a_click_on_its_number(signed_in):
    """Numbers show at the copies while single ones are typed; 0 leaves one out, and the sentence says so."""
    page = signed_in
    new_part(page, "Pegs")
    add_line(page, "capsule radius 4 mm height 20 mm")
    add_line(page, "row of 5 copies 20 mm right")
    shown(page)
    value(page.locator(".line").last, "own").click()
    expect(page.locator(".view-plan .corner-number")).to_have_count(5)
    page.locator(".view-plan .corner-number[data-corner='4']").click()
    page.keyboard.type("0")
    page.keyboard.press("Enter")
    saved(page, "line 2 changed")
    expect(page.locator("[data-field=own]")).to_have_text("4: 0")
    expect(page.locator(".view-plan .corner-number")).to_have_count(0)
    page.get_by_role("button", name="Send out").click()
    expect(page.locator(".send-form").first).to_contain_text("glTF and OpenUSD keep each body once")


def test_a_half_is_made_whole_and_gets_a_wall(signed_in):
    """Typed in words: a zone of a ball, a mesh, its image in the plan plane, 3 mm inside; what each did is told."""
    page = signed_in
    new_part(page, "Float")
    add_line(page, "sphere radius 40 mm from 0° to 60°")
    add_line(page, "mesh edges of 4 mm")
    add_line(page, "mirror across the plan plane")
    shown(page)
    expect(page.locator(".line").last).to_contain_text("became one with their images")
    add_line(page, "thicken by 3 mm inside")
    shown(page)
    expect(page.locator(".line").last).to_contain_text("It is closed now.")
    expect(page.locator(".gauge[data-code=open_edges] .gauge-text")).to_have_text("0", timeout=20_000)
