"""Marks, gauges told at their line, states compared and the inspection sheet, by mouse and keyboard."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from glass_spoon.studio.models import Part
from tests.browser.bench import add_line, new_part, open_part, ready, saved, shown, type_value

pytestmark = pytest.mark.browser


def middle(page: Page, right: float = 0.0, down: float = 0.0) -> tuple[float, float]:
    """Return a place of the picture, from its middle in pixels."""
    box = page.locator(".picture-surface").bounding_box()
    return box["x"] + box["width"] / 2 + right, box["y"] + box["height"] / 2 + down


def test_a_loop_is_picked_named_by_its_rule_and_survives_a_change_of_density(signed_in):
    """The mark keeps its rule: after the count is changed it holds another number of edges."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.keyboard.press("m")
    expect(page.locator(".mark-bar")).to_be_visible()
    page.keyboard.press("4")
    expect(page.locator("[data-pick=loop]")).to_have_attribute("aria-checked", "true")
    page.mouse.click(*middle(page, 0, 40))
    expect(page.locator(".mark-count")).to_contain_text("edges picked")
    page.locator(".mark-offers button").first.click()
    saved(page, "line 5 added")
    expect(page.locator(".mark-list")).to_contain_text("mark")
    count = re.search(r"(\d+) edges", page.locator(".mark-list").inner_text())[1]
    page.keyboard.press("Escape")
    expect(page.locator(".mark-bar")).to_be_hidden()
    type_value(page, "along", "20")
    shown(page)
    expect(page.locator(".mark-list")).not_to_contain_text(f"{count} edges")
    expect(page.locator(".mark-list")).to_contain_text("edges")


def test_faces_are_picked_by_a_box_and_taken_away_again(signed_in):
    """A second box with the key for taking away leaves fewer faces, and the rest become a line."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.keyboard.press("m")
    page.mouse.move(*middle(page, -60, -40))
    page.mouse.down()
    page.mouse.move(*middle(page, 60, 40), steps=5)
    page.mouse.up()
    expect(page.locator(".mark-count")).to_contain_text("faces picked")
    before = int(re.search(r"\d+", page.locator(".mark-count").inner_text())[0])
    page.keyboard.down("Shift")
    page.mouse.move(*middle(page, -60, -40))
    page.mouse.down()
    page.mouse.move(*middle(page, 0, 40), steps=5)
    page.mouse.up()
    page.keyboard.up("Shift")
    after = int(re.search(r"\d+", page.locator(".mark-count").inner_text())[0])
    assert 0 < after < before
    page.get_by_role("button", name="these picks").click()
    saved(page, "line 5 added")
    expect(page.locator(".line").last).to_contain_text(f"{after} faces marked")
    picks = Part.objects.get(name="Camp kettle").document["lines"][-1]["picks"]
    assert len(picks) == after and all({"x", "y", "z", "u", "v", "piece"} == set(pick) for pick in picks)
    # Twice the faces one way: what was picked is found again, and nothing of it is lost.
    page.keyboard.press("Escape")
    type_value(page, "round", "96")
    shown(page)
    expect(page.locator(".line").last).to_contain_text("faces marked")
    expect(page.locator(".line").last).not_to_contain_text("nothing")


def test_a_point_taken_by_hand_turns_with_its_body(signed_in):
    """Dragged by the board it goes along the body's own axes; its table shows places and ways, and keeps its sign."""
    page = signed_in
    new_part(page, "Crate")
    add_line(page, "box 60 by 40 by 30 mm edge length 10 mm")
    shown(page)
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    page.keyboard.press("3")
    page.mouse.click(*middle(page, 0, 0))
    expect(page.locator(".mark-count")).to_contain_text("1 point picked")
    page.get_by_role("button", name="Drag by hand").click()
    saved(page, "line 2 added")
    line = Part.objects.get(name="Crate").document["lines"][-1]
    assert line["axes"] == "own" and {"u", "v", "piece"} < set(line["drags"][0])
    page.locator(".line").last.get_by_role("button", name="1 place").click()
    table = page.locator("#table-slip")
    expect(table.locator("th")).to_have_text(
        ["Place", "left-right", "front-back", "up", "goes right", "goes back", "goes up", "Remove"]
    )
    table.locator("[name=rise]").fill("4 mm")
    page.get_by_role("button", name="Use this table").click()
    saved(page, "line 2 changed")
    assert {"u", "v", "piece"} < set(Part.objects.get(name="Crate").document["lines"][-1]["drags"][0])
    expect(page.locator(".line").last).to_contain_text("points went by 4 mm")


def test_the_change_that_mends_a_gauge_is_one_press_away(signed_in):
    """A mesh too coarse for its surface: told, shown place by place, mended."""
    page = signed_in
    open_part(page, "Boathouse lantern", meshes=2)
    page.locator(".part-mesh", has_text="lantern mesh").click()
    shown(page)
    type_value(page, "edge_length", "10 mm")
    shown(page)
    finding = page.locator(".line .finding").filter(has_text="off the surface")
    expect(finding).to_be_visible()
    finding.get_by_role("button", name="Show them").click()
    note = page.locator(".board-note")
    expect(note).to_contain_text("shown in plum")
    note.get_by_role("button", name="Go to each").click()
    expect(note).to_contain_text("Place 1 of")
    note.get_by_role("button", name="Next").click()
    expect(note).to_contain_text("Place 2 of")
    note.get_by_role("button", name="Whole part").click()
    expect(note).to_contain_text("shown in plum")
    finding.get_by_role("button", name=re.compile("Try")).click()
    shown(page)
    expect(page.locator(".line .finding").filter(has_text="off the surface")).to_have_count(0)


def test_a_marked_rim_is_creased_by_typing(signed_in):
    """Two typed lines crease the rim of the kettle by its 48 edges."""
    page = signed_in
    open_part(page, "Camp kettle")
    add_line(page, "mark rim")
    shown(page)
    expect(page.locator(".mark-list")).to_contain_text("48 edges")
    add_line(page, "crease")
    shown(page)
    expect(page.locator(".line").last).to_contain_text("48 edges creased.")


CHANGE_AT_ONCE = """() => new MutationObserver((changes, observer) => {
    const choice = document.querySelector(".compare-form select[name=left]");
    if (!choice) return;
    observer.disconnect();
    choice.selectedIndex = choice.options.length - 1;
    choice.dispatchEvent(new Event("change", { bubbles: true }));
}).observe(document.body, { childList: true, subtree: true })"""


def test_a_form_reacts_from_the_instant_it_is_shown(signed_in):
    """A change made in the same instant as the form appears is not lost."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.get_by_role("button", name="Versions").click()
    page.evaluate(CHANGE_AT_ONCE)
    page.get_by_role("button", name="Compare any two states").click()
    expect(page.locator(".compare .subheading")).not_to_have_text("now beside now")


def test_two_states_are_compared_and_the_inspection_sheet_opens(signed_in):
    """The comparison names both states, and the sheet shows the part large beside its views, and a verdict."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Compare any two states").click()
    page.locator(".compare-form select[name=left]").select_option(label="after line 3: revolve")
    expect(page.locator(".compare .subheading")).to_contain_text("after line 3")
    expect(page.locator(".compare-pictures img")).to_have_count(2)
    for image in page.locator(".compare-pictures img").all():
        assert image.evaluate("async image => { await image.decode(); return image.naturalWidth; }") == 420
    page.get_by_role("button", name="Back").click()
    page.get_by_role("link", name="Inspection sheet").click()
    expect(page.get_by_role("heading", name="Camp kettle")).to_be_visible()
    expect(page.locator(".inspected-part image")).to_have_count(4)
    expect(page.locator(".inspected .drawn-sheet image")).to_have_count(3)
    expect(page.locator(".inspection-verdict")).to_be_visible()
    page.go_back()
    ready(page)
