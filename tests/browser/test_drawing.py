"""Drawing on the board: over a reference picture set to scale, with snaps, choices of several points, and measures."""

import base64
import io
import json

import pytest
from PIL import Image, ImageDraw
from playwright.sync_api import Page, expect

from tests.browser.bench import add_line, drag, handle, new_part, ready, saved, shown, value

pytestmark = pytest.mark.browser

# A sketch of half a kettle in pixels, drawn for this test: its widest diameter is 656 pixels, which stand for 164 mm.
WIDTH, HEIGHT, MIDDLE, BASE = 1000, 800, 500, 720
OUTLINE = [(0, 0), (230, 0), (328, 144), (256, 400), (184, 568), (212, 632)]


def sketch() -> bytes:
    """Return the sketch as a PNG."""
    picture = Image.new("RGB", (WIDTH, HEIGHT), "#f6f1e4")
    draw = ImageDraw.Draw(picture)
    for side in (1, -1):
        draw.line([(MIDDLE + side * x, BASE - y) for x, y in OUTLINE], fill="#222222", width=5)
    file = io.BytesIO()
    picture.save(file, "PNG")
    return file.getvalue()


def drop(page: Page, data: bytes, name: str, kind: str) -> None:
    """Drop a file on the middle of the front view."""
    transfer = page.evaluate_handle(
        """([text, name, kind]) => {
            const bytes = Uint8Array.from(atob(text), (sign) => sign.charCodeAt(0));
            const transfer = new DataTransfer();
            transfer.items.add(new File([bytes], name, { type: kind }));
            return transfer;
        }""",
        [base64.b64encode(data).decode(), name, kind],
    )
    box = page.locator(".view-front").bounding_box()
    at = {"clientX": box["x"] + box["width"] / 2, "clientY": box["y"] + box["height"] / 2, "dataTransfer": transfer}
    page.dispatch_event(".view-front", "drop", at)


def on_picture(page: Page, x: float, y: float) -> tuple[float, float]:
    """Return where a pixel of the sketch is seen on the page."""
    box = page.locator(".view-front image.reference").bounding_box()
    return box["x"] + x * box["width"] / WIDTH, box["y"] + y * box["height"] / HEIGHT


def test_a_kettle_is_drawn_over_its_reference_true_to_size(signed_in):
    """Drop a picture, set its scale by two points and a distance, draw half the outline by mouse: it is 164 mm wide."""
    page = signed_in
    new_part(page, "Kettle over its sketch")
    drop(page, sketch(), "kettle.png", "image/png")
    saved(page, "picture laid")
    expect(page.locator(".view-front image.reference")).to_have_count(1)

    page.locator(".board-note button", has_text="Set the scale").click()
    for side in (-328, 328):
        page.mouse.click(*on_picture(page, MIDDLE + side, BASE - 144))
    page.get_by_label("They are how far apart?").fill("164 mm")
    page.keyboard.press("Enter")
    saved(page, "line 1 changed")
    shown(page)

    # The middle of the base goes to the origin: the picture is dragged there.
    box = page.locator(".view-front .view-drawing").bounding_box()
    across = float(page.locator(".view-front .axis-line").get_attribute("x1"))
    up = float(page.locator(".view-front .ground-line").get_attribute("y1"))
    to = box["x"] + across, box["y"] + up
    start = on_picture(page, MIDDLE, BASE)
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*[(a + b) / 2 for a, b in zip(start, to, strict=True)])
    page.mouse.move(*to)
    page.mouse.up()
    shown(page)
    right = page.locator("[data-field=right]").first.inner_text()
    assert float(right.removesuffix("mm")) == pytest.approx(0, abs=2)  # it was dragged by whole pixels of 1.2 mm
    page.keyboard.press("f")

    page.locator("#next-line").click()
    page.locator(".proposal[data-verb=draw]").click()
    expect(page.locator(".draw-words")).to_contain_text("Click in the front view")
    for number, (x, y) in enumerate(OUTLINE, 1):
        page.mouse.click(*on_picture(page, MIDDLE + x, BASE - y))
        expect(page.locator(".view-front .drawn-point")).to_have_count(number)
    page.get_by_role("button", name="Done").click()
    expect(page.locator(".view.can-place")).to_have_count(0)
    shown(page)

    free = """path => {
        // Half way between two points that can be dragged: a click there is one on the curve.
        const box = path.ownerSVGElement.getBoundingClientRect();
        const grips = [...path.ownerSVGElement.querySelectorAll(".drawn-point, .handle")];
        const boxes = grips.map((grip) => grip.getBoundingClientRect());
        const middles = boxes.map((at) => [at.x + at.width / 2, at.y + at.height / 2]);
        const clear = ([x, y]) => Math.min(...middles.map(([a, b]) => Math.hypot(a - x, b - y)));
        const places = Array.from({ length: 80 }, (_, k) => path.getPointAtLength((path.getTotalLength() * (k + 1)) / 81));
        return places.map(({ x, y }) => [box.x + x, box.y + y]).sort((a, b) => clear(b) - clear(a))[0];
    }"""
    page.mouse.click(*page.locator(".view-front .curve-hit").first.evaluate(free))
    expect(page.locator("[data-curve-row=Extents] .gauge-text")).to_be_visible()
    half = float(page.locator("[data-curve-row=Extents] .gauge-text").inner_text().split("×")[0])
    assert 2 * half == pytest.approx(164, abs=2.5)  # mouse clicks fall on whole pixels of 1.2 mm


def test_several_points_are_chosen_moved_and_placed_by_numbers(signed_in):
    """Shift-drag a box, drag one, type a move; every step is undone by one undo."""
    page = signed_in
    page.get_by_role("link", name="Camp kettle").click()
    ready(page)
    expect(page.locator(".view-front .drawn-point").first).to_be_visible()
    before = page.locator(".view-front .drawn-point").evaluate_all("list => list.map((e) => e.getAttribute('aria-label'))")
    box = page.locator(".view-front .view-drawing").bounding_box()
    page.keyboard.down("Shift")
    page.mouse.move(box["x"] + 6, box["y"] + 30)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 6, box["y"] + box["height"] / 2, steps=4)
    page.mouse.up()
    page.keyboard.up("Shift")
    count = page.locator(".view-front .drawn-point.is-chosen").count()
    assert 1 < count < len(before)
    expect(page.locator(".board-note")).to_contain_text("points of")

    page.keyboard.press("t")
    page.get_by_label("Move up in mm").fill("10")
    page.get_by_role("button", name="Place them").click()
    saved(page, "line 1 changed")
    after = page.locator(".view-front .drawn-point").evaluate_all("list => list.map((e) => e.getAttribute('aria-label'))")
    assert sum(a != b for a, b in zip(after, before, strict=True)) == count
    page.keyboard.press("Control+z")
    saved(page, "undid")
    expect(page.locator(".view-front .drawn-point").last).to_have_attribute("aria-label", before[-1])


def test_a_distance_is_measured_and_made_a_size(signed_in):
    """From point to point of the kettle; the size is there to be used."""
    page = signed_in
    page.get_by_role("link", name="Camp kettle").click()
    ready(page)
    expect(page.locator(".view-front .drawn-point").first).to_be_visible()
    page.keyboard.press("d")
    for index in (0, 2):
        box = handle(page, index).bounding_box()
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(page.locator(".measure-note")).to_contain_text("mm:")
    words = page.locator(".measure-note").inner_text().split(" mm")[0]
    page.get_by_role("button", name="Make it a size").click()
    expect(page.locator("[data-size-name=measured]")).to_be_visible()
    assert f"{float(words):g}" in page.locator(".sheet-foot").inner_text()


def test_an_end_is_turned_by_its_handle(signed_in):
    """Dragging the square beside an end gives it a direction of its own."""
    page = signed_in
    page.get_by_role("link", name="Camp kettle").click()
    ready(page)
    drag(page, page.locator(".view-front .end-handle[data-end='1']"), 30, 10)
    saved(page, "line 1 changed")
    expect(page.locator("[data-field=end]").first).to_have_value("at an angle")


def test_curves_are_hidden_locked_and_put_on_layers(signed_in):
    """The slip of curves: a hidden curve leaves the board, a locked one keeps its points."""
    page = signed_in
    page.get_by_role("link", name="Kettle from the sketch").click()
    ready(page)
    expect(page.locator(".view-side .curve-line")).not_to_have_count(0)
    curves = page.locator(".view-front .curve-line").count()
    page.get_by_role("button", name="Items").click()
    page.get_by_label("spout socket is shown").uncheck(force=True)
    saved(page, "look of spout socket changed")
    page.get_by_label("outline is locked").check(force=True)
    saved(page, "look of outline changed")
    page.locator("#slip").get_by_role("button", name="Close").click()
    expect(page.locator(".view-front .curve-line")).to_have_count(curves - 1)
    drag(page, handle(page, 3), 20, 0)
    expect(page.locator(".board-note")).to_contain_text("is locked")


def test_views_zoom_apart_when_asked(signed_in):
    """A wheel turn in the plan leaves the front view alone."""
    page = signed_in
    page.get_by_role("link", name="Camp kettle").click()
    ready(page)
    expect(page.locator(".view-front .scale-text")).to_be_visible()
    page.get_by_role("button", name="Own zoom a view").click()
    front, plan = (page.locator(f".view-{name} .scale-bar").get_attribute("d") for name in ("front", "plan"))
    box = page.locator(".view-plan .view-drawing").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.wheel(0, -400)
    expect(page.locator(".view-plan .scale-bar")).not_to_have_attribute("d", plan)
    assert page.locator(".view-front .scale-bar").get_attribute("d") == front


def test_a_curve_of_two_hundred_points_ends_where_it_was_dropped(signed_in):
    """However fast the drag, the last place is the one that is saved."""
    page = signed_in
    new_part(page, "Many points")
    page.get_by_role("button", name="Draw a profile").click()
    expect(page.locator(".line")).to_have_count(1)
    points = [{"x": 40 + 20 * (k % 2), "y": k} for k in range(200)]
    page.evaluate(
        """async (points) => {
            const line = document.querySelector(".line").dataset.line;
            const state = Object.fromEntries(new FormData(document.querySelector("#view-state")));
            const values = { ...state, op: "set", line, field: "points", value: points };
            const url = document.querySelector(".bench").dataset.editUrl;
            await window.htmx.ajax("POST", url, { source: ".bench", target: "#sheet", swap: "outerHTML", values });
        }""",
        json.dumps(points),
    )
    expect(page.locator(".view-front .drawn-point")).to_have_count(200)
    page.keyboard.press("Enter")
    page.keyboard.press("f")
    shown(page)
    target = handle(page, 100)
    box = target.bounding_box()
    drag(page, target, 37, 0, steps=20)
    shown(page)
    moved = handle(page, 100).bounding_box()
    assert moved["x"] - box["x"] == pytest.approx(37, abs=9)  # snaps to the grid


def test_a_place_is_clicked_while_its_coordinate_is_typed(signed_in):
    """A circle's centre is taken from a point of another curve; the loop's place from the mesh in the picture."""
    page = signed_in
    page.get_by_role("link", name="Camp kettle").click()
    ready(page)
    shown(page)
    add_line(page, "circle radius 20")
    shown(page)
    value(page.locator(".line").last, "right").click()
    expect(page.locator(".board-note")).to_contain_text("click the place in the front view")
    target = handle(page, 4).bounding_box()
    page.mouse.click(target["x"] + 3, target["y"] + 3)
    saved(page, "line 5 changed")
    line = page.locator(".line").last
    words = handle(page, 4).get_attribute("aria-label")
    right, up = (line.locator(f"[data-field={name}]").get_attribute("data-raw") for name in ("right", "up"))
    assert f"x {float(right):g} z {float(up):g} mm" in words

    add_line(page, "loop")
    shown(page)
    value(page.locator(".line").last, "x").click()
    box = page.locator(".view-picture .picture-surface").bounding_box()
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    saved(page, "line 6 changed")
    x, y = (float(page.locator(".line").last.locator(f"[data-field={name}]").get_attribute("data-raw")) for name in "xy")
    assert 40 < (x * x + y * y) ** 0.5 < 83  # on the kettle's body
    expect(page.locator(".line .finding")).to_have_count(0)


def test_a_corner_gets_a_radius_of_its_own_by_its_number(signed_in):
    """Numbers show at the corners while the values of single corners are typed."""
    page = signed_in
    new_part(page, "Plate")
    add_line(page, "rectangle")
    value(page.locator(".line").last, "radius").click()
    page.locator(".value-input").fill("0")
    page.keyboard.press("Enter")
    add_line(page, "round 5 mm")
    shown(page)
    value(page.locator(".line").last, "own").click()
    expect(page.locator(".view-front .corner-number")).to_have_count(4)
    page.locator(".view-front .corner-number[data-corner='3']").click()
    page.keyboard.type("12 mm")
    page.keyboard.press("Enter")
    saved(page, "line 2 changed")
    expect(page.locator("[data-field=own]")).to_have_text("3: 12 mm")
    expect(page.locator(".view-front .corner-number")).to_have_count(0)
