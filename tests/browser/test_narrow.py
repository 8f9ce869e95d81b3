"""The bench on a narrow page, and names in its picture."""

from __future__ import annotations

from itertools import pairwise

import pytest
from playwright.sync_api import expect

from tests.browser.bench import box_of, ready


@pytest.mark.parametrize("width", [880, 640, 400])
def test_everything_is_reachable_one_under_the_other(signed_in, width):
    """Below 900 px, as at twice the zoom: picture, sheet and gauges stand below one another; nothing sticks out."""
    page = signed_in
    page.set_viewport_size({"width": width, "height": 800})
    page.get_by_role("link", name="Camp kettle").click()
    ready(page)
    boxes = [box_of(page.locator(name)) for name in (".view-picture", ".sheet", ".bench-side")]
    assert boxes[0]["width"] > 0.9 * width
    for above, below in pairwise(boxes):
        assert above["y"] + above["height"] <= below["y"] + 1
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    for what in (
        page.locator(".line").last,
        page.locator(".gauge:visible").last,
        page.get_by_role("button", name="Send out"),
    ):
        what.scroll_into_view_if_needed()
        expect(what).to_be_in_viewport()


def test_names_stand_over_their_bodies_on_request(signed_in):
    """Seven bodies, seven names, none on another; a click on one goes to its line."""
    page = signed_in
    page.get_by_role("link", name="Ventilator").click()
    ready(page)
    expect(page.locator(".board")).to_have_attribute("data-meshes", "7")
    expect(page.locator(".picture-name")).to_have_count(0)
    page.get_by_role("button", name="Names", exact=True).click()
    names = page.locator(".picture-name text")
    expect(names).to_have_count(7)
    bodies = {"cowl mesh", "hood mesh", "lining mesh", "struts mesh", "flange mesh", "guard", "guard bead"}
    assert set(names.all_text_contents()) == bodies
    boxes = [box_of(names.nth(k)) for k in range(7)]
    for k, one in enumerate(boxes):
        for other in boxes[k + 1 :]:
            beside = one["x"] + one["width"] < other["x"] or other["x"] + other["width"] < one["x"]
            assert beside or abs(one["y"] - other["y"]) > 10
    page.locator(".picture-name", has_text="flange mesh").click()
    expect(page.locator(".line.is-stood, .line:focus-within").first).to_contain_text("flange mesh")
