"""The bench, point by point: values, lines, points, views, versions, two people on one part."""

import json
import re
from functools import partial

import pytest
from playwright.sync_api import Route, expect

from glass_spoon.studio.flows.build_part import build_sheet
from glass_spoon.studio.models import Membership, Part, Project, Role
from glass_spoon.studio.show import bench_context
from tests.browser.bench import add_line, drag, gauge, handle, new_part, open_part, ready, saved, shown, type_value, value
from tests.browser.conftest import sign_in

pytestmark = pytest.mark.browser


def test_values_are_typed_dragged_and_stepped(signed_in):
    """A count typed, dragged sideways, and stepped with the arrow keys; each is saved and counted by the gauges."""
    page = signed_in
    open_part(page, "Camp kettle")
    type_value(page, "round", "32")
    expect(page.locator("[data-field=round]")).to_have_text("32")
    expect(page.locator(".gauge[data-code=open_edges] .gauge-text")).to_have_text("32")
    drag(page, page.locator("[data-field=round]"), 15, 0)
    expect(page.locator("[data-field=round]")).to_have_text("40")
    expect(page.locator(".gauge[data-code=open_edges] .gauge-text")).to_have_text("40")
    page.locator("[data-field=along]").focus()
    page.keyboard.press("ArrowUp")
    expect(page.locator("[data-field=along]")).to_have_text("31")
    saved(page, "line 4 changed")


def test_size_changes_the_part_and_units_are_understood(signed_in):
    """neck_d typed in centimetres; an expression that is wrong is named in its place."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.get_by_role("button", name="92 mm").click()
    page.locator(".value-input").fill("11 cm")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="110 mm")).to_be_visible()
    type_value(page, "radius", "banana")
    expect(page.locator(".line .finding").first).to_contain_text("there is no size called banana")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator(".line .finding")).to_have_count(0)


def test_choice_reference_and_way_out(signed_in):
    """A choice by its list; a count that cannot be is taken as the next that can, and said; a refused radius offers one."""
    page = signed_in
    open_part(page, "Camp kettle")
    value(page, "poles").select_option("fan")
    saved(page, "line 4 changed")
    expect(page.locator(".gauge[data-code=four_sided]")).to_have_class("gauge is-look")
    value(page, "poles").select_option("quads")
    type_value(page, "round", "47")
    expect(page.locator(".line[data-line=l4]")).to_contain_text("48 round in place of 47")
    expect(page.locator(".gauge[data-code=four_sided] .gauge-text")).to_have_text("100 %")
    value(page, "fit").select_option("exactly")
    type_value(page, "radius", "90 mm")
    page.locator(".line[data-line=l2] .finding button").first.click()
    expect(page.locator(".line .finding")).to_have_count(0)


def test_what_is_typed_goes_on_when_an_answer_replaces_the_sheet(signed_in):
    """The answer to an edit before comes while another value is typed: the text and the caret stay, and nothing is saved."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.evaluate("""() => {
        const open = XMLHttpRequest.prototype.send;
        XMLHttpRequest.prototype.send = function (...words) { setTimeout(() => open.apply(this, words), 900); };
    }""")
    value(page, "poles").select_option("fan")
    value(page, "round").click()
    page.keyboard.press("Control+A")
    page.keyboard.type("40")
    page.keyboard.press("ArrowLeft")
    expect(page.locator(".value-input")).to_have_value("40")
    saved(page, "line 4 changed")
    expect(page.locator("[data-field=poles]")).to_have_value("fan")
    page.wait_for_timeout(1500)  # the gauges come too
    field = page.locator(".value-input")
    expect(field).to_be_focused()
    expect(field).to_have_value("40")
    page.keyboard.type("8")
    expect(field).to_have_value("480")
    page.keyboard.press("Escape")
    expect(page.locator("[data-field='round']").first).not_to_have_text("480")


def test_lines_are_paused_moved_and_removed_with_a_warning(signed_in):
    """The warning names what depends; nothing is removed until it is confirmed."""
    page = signed_in
    open_part(page, "Camp kettle")
    line = page.locator("#line-l2")
    line.hover()
    line.get_by_role("button", name="Pause").click()
    expect(line).to_contain_text("Paused")
    page.locator("#line-l1").hover()
    page.locator("#line-l1").get_by_role("button", name="Remove").click()
    slip = page.locator("#slip")
    expect(slip).to_contain_text("body profile is used by line 2 (round), line 3 (revolve)")
    slip.get_by_role("button", name="Keep it").click()
    expect(page.locator(".line")).to_have_count(4)
    page.locator("#line-l1").hover()
    page.locator("#line-l1").get_by_role("button", name="Remove").click()
    slip.get_by_role("button", name="Remove it").click()
    expect(page.locator(".line")).to_have_count(3)
    expect(page.locator("#line-l3")).to_contain_text("was removed")


def test_part_as_it_stood_after_a_line(signed_in):
    """Click a number: the mesh is gone, the surface shows; show all brings it back."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.get_by_role("button", name="Line 3: see the part as it stood after it").click()
    expect(page.locator(".shown-after")).to_contain_text("after line 3")
    expect(page.locator(".gauges")).to_contain_text("Nothing to read yet")
    page.get_by_role("button", name="Show all").click()
    expect(page.locator(".gauge[data-code=four_sided]")).to_be_visible()


def test_points_by_keyboard_alone(signed_in):
    """Tab to a point, nudge it, make it smooth, insert, remove; a size in its coordinate survives with an offset."""
    page = signed_in
    open_part(page, "Camp kettle")
    handle(page, 4).focus()
    page.keyboard.press("ArrowRight")
    saved(page, "line 1 changed")
    part = Part.objects.get(name="Camp kettle")
    moved = part.document["lines"][4]["points"][4]["x"]
    assert moved.startswith("body_d / 2 ")
    assert moved != "body_d / 2 - 6 mm"
    handle(page, 7).focus()
    page.keyboard.press("s")
    expect(page.locator("[data-kind=points]")).to_have_text("9 points, 1 sharp")
    page.keyboard.press("i")
    expect(page.locator("[data-kind=points]")).to_have_text("10 points, 1 sharp")
    page.keyboard.press("Delete")
    expect(page.locator("[data-kind=points]")).to_have_text("9 points, 1 sharp")


def test_gauges_follow_while_a_point_is_dragged(signed_in):
    """Before the button is let go the figures change, and nothing is saved."""
    page = signed_in
    open_part(page, "Camp kettle")
    before = gauge(page, "evenness"), gauge(page, "off_surface")
    box = handle(page, 6).bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + 20, steps=6)
    page.wait_for_function(
        "([a, b]) => document.querySelector('[data-code=evenness] .gauge-text').textContent !== a"
        " || document.querySelector('[data-code=off_surface] .gauge-text').textContent !== b",
        arg=list(before),
    )
    assert Part.objects.get(name="Camp kettle").revision == 1
    page.mouse.up()
    saved(page, "line 1 changed")


def test_points_table_takes_expressions(signed_in):
    """Coordinates are typed with sizes."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.locator("[data-kind=points]").click()
    page.get_by_label("Right of point 9").fill("neck_d / 2 + 12 mm")
    page.get_by_role("button", name="Use these points").click()
    saved(page, "line 1 changed")
    assert Part.objects.get(name="Camp kettle").document["lines"][4]["points"][8]["x"] == "neck_d / 2 + 12 mm"


def test_display_modes_levels_and_offenders(signed_in):
    """Every mode draws; a level is counted; a gauge points at its faces."""
    page = signed_in
    open_part(page, "Camp kettle")
    for mode in ("faces", "smooth", "stripes", "evenness", "edges"):
        page.locator(f"[data-mode={mode}]").click()
        expect(page.locator(f"[data-mode={mode}]")).to_have_attribute("aria-checked", "true")
    page.locator("[data-level='1']").click()
    expect(page.locator(".gauge[data-code=open_edges] .gauge-text")).to_have_text("96")
    page.locator(".gauge[data-code=open_edges] button").click()
    expect(page.locator(".board-note")).to_contain_text("96 edges shown in plum")
    page.keyboard.press("g")
    expect(page.locator(".board")).not_to_have_attribute("data-view", "four")
    page.keyboard.press("g")
    expect(page.locator(".board")).to_have_attribute("data-view", "four")


def test_version_is_kept_compared_and_restored(signed_in):
    """By the slip alone."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.get_by_role("button", name="Versions").click()
    page.get_by_label("Name of this version").fill("narrow neck")
    page.get_by_role("button", name="Keep this version").click()
    expect(page.locator(".versions")).to_contain_text("narrow neck")
    page.locator("#slip").get_by_role("button", name="Close").click()
    type_value(page, "along", "20")
    saved(page, "line 4 changed")
    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Compare", exact=True).click()
    expect(page.locator(".differs").first).to_be_visible()
    page.get_by_role("button", name="Restore narrow neck").click()
    ready(page)
    expect(page.locator("[data-field=along]")).to_have_text("30")


def test_a_change_made_while_a_build_is_asked_after_is_shown(signed_in, monkeypatch):
    """The answer on the build comes between the change and its own answer, and replaces the sheet."""
    page = signed_in
    open_part(page, "Camp kettle")
    monkeypatch.setattr(bench_context, "build_sheet", partial(build_sheet, patience=0.0))
    asked: list[Route] = []
    page.route("**/show/**", lambda route: route.continue_() if asked else asked.append(route))
    type_value(page, "radius", "5.5 mm")
    until(page, asked)
    on_build = asked[0].fetch()
    monkeypatch.undo()
    sent: list[Route] = []
    page.route("**/edit/**", lambda route: sent.append(route))
    type_value(page, "radius", "7.25 mm")
    page.wait_for_timeout(300)
    asked[0].fulfill(response=on_build)
    page.wait_for_timeout(300)
    until(page, sent)
    sent[0].continue_()
    shown(page)
    expect(page.locator("[data-field=radius]")).to_have_text("7.25 mm")


def until(page, routes: list[Route]) -> None:
    """Wait until a request is caught."""
    for _ in range(400):
        if routes:
            return
        page.wait_for_timeout(50)
    raise AssertionError("nothing was asked")


def test_two_people_on_one_part(signed_in, chromium, server):
    """The second edit of one field is refused with both states, and can be put on top."""
    page = signed_in
    page.route("**/now/**", lambda route: route.fulfill(json={"revision": 1, "last": "", "by": "", "people": []}))
    open_part(page, "Camp kettle")
    other = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=server).new_page()
    sign_in(other)
    open_part(other, "Camp kettle")
    type_value(other, "radius", "5 mm")
    saved(other, "line 2 changed")
    type_value(page, "radius", "7 mm")
    message = page.locator("#messages")
    expect(message).to_contain_text("Your change was not saved")
    expect(message).to_contain_text("5 mm")
    expect(message).to_contain_text("7 mm")
    page.get_by_role("button", name="Make mine on top of it").click()
    expect(page.locator("[data-field=radius]")).to_have_text("7 mm")
    expect(message).to_be_empty()
    other.context.close()


def test_svg_is_brought_in_and_a_bad_one_refused(signed_in, tmp_path):
    """A file chosen in the line."""
    page = signed_in
    open_part(page, "Camp kettle")
    add_line(page, "import svg")
    bad, good = tmp_path / "bad.svg", tmp_path / "good.svg"
    bad.write_text("<svg")
    good.write_text('<svg xmlns="http://www.w3.org/2000/svg"><path d="M40 90 V10 L80 0"/></svg>')
    page.locator("input[type=file]").set_input_files(bad)
    expect(page.locator("#messages")).to_contain_text("not a well-formed SVG")
    page.locator("input[type=file]").set_input_files(good)
    saved(page, "line 5 got a file")
    expect(page.locator(".line .finding")).to_contain_text("does not say what one of its units is")
    page.get_by_role("button", name="Drawn in mm").click()
    saved(page, "line 5 changed")
    expect(page.locator(".line .finding")).to_have_count(0)


def test_viewer_only_looks(page, server):
    """No values to click, and the model is there."""
    from django.contrib.auth import get_user_model

    viewer = get_user_model().objects.create_user("ann", password="a boat for two")
    Membership.objects.create(project=Project.objects.get(), user=viewer, role=Role.VIEWER)
    sign_in(page, "ann", "a boat for two")
    open_part(page, "Camp kettle")
    expect(page.locator(".sheet-summary")).to_contain_text("you are looking only")
    expect(page.locator("[data-kind=number]")).to_have_count(0)


def test_many_faces_stay_in_hand(signed_in):
    """50,000 faces load, and a drag across the picture turns them, in software WebGL too."""
    page = signed_in
    part = Part.objects.get(name="Camp kettle")
    document = json.loads(json.dumps(part.document))
    document["lines"][7].update(round=256, along=200)
    Part.objects.filter(id=part.id).update(document=document)
    open_part(page, "Camp kettle")
    expect(page.locator(".gauge[data-code=face_budget] .gauge-text")).to_contain_text("of 20,000", timeout=60_000)
    surface = page.locator(".picture-surface")
    box = surface.bounding_box()
    page.mouse.move(box["x"] + 100, box["y"] + 200)
    before = surface.screenshot()
    page.mouse.down()
    page.mouse.move(box["x"] + 300, box["y"] + 220, steps=12)
    page.mouse.up()
    page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
    assert surface.screenshot() != before


def test_a_part_is_shown_by_a_link(signed_in, chromium, server):
    """Made under Send out; followed by somebody with no account the bench shows the part and offers nothing to change it."""
    page = signed_in
    new_part(page, "Urn")
    add_line(page, "box 60 by 40 by 30 mm edge length 10 mm")
    page.get_by_role("button", name="Send out").click()
    page.get_by_role("button", name="Make a link").click()
    address = page.locator(".link-address")
    expect(address).to_have_value(re.compile("/look/[\\w-]{43}/$"))
    guest = chromium.new_context(base_url=server).new_page()
    guest.goto(address.input_value())
    expect(guest.locator(".topbar")).to_contain_text("You look at this part by a link.")
    expect(guest.locator(".line")).to_have_count(1)
    expect(guest.locator(".board")).to_have_attribute("data-revision", re.compile("\\d+"))
    expect(guest.locator("#next-line")).to_have_count(0)
    expect(guest.locator(".statusbar .keys")).not_to_contain_text("next line")
    page.get_by_role("button", name="Take back").click()
    expect(page.locator(".link-address")).to_have_count(0)
    guest.reload()
    expect(guest).to_have_url(re.compile("/sign-in/"))
    guest.context.close()


def test_a_line_and_a_place_are_commented_on(signed_in):
    """From the line's tools, and from what is picked: the line has a badge, the place a pin; settled, both go."""
    page = signed_in
    new_part(page, "Trough")
    add_line(page, "box 60 by 40 by 30 mm edge length 10 mm")
    shown(page)
    line = page.locator(".line").first
    line.hover()
    line.get_by_role("button", name="Comment", exact=True).click()
    page.get_by_label("About line 1").fill("Deeper, please")
    page.get_by_role("button", name="Say it").click()
    expect(page.locator(".comment-text")).to_have_text("Deeper, please")
    page.keyboard.press("Escape")
    expect(line.locator(".comment-badge")).to_have_text("1")
    add_line(page, "smooth")
    expect(page.locator(".line").first.locator(".comment-badge")).to_have_text("1")
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    box = page.locator(".picture-surface").bounding_box()
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(page.locator(".mark-count")).to_contain_text("1 face picked")
    page.locator("[data-pick-comment]").click()
    page.get_by_label("About the picked place").fill("A dent here")
    page.get_by_role("button", name="Say it").click()
    expect(page.locator("#comments-button .comment-count")).to_have_text("2")
    page.keyboard.press("Escape")
    expect(page.locator(".picture-over .comment-pin")).to_have_count(1)
    page.locator(".picture-over .comment-pin").click()
    for _ in range(2):
        page.get_by_role("button", name="Settle").first.click()
        page.wait_for_timeout(300)
    page.keyboard.press("Escape")
    expect(page.locator(".comment-badge")).to_have_count(0)
    expect(page.locator(".comment-pin")).to_have_count(0)
