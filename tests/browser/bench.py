"""Driving the bench by mouse and keyboard: what tests do again and again."""

from __future__ import annotations

from playwright.sync_api import FloatRect, Locator, Page, expect


def open_part(page: Page, name: str, meshes: int = 1) -> None:
    """Open a part from the list of projects and wait for its model, of so many meshes."""
    page.get_by_role("link", name=name).click()
    ready(page)
    expect(page.locator(".board")).to_have_attribute("data-meshes", str(meshes))


def new_part(page: Page, name: str) -> None:
    """Make a part in the boathouse project and wait for its bench."""
    page.get_by_role("link", name="Boathouse kit").click()
    page.get_by_label("Name of a new part").fill(name)
    page.get_by_role("button", name="Make a part").click()
    ready(page)


def ready(page: Page) -> None:
    """Wait until the bench's scripts run."""
    expect(page.locator(".bench")).to_have_attribute("data-ready", "1")


def saved(page: Page, words: str) -> None:
    """Wait until the top line says that a change is saved."""
    expect(page.locator(".saved")).to_contain_text(words)


def shown(page: Page) -> None:
    """Wait until every edit is answered and the board shows the part as it then is."""
    page.wait_for_function(
        """() => {
            const asked = new FormData(document.querySelector("#view-state")).get("revision");
            const busy = document.querySelector(".bench").dataset.busy ?? "0";
            return busy === "0" && document.querySelector(".board").dataset.revision === asked;
        }"""
    )


def add_line(page: Page, text: str) -> None:
    """Press / and type the next line in plain words."""
    count = page.locator(".line").count()
    page.keyboard.press("/")
    expect(page.locator("#next-line")).to_be_focused()
    page.keyboard.type(text)
    expect(page.locator(".proposal").first).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator(".line")).to_have_count(count + 1)


def place(page: Page, view: str, right: float, up: float, hold: str = "") -> None:
    """Click in a drawing view at a share of its width and height, from the lower left."""
    box = page.locator(f".view-{view} .view-drawing").bounding_box()
    assert box is not None
    modifiers = [hold] if hold else []
    page.locator(f".view-{view} .view-drawing").click(
        position={"x": box["width"] * right, "y": box["height"] * (1 - up)}, modifiers=modifiers
    )


def handle(page: Page, index: int) -> Locator:
    """Return the handle of a point in the front view."""
    return page.locator(f".view-front .drawn-point[data-index='{index}']")


def box_of(what: Locator) -> FloatRect:
    """Return where an element is, once it is seen: one that is drawn anew meanwhile is nowhere for a moment."""
    for _ in range(50):
        expect(what).to_be_visible()
        if box := what.bounding_box():
            return box
    raise AssertionError("It is not seen.")


def drag(page: Page, what: Locator, right: float, down: float, steps: int = 8) -> None:
    """Drag an element by pixels."""
    box = box_of(what)
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(1, steps + 1):
        page.mouse.move(x + right * step / steps, y + down * step / steps)
    page.mouse.up()


def gauge(page: Page, code: str) -> str:
    """Return the text of a gauge."""
    return page.locator(f".gauge[data-code='{code}'] .gauge-text").inner_text()


def value(where: Page | Locator, field: str) -> Locator:
    """Return a value of the sheet or of a line; one that goes without saying is shown by opening its line."""
    found = where.locator(f"[data-field='{field}']").first
    expect(found).to_be_attached()
    if not found.is_visible():
        found.locator("xpath=ancestor::li").locator(".line-more").click()
    expect(found).to_be_visible()
    return found


def type_value(page: Page, field: str, text: str) -> None:
    """Click a value of the sheet, type another, press Enter."""
    value(page, field).click()
    page.locator(".value-input").fill(text)
    page.keyboard.press("Enter")
