"""The whole main job by mouse and keyboard: from the sign-in to a file that another library reads."""

import io

import numpy as np
import pytest
import trimesh
from playwright.sync_api import expect

from tests.browser.bench import add_line, drag, gauge, handle, place, ready, saved

pytestmark = pytest.mark.browser


def test_from_an_empty_part_to_a_file(signed_in):
    """Draw five points, round one, revolve, mesh, smooth, drag, undo, send out, read the file back."""
    page = signed_in
    page.get_by_role("link", name="Boathouse kit").click()
    page.get_by_label("Name of a new part").fill("Bailer")
    page.get_by_role("button", name="Make a part").click()
    expect(page.get_by_text("A part is a written build sheet")).to_be_visible()
    ready(page)

    page.get_by_role("button", name="Draw a profile").click()
    expect(page.locator(".draw-words")).to_contain_text("Click in the front view")
    for number, (right, up, hold) in enumerate(
        [(0.5, 0.2, ""), (0.75, 0.2, "Shift"), (0.85, 0.45, ""), (0.8, 0.65, ""), (0.68, 0.8, "")], 1
    ):
        place(page, "front", right, up, hold)
        expect(page.locator(".view-front .drawn-point")).to_have_count(number)
        saved(page, "line 1 changed")
    page.keyboard.press("Enter")
    expect(page.locator("[data-kind=points]")).to_have_text("5 points, 1 sharp")

    add_line(page, "round 4 mm")
    add_line(page, "revolve")
    expect(page.locator(".board")).to_have_attribute("data-meshes", "1")
    add_line(page, "mesh 24 18")
    expect(page.locator(".gauge[data-code='four_sided'] .gauge-text")).to_have_text("100 %")
    assert gauge(page, "open_edges") == "24"
    add_line(page, "smooth 1")
    expect(page.locator(".gauge[data-code='open_edges'] .gauge-text")).to_have_text("48")
    before = page.locator(".gauge:has-text('Size') .number").inner_text()

    drag(page, handle(page, 2), 22, -4)
    saved(page, "line 1 changed")
    expect(page.locator(".gauge:has-text('Size') .number")).not_to_have_text(before)
    page.keyboard.press("Control+z")
    saved(page, "undid")
    expect(page.locator(".gauge:has-text('Size') .number")).to_have_text(before)
    page.reload()
    expect(page.get_by_role("button", name="Redo")).to_be_enabled()

    page.get_by_role("button", name="Send out").click()
    with page.expect_download() as waiting:
        page.get_by_role("button", name="Write the file").click()
    assert waiting.value.suggested_filename == "Bailer.glb"
    expect(page.locator("#parcel")).to_be_in_viewport()
    data = waiting.value.path().read_bytes()
    scene = trimesh.load(io.BytesIO(data), file_type="glb")
    shown = [float(part) for part in before.removesuffix(" mm").split("×")]
    metres = scene.bounding_box.extents[[0, 2, 1]] * 1000
    assert np.allclose(metres, shown, atol=0.6)  # the size on the screen is rounded to whole mm
    assert len(scene.to_mesh().faces) % 2 == 0
