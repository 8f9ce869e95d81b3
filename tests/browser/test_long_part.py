"""A part of sixty lines: pasted, folded, found, dragged, added to and edited in the middle; the sheet stays still."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.bench import box_of, new_part, open_part, ready, saved, shown, value

pytestmark = pytest.mark.browser

ROUND = (
    "## Peg {k}\n\n1. **Circle** *rim {k}* on the `plan` plane, radius `{k} mm`.\n"
    "2. **Extrude** *rim {k}* by `12 mm` `square to it`, giving *peg {k}*.\n"
    "3. **Mesh** *peg {k}* by `16` round and `4` along, giving *peg {k} mesh*.\n"
    "4. **Move** *peg {k} mesh* by `{x} mm` right, `0 mm` back and `0 mm` up.\n"
)
"""A step of four lines in the written form."""

SHIFTS = """async () => {
    window.shifts = [];
    // What came before is over when two frames have passed.
    for (let k = 0; k < 2; k += 1) await new Promise((done) => requestAnimationFrame(done));
    new PerformanceObserver((list) => window.shifts.push(...list.getEntries().map((entry) => entry.value)))
        .observe({ type: "layout-shift", buffered: false });
}"""


def paste(page: Page, text: str) -> None:
    """Paste a text on the bench, as the browser hands it over."""
    page.evaluate(
        """text => {
            const data = new DataTransfer();
            data.setData("text/plain", text);
            const pasted = { clipboardData: data, bubbles: true, cancelable: true };
            document.body.dispatchEvent(new ClipboardEvent("paste", pasted));
        }""",
        text,
    )


def pegs(count: int) -> str:
    """Return the text of so many steps."""
    return "\n".join(ROUND.format(k=k + 4, x=20 * k) for k in range(count))


def heading(page: Page, title: str):
    """Return the heading of a step."""
    return page.locator(".step-head").filter(has_text=re.compile(rf"\b{title}\b"))


def line(page: Page, number: int):
    """Return a line by the number that it shows."""
    return page.locator(".line").filter(has=page.locator(".line-number", has_text=re.compile(rf"^{number}$")))


def top_of(page: Page, number: int) -> float:
    """Return where a line stands on the screen."""
    return box_of(line(page, number))["y"]


def test_sixty_lines_are_pasted_folded_found_dragged_and_edited_in_the_middle(signed_in):
    """One paste makes fifteen steps of four lines; all of them fold into one screen, and stay where they are under edits."""
    page = signed_in
    new_part(page, "Pegs")
    paste(page, pegs(15))
    saved(page, "75 lines put in")
    expect(page.locator(".line")).to_have_count(60)
    page.keyboard.press("Escape")
    shown(page)

    # Folded, the whole part stands on one screen.
    page.get_by_role("button", name="Fold all").click()
    expect(page.locator(".step.is-folded")).to_have_count(15)
    frame = page.locator(".sheet-lines")
    assert frame.evaluate("e => e.scrollHeight <= e.clientHeight + 1")
    expect(heading(page, "Peg 9").locator(".step-count")).to_have_text("4 lines")
    expect(heading(page, "Peg 9").locator(".step-gives")).to_contain_text("96")

    # Found by an item's name, in a folded step: it unfolds, and one stands there.
    page.keyboard.press("w")
    page.keyboard.type("extrude rim 11")
    expect(page.locator(".find-count")).to_have_text("1 of 1")
    expect(line(page, 30)).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.locator(".line.is-stood .line-number")).to_have_text("30")

    # Edited in the middle: the line stays where it is, and has the focus again.
    page.evaluate(SHIFTS)
    before = top_of(page, 30)
    line(page, 30).locator("[data-field=distance]").click()
    page.locator(".value-input").fill("18 mm")
    page.keyboard.press("Enter")
    saved(page, "line 30 changed")
    shown(page)
    assert abs(top_of(page, 30) - before) < 2
    expect(line(page, 30).locator("[data-field=distance]")).to_be_focused()
    assert max(page.evaluate("window.shifts"), default=0) <= 0.02

    # A line typed here goes behind the line one stands on, and uses what stands before it.
    page.keyboard.press("/")
    expect(page.locator("#next-line")).to_have_attribute("placeholder", "Add behind line 30…")
    page.keyboard.type("flip it")
    expect(page.locator(".proposal").first).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator(".line")).to_have_count(61)
    expect(page.locator(".line.is-stood .line-number")).to_have_text("31")
    expect(line(page, 31)).to_contain_text("peg 11")
    expect(line(page, 31)).to_be_in_viewport()

    # Undone, it is gone, and one adds at the end again.
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    expect(page.locator(".line")).to_have_count(60)
    shown(page)

    # A whole step is dragged behind another one.
    page.get_by_role("button", name="Fold all").click()
    target = box_of(heading(page, "Peg 4"))
    taken_in_hand(page, heading(page, "Peg 18"))
    dropped_at(page, target["x"] + 100, target["y"] + 26)
    saved(page, "step “Peg 18” moved")
    assert page.locator(".step-name").all_inner_texts()[:3] == ["Peg 4", "Peg 18", "Peg 5"]


def with_first_edit_held_back(page: Page) -> list:
    """Make a part of one peg; return the list that gets the first edit from now on, which waits there."""
    new_part(page, "Pegs")
    paste(page, pegs(1))
    saved(page, "5 lines put in")
    page.keyboard.press("Escape")
    shown(page)
    late: list = []
    page.route("**/edit/", lambda route: route.continue_() if late else late.append(route))
    return late


def taken_in_hand(page: Page, what: Locator):
    """Take a line or a step by its grip, and return its element."""
    what.hover()
    grip = box_of(what.locator(".line-grip"))
    page.mouse.move(grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2)
    page.mouse.down()
    return what.element_handle()


def dropped_at(page: Page, x: float, y: float) -> None:
    """Carry what is in the hand to a place of the page, and let it go there."""
    page.mouse.move(x, y, steps=6)
    page.mouse.move(x, y)
    page.mouse.up()


def test_an_answer_that_comes_while_a_line_is_in_the_hand_waits_for_it(signed_in):
    """The line that is held stays on the page and is dropped where the hand takes it; what came meanwhile shows then."""
    page = signed_in
    late = with_first_edit_held_back(page)
    line(page, 1).locator("[data-field=radius]").click()
    page.locator(".value-input").fill("31 mm")
    page.keyboard.press("Enter")
    target = box_of(line(page, 2))
    held = taken_in_hand(page, line(page, 1))
    assert len(late) == 1
    with page.expect_response("**/edit/"):
        late[0].continue_()
    page.wait_for_timeout(300)
    assert held.evaluate("line => line.isConnected")
    dropped_at(page, target["x"] + 100, target["y"] + target["height"] - 4)
    saved(page, "line 1 moved")
    expect(page.locator(".line[data-verb]").first).to_have_attribute("data-verb", "extrude")
    expect(line(page, 2).locator("[data-field=radius]")).to_have_text("31 mm")


def test_a_refusal_is_told_while_a_line_is_in_the_hand(signed_in):
    """What was refused stands on the page at once, and the line stays in the hand."""
    page = signed_in
    late = with_first_edit_held_back(page)
    line(page, 2).locator(".item-name[data-kind=name]").click()
    page.locator(".value-input").fill("a" * 300)
    page.keyboard.press("Enter")
    held = taken_in_hand(page, line(page, 1))
    assert len(late) == 1
    with page.expect_response("**/edit/") as answer:
        late[0].continue_()
    assert answer.value.status == 422
    expect(page.locator("#messages")).to_contain_text("it has more than 60 signs")
    assert held.evaluate("line => line.isConnected")
    page.mouse.up()


def test_lines_are_chosen_copied_paused_and_made_a_step(signed_in):
    """Shift chooses a run; what is copied is text; they pause together, and gather under a heading whose name is typed."""
    page = signed_in
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    open_part(page, "Lantern", meshes=2)
    first, last = page.locator(".line .prose").nth(0), page.locator(".line .prose").nth(2)
    first.click(position={"x": 6, "y": 6}, modifiers=["Control"])
    last.click(position={"x": 6, "y": 6}, modifiers=["Shift"])
    expect(page.locator(".chosen-count")).to_have_text("3 lines chosen")
    page.locator("[data-chosen=copy]").click()
    expect(page.locator(".board-note")).to_contain_text("3 lines copied")
    text = page.evaluate("navigator.clipboard.readText()")
    assert len(re.findall(r"^\d+\. \*\*", text, re.MULTILINE)) == 3
    page.locator("[data-chosen=step]").click()
    expect(page.locator(".value-input")).to_be_visible()
    page.locator(".value-input").fill("Glass")
    page.keyboard.press("Enter")
    expect(page.locator(".step-name").first).to_have_text("Glass")
    page.locator(".step-head").first.hover()
    page.locator("[data-step-pause]").first.click()
    saved(page, "3 lines paused")
    expect(page.locator(".step").first.locator(".line.is-paused")).to_have_count(3)
    page.keyboard.press("Control+z")
    expect(page.locator(".line.is-paused")).to_have_count(0)


def test_a_face_leads_to_its_line_and_a_line_lights_its_item(signed_in):
    """A click on the picture goes to the line that made what is there; what is under the hand says who made and uses it."""
    page = signed_in
    open_part(page, "Camp kettle")
    box = page.locator(".picture-surface").bounding_box()
    at = box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.6
    page.mouse.move(*at)
    expect(page.locator(".pointing")).to_contain_text("made by line")
    page.mouse.click(*at)
    expect(page.locator(".line.is-stood")).to_have_attribute("data-verb", "mesh")
    page.locator(".line[data-verb=mesh] .prose").hover(position={"x": 4, "y": 4})
    expect(page.locator(".line[data-verb=revolve]")).to_have_class(re.compile("is-maker"))
    page.locator(".line[data-verb=revolve] .prose").hover(position={"x": 4, "y": 4})
    expect(page.locator(".line[data-verb=mesh]")).to_have_class(re.compile("is-user"))


def test_what_is_likely_next_is_one_click_away(signed_in):
    """Behind the line one stands on three lines are offered; one of them is added there and taken up at once."""
    page = signed_in
    page.get_by_role("link", name="Ventilator").click()
    ready(page)
    line(page, 6).locator(".prose").click(position={"x": 6, "y": 6})
    expect(page.locator(".next-offer")).to_have_text(["Smooth", "Thicken", "Mark"])
    page.locator(".next-offer", has_text="Thicken").click()
    saved(page, "line 7 added")
    expect(line(page, 7)).to_contain_text("hood mesh")
    expect(page.locator(".line.is-stood .line-number")).to_have_text("7")
    value(line(page, 7), "wall").click()
    page.locator(".value-input").fill("4 mm")
    page.keyboard.press("Enter")
    saved(page, "line 7 changed")


def test_what_goes_without_saying_comes_back_when_a_line_is_opened(signed_in):
    """Closed, a line says what was changed; its dots, or a click on its words, show all; it stays open over an edit."""
    page = signed_in
    open_part(page, "Camp kettle")
    mesh = page.locator(".line[data-verb=mesh]")
    expect(mesh.locator("[data-field=poles]")).to_be_hidden()
    mesh.locator(".line-more").click()
    expect(mesh.locator("[data-field=poles]")).to_be_visible()
    mesh.locator("[data-field=spaced]").select_option("denser at bends")
    saved(page, "line 4 changed")
    expect(mesh.locator("[data-field=poles]")).to_be_visible()
    mesh.locator(".line-more").click()
    expect(mesh.locator("[data-field=poles]")).to_be_hidden()
    expect(mesh.locator("[data-field=spaced]")).to_be_visible()


def test_the_keys_are_on_one_page(signed_in):
    """The question mark opens them, Escape closes them."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.keyboard.press("?")
    expect(page.get_by_role("heading", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("heading", name="Keys")).to_be_hidden()


def test_a_step_of_another_part_is_brought_in(signed_in):
    """Chosen on a slip by its heading: its lines come in behind the last one, with their own heading."""
    page = signed_in
    open_part(page, "Camp kettle")
    count = page.locator(".line").count()
    page.get_by_role("button", name="Bring in lines of another part").click()
    page.locator("#slip select[name=from]").select_option(label="Ventilator")
    step = page.locator("#slip fieldset").filter(has_text="Hood and lining")
    step.locator("[data-choose-all]").check()
    page.get_by_role("button", name="Bring them in").click()
    saved(page, "6 lines of Ventilator brought in")
    expect(page.locator(".step-name")).to_have_text(["Hood and lining"])
    expect(page.locator(".line")).to_have_count(count + 5)
    expect(page.locator(".line.is-stood")).to_contain_text("lining mesh")


def test_gauges_are_asked_for_once_the_picture_stands(signed_in):
    """While the model of an edit is on its way nothing else is asked for; then the gauges are read."""
    page = signed_in
    open_part(page, "Camp kettle")
    shown(page)
    expect(page.locator("#gauges[data-pending]")).to_have_count(0)
    asked, held = [], []
    page.on("request", lambda request: asked.append(request.url) if "pending=1" in request.url else None)
    page.route("**/view.glb*", lambda route: held.append(route))
    page.locator(".line[data-verb=mesh] [data-field=along]").click()
    page.locator(".value-input").fill("26")
    page.keyboard.press("Enter")
    expect(page.locator("#gauges[data-pending]")).to_have_count(1)
    page.wait_for_timeout(1500)
    assert len(held) == 1
    assert asked == []
    held[0].continue_()
    page.unroute("**/view.glb*")
    shown(page)
    expect(page.locator("#gauges[data-pending]")).to_have_count(0)
    assert asked
