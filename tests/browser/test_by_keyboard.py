"""The whole first job without a mouse: from the list of projects to the file, the board too."""

from __future__ import annotations

import io

import pytest
import trimesh
from playwright.sync_api import Locator, Page, expect

from tests.browser.bench import add_line, ready, saved, shown

pytestmark = pytest.mark.browser

MOST_TABS = 80
"""Tabs from one place to another; a page on which more are needed is no page for the keyboard."""


LOOKS = "e => { const s = getComputedStyle(e); return [s.outlineStyle, s.boxShadow, s.strokeWidth, s.fill].join() }"


def tab_to(page: Page, wanted: Locator, key: str = "Tab") -> int:
    """Press Tab until something has the focus, and return how often; the focus is seen on the way."""
    expect(wanted.first).to_be_attached()
    rests = wanted.first.evaluate(LOOKS)
    for count in range(MOST_TABS):
        if wanted.first.evaluate("element => element === document.activeElement"):
            assert not count or wanted.first.evaluate(LOOKS) != rests
            return count
        page.keyboard.press(key)
    raise AssertionError(f"{wanted} is not reached by {MOST_TABS} tabs")


def test_the_first_job_is_done_without_a_mouse(signed_in):
    """Make a part, draw by typed places, move a point by arrows, revolve, mesh, change a value, take a handle, send out."""
    page = signed_in
    tab_to(page, page.get_by_role("link", name="Boathouse kit"))
    page.keyboard.press("Enter")
    tab_to(page, page.get_by_label("Name of a new part"))
    page.keyboard.type("Bailer by keys")
    page.keyboard.press("Enter")
    ready(page)

    add_line(page, "draw a profile called side")
    expect(page.locator(".draw-bar")).to_be_visible()
    for count, text in enumerate(("20, 0", "34, 0", "40, 30", "36, 60"), 1):
        page.keyboard.type(text)
        page.keyboard.press("Enter")
        expect(page.locator(".view-front .drawn-point")).to_have_count(count)
        shown(page)
    page.keyboard.press("Escape")
    expect(page.locator(".draw-bar")).to_be_hidden()

    point = page.locator(".view-front .drawn-point[data-index='3']")
    tab_to(page, point)
    before = point.get_attribute("aria-label")
    page.keyboard.press("ArrowRight")
    saved(page, "line 1 changed")
    expect(page.locator(".view-front .drawn-point[data-index='3']")).not_to_have_attribute("aria-label", before or "")

    add_line(page, "revolve")
    expect(page.locator(".board")).to_have_attribute("data-meshes", "1")
    add_line(page, "mesh 24 by 12")
    expect(page.locator(".gauge[data-code='four_sided'] .gauge-text")).to_have_text("100 %")
    shown(page)

    around = page.locator(".line").nth(2).locator("[data-field=round]")
    tab_to(page, around, "Shift+Tab")
    page.keyboard.press("Enter")
    page.keyboard.press("Control+a")
    page.keyboard.type("32")
    page.keyboard.press("Enter")
    saved(page, "line 3 changed")
    expect(page.locator(".line").nth(2).locator("[data-field=round]")).to_be_focused()
    expect(page.locator(".gauge[data-code='open_edges'] .gauge-text")).to_have_text("64")

    add_line(page, "thicken by 2 mm")
    add_line(page, "move up by 10 mm")
    shown(page)
    tab_to(page, page.locator(".view-front .handle").first)
    page.keyboard.press("ArrowUp")
    saved(page, "line 5 changed")
    page.keyboard.press("Control+z")
    saved(page, "undid")

    tab_to(page, page.get_by_role("button", name="Send out"), "Shift+Tab")
    page.keyboard.press("Enter")
    tab_to(page, page.get_by_role("button", name="Write the file"))
    with page.expect_download() as waiting:
        page.keyboard.press("Enter")
    scene = trimesh.load(io.BytesIO(waiting.value.path().read_bytes()), file_type="glb")
    mesh = scene.to_mesh()
    mesh.merge_vertices(merge_tex=True, merge_norm=True)
    assert mesh.is_watertight and mesh.volume > 0
