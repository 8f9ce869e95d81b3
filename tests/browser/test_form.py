"""Surfaces made by mouse and keyboard: a loft through sections, a cord along a helix."""

import pytest
from playwright.sync_api import Page, expect

from tests.browser.bench import add_line, drag, gauge, new_part, ready, shown, value

pytestmark = pytest.mark.browser


def size_of(page: Page) -> str:
    """Return the extents that the gauges' column tells."""
    return page.locator(".gauges").get_by_text("Size").locator("xpath=..").inner_text()


def last(page: Page, field: str):
    """Return a value of the last line."""
    return value(page.locator(".line").last, field)


def type_last(page: Page, field: str, text: str) -> None:
    last(page, field).click()
    page.locator(".value-input").fill(text)
    page.keyboard.press("Enter")
    shown(page)


def test_a_hull_is_lofted_through_stations_and_a_station_taken_out(signed_in):
    """Three rings in plan at three heights, lofted and meshed in quads; the middle one is taken out and put back."""
    page = signed_in
    new_part(page, "Float")
    for number, (radius, height) in enumerate(((20, 0), (45, 60), (25, 140)), 1):
        add_line(page, f"circle {radius}")
        shown(page)
        last(page, "plane").select_option("plan")
        shown(page)
        if height:
            add_line(page, f"move circle {number}" if number > 1 else "move circle")
            shown(page)
            type_last(page, "z", f"{height} mm")
    add_line(page, "loft")
    shown(page)
    entries = page.locator(".item-list select.item-name")
    expect(entries).to_have_count(3)
    last(page, "start").select_option("flat")
    shown(page)
    last(page, "end").select_option("domed")
    shown(page)
    add_line(page, "mesh 32 40")
    shown(page)
    assert gauge(page, "four_sided") == "100 %"
    assert gauge(page, "open_edges") == "0"
    wide = size_of(page)

    entries.nth(1).select_option("")
    expect(entries).to_have_count(2)
    shown(page)
    assert size_of(page) != wide
    page.get_by_role("button", name="Undo").click()
    expect(entries).to_have_count(3)
    shown(page)
    assert size_of(page) == wide


def test_a_spring_is_wound_and_tapers_by_a_law(signed_in):
    """Helix, cord, mesh; then its thickness runs from one to a half; a law that cannot be read is told, not taken."""
    page = signed_in
    new_part(page, "Spring")
    for words in ("helix", "cord 5", "mesh 12 160"):
        add_line(page, words)
        shown(page)
    assert gauge(page, "open_edges") == "0"
    scale = value(page, "scale")
    scale.click()
    page.locator(".value-input").fill("1 to 0.5 eased")
    page.keyboard.press("Enter")
    shown(page)
    expect(scale).to_have_text("1 to 0.5 eased")
    expect(page.locator(".line .finding")).to_have_count(0)
    scale.click()
    page.locator(".value-input").fill("1 to")
    page.keyboard.press("Enter")
    shown(page)
    expect(page.locator(".line .finding").first).to_contain_text("1 to 0.5 eased")
    page.get_by_role("radio", name="Sides").click()
    expect(page.locator(".legend")).to_contain_text("Green faces out")


def value_of(page: Page, line: int, field: str):
    """Return a value of a line of the sheet, counted from 0."""
    return value(page.locator(".line").nth(line), field)


def test_a_threaded_plug_is_made_and_grows_by_its_designation(signed_in):
    """A thread by its designation, meshed as one piece; its size, hand and starts are changed; a wrong one is told."""
    page = signed_in
    new_part(page, "Plug")
    add_line(page, "thread M12")
    shown(page)
    expect(last(page, "size")).to_have_text("M12")
    add_line(page, "mesh 24 3")
    shown(page)
    assert gauge(page, "four_sided") == "100 %"
    assert gauge(page, "open_edges") == "0"
    assert "12.0×12.0×30.0" in size_of(page).replace("\n", " ")

    size = value_of(page, 0, "size")
    size.click()
    page.locator(".value-input").fill("M20x1.5")
    page.keyboard.press("Enter")
    shown(page)
    width, depth, height = (float(word) for word in size_of(page).split()[-2].split("×"))
    assert 19.8 <= min(width, depth) <= max(width, depth) <= 20.0  # the crest's outermost vertices need not lie on an axis
    assert height == 30.0
    value_of(page, 0, "hand").select_option("left")
    shown(page)
    assert gauge(page, "folded") == "0"
    size.click()
    page.locator(".value-input").fill("M13")
    page.keyboard.press("Enter")
    shown(page)
    expect(page.locator(".line .finding").first).to_contain_text("coarse pitch (M12 or M14)")


def test_a_lid_with_a_soft_edge_tells_the_largest_that_fits(signed_in):
    """A circle becomes a plate with a rounded edge; too large a radius names the largest; it is sent out as STEP."""
    page = signed_in
    new_part(page, "Lid")
    add_line(page, "circle 40")
    shown(page)
    last(page, "plane").select_option("plan")
    shown(page)
    add_line(page, "plate 12")
    shown(page)
    last(page, "upper").select_option("rounded")
    shown(page)
    type_last(page, "upper_size", "20 mm")
    expect(page.locator(".line .finding").first).to_contain_text("The largest that fits is 11.99 mm")
    type_last(page, "upper_size", "3 mm")
    expect(page.locator(".line .finding")).to_have_count(0)
    add_line(page, "mesh")
    shown(page)
    last(page, "sizing").select_option("edge length")
    shown(page)
    assert gauge(page, "open_edges") == "0"
    page.get_by_role("button", name="Send out").click()
    page.locator(".send-card:has([data-sort='surface'])").first.click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Write the file").click()
    assert download.value.suggested_filename == "Lid.step"


def test_rings_of_a_skin_are_dragged_and_typed(signed_in):
    """A skin over rings: a handle widens a ring in the front view, the table changes another, a row is added."""
    page = signed_in
    new_part(page, "Vase")
    add_line(page, "skin")
    shown(page)
    add_line(page, "mesh 32 30")
    shown(page)
    before = size_of(page)
    expect(page.locator(".view-front .handle")).to_have_count(0)
    page.locator(".line strong").first.click()
    widest = page.locator(".view-front .handle[aria-label^='width of ring 2']")
    expect(widest).to_be_visible()
    expect(page.locator(".view-side .handle[aria-label^='width']")).to_have_count(0)
    expect(page.locator(".view-picture .handle[aria-label^='depth of ring 2']")).to_have_count(1)
    drag(page, widest, 24, 0)
    shown(page)
    wider = size_of(page)
    assert wider != before
    drag(page, page.locator(".view-picture .handle[aria-label^='width of ring 2']"), 0, 30)
    shown(page)
    assert size_of(page) != wider
    page.locator("[data-kind='table']").click()
    slip = page.locator("#table-slip")
    expect(slip.locator("tbody tr")).to_have_count(3)
    slip.get_by_role("button", name="Add a ring").click()
    row = slip.locator("tbody tr").last
    row.locator("[name=height]").fill("160 mm")
    row.locator("[name=width]").fill("70")
    slip.get_by_role("button", name="Use this table").click()
    shown(page)
    expect(page.locator("[data-kind='table']")).to_have_text("4 rings")
    assert "160" in size_of(page)


def test_a_law_is_bent_as_a_curve(signed_in):
    """A cord's scale is opened as a curve, a place is added and dragged, and the law is taken; the picture follows."""
    page = signed_in
    new_part(page, "Handle")
    for words in ("line", "cord 20", "mesh 12 20"):
        add_line(page, words)
        shown(page)
    value(page.locator(".line").nth(1), "scale")
    page.locator(".line").nth(1).locator(".law-button").first.click()
    editor = page.locator(".law-editor")
    expect(editor).to_be_visible()
    box = editor.bounding_box()
    assert box is not None
    curve = page.locator(".law-hit").bounding_box()
    assert curve is not None
    page.mouse.move(box["x"] + box["width"] / 2, curve["y"] + curve["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, curve["y"] - 30, steps=5)
    page.mouse.up()
    expect(page.locator(".law-handle")).to_have_count(3)
    page.locator("#law-slip [name=value]").fill("1.5")
    page.keyboard.press("Tab")
    page.locator("#law-slip [name=share]").fill("0.4")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Use this law").click()
    shown(page)
    expect(value_of(page, 1, "scale")).to_have_text("1, 1.5 at 0.4, 1")


def test_surfaces_are_judged_by_bend_and_by_their_shared_edges(signed_in):
    """Colours with a scale, isocurves, the value under the pointer, and the report on edges of the drain plug."""
    page = signed_in
    page.get_by_role("link", name="Boathouse kit").click()
    page.get_by_role("link", name="Drain plug M24").click()
    ready(page)
    shown(page)
    page.get_by_text("Judge the shape").click()
    page.locator("select[name=judge]").select_option("mean")
    shown(page)
    expect(page.locator(".legend")).to_contain_text("Mean bend")
    box = page.locator(".picture-surface").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.35)
    expect(page.locator(".pointing")).to_contain_text("mean bend")
    page.locator("input[name=edges]").check()
    expect(page.locator(".legend")).to_contain_text("Shared edges:")
    page.locator(".legend").get_by_role("button", name="Report").click()
    expect(page.locator("#edges-slip tbody tr").first).to_contain_text("G0, a sharp edge")


def test_control_points_are_pulled_on_the_board(signed_in):
    """A sheet gets handles at its control points; one is dragged up, and the move stands in the table."""
    page = signed_in
    new_part(page, "Seat")
    add_line(page, "simple sheet")
    shown(page)
    add_line(page, "pull")
    shown(page)
    handles = page.locator(".view-front .handle")
    expect(handles).to_have_count(4)
    drag(page, handles.first, 0, -30)
    shown(page)
    expect(page.locator("[data-kind='table']")).to_have_text("1 move")


def test_a_radius_is_dragged_in_the_picture_and_its_expression_kept(signed_in):
    """The handle of a ball's radius: its arrow keys and the mouse change it in the picture, sizes in it stay."""
    page = signed_in
    new_part(page, "Float")
    add_line(page, "simple sphere")
    shown(page)
    page.keyboard.press("/")
    page.keyboard.type("size r = 40 mm")
    expect(page.locator(".proposal").first).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator("[data-size-name='r']").first).to_be_visible()
    shown(page)
    page.locator(".line").first.click()
    value(page, "radius").click()
    page.locator(".value-input").fill("r / 2")
    page.keyboard.press("Enter")
    shown(page)
    radius = page.locator(".view-picture .handle[aria-label^='radius']")
    expect(radius).to_have_attribute("aria-label", "radius of body, r / 2 = 20 mm")
    drag(page, radius, 30, 8)
    shown(page)
    expect(page.locator("[data-field='radius']")).to_contain_text("r / 2 +")
    radius.focus()
    text = page.locator("[data-field='radius']").inner_text()
    page.keyboard.press("ArrowLeft")
    shown(page)
    expect(page.locator("[data-field='radius']")).not_to_have_text(text)


def test_a_region_of_a_net_is_left_open_by_a_press(signed_in):
    """Numbers stand in the regions of three circles; one pressed is open, and pressed by the keyboard filled again."""
    page = signed_in
    new_part(page, "Cage")
    for plane in ("front", "side", "plan"):
        add_line(page, f"circle 40 on the {plane} plane")
        shown(page)
    add_line(page, "net")
    shown(page)
    numbers = page.locator(".view-plan .handle.is-pressed")
    expect(numbers).to_have_count(8)
    numbers.last.click()
    left = last(page, "left")
    expect(left).to_have_text("8")
    shown(page)
    expect(page.locator(".view-plan .handle.is-off")).to_have_count(1)
    page.locator(".view-plan .handle.is-off").focus()
    page.keyboard.press("Enter")
    expect(left).to_have_text("none")
