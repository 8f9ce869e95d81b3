"""Take the pictures of docs/screenshots from a running copy with fresh demo data: ./start --reset --yes, then this.

Usage: .venv/bin/python tools/take_screenshots.py [ADDRESS]     (needs the development requirements: ./test installs them)
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

OUT = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
FLAGS = ["--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist"]
SETTLE = 1800
"""Milliseconds for pictures to settle in software WebGL."""


def shot(page: Page, name: str) -> None:
    """Save one picture."""
    page.wait_for_timeout(SETTLE)
    page.screenshot(path=OUT / f"{name}.png")


def open_part(page: Page, name: str) -> None:
    """Open a part from the projects."""
    page.goto("/projects/")
    page.get_by_role("link", name=re.compile(rf"\b{re.escape(name)}$", re.IGNORECASE)).click()
    page.wait_for_selector(".bench[data-ready='1']")
    page.wait_for_timeout(SETTLE)


def bring_into_view(page: Page, selector: str) -> None:
    """Scroll to the first element of the sheet that is to be seen, which an answer may replace at any time."""
    page.wait_for_selector(f"{selector}:visible")
    page.evaluate(
        "selector => [...document.querySelectorAll(selector)].find(one => one.checkVisibility()).scrollIntoView()", selector
    )


def drawing(page: Page) -> None:
    """Show a point being drawn over its reference, a curvature comb, and helices."""
    open_part(page, "Kettle from the sketch")
    page.locator(".view-front .view-name").click()
    page.wait_for_timeout(SETTLE)
    box = page.locator(".view-front .drawn-point").nth(5).bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 4, y - 2)
    page.mouse.move(x + 18, y - 18)
    shot(page, "draw-over-reference")
    page.mouse.up()
    page.wait_for_timeout(SETTLE)
    page.keyboard.press("Control+z")
    page.wait_for_timeout(SETTLE)
    page.keyboard.press("Escape")
    middle = """path => {
        const place = path.getPointAtLength(path.getTotalLength() * 0.3), box = path.ownerSVGElement.getBoundingClientRect();
        return [box.x + place.x, box.y + place.y];
    }"""
    page.mouse.click(*page.locator(".view-front .curve-hit").first.evaluate(middle))
    page.get_by_role("button", name="Comb").click()
    shot(page, "curvature-comb")
    open_part(page, "Coil spring")
    shot(page, "helix")
    open_part(page, "Rowing skiff")
    page.locator("[data-level='2']").click()
    page.locator("[data-mode=stripes]").click()
    page.wait_for_timeout(SETTLE)
    bring_into_view(page, ".item-list")
    shot(page, "hull-stripes")


def form(page: Page) -> None:
    """Show a blade that runs out, the report on shared edges, a law bent as a curve, and rings with their grips."""
    open_part(page, "Valve wheel")
    shot(page, "valve-wheel")
    open_part(page, "Drain plug M24")
    page.get_by_text("Judge the shape").click()
    page.locator("select[name=judge]").select_option("mean")
    page.locator("input[name=edges]").check()
    page.locator(".legend").get_by_role("button", name="Report").click()
    page.wait_for_selector("#edges-slip tbody tr")
    shot(page, "edge-report")
    open_part(page, "Oar")
    page.locator(".line:has(.law-button) .line-more").first.click()
    bring_into_view(page, ".line.is-open .law-button")
    page.locator(".line.is-open .law-button").first.click()
    page.wait_for_selector(".law-editor")
    shot(page, "law-editor")
    open_part(page, "Lantern")
    shot(page, "skin-through-rings")
    open_part(page, "Ventilator")
    for step in (1, 2):
        page.locator(".step-fold").nth(step).click()
    page.locator(".line[data-line=l4] strong").click()
    page.locator(".line[data-line=l4] .line-more").click()
    page.mouse.move(900, 60)
    shot(page, "ventilator")


def meshing(page: Page) -> None:
    """Show a loop being picked, gauges at their line with their faces painted, two states, the inspection sheet."""
    open_part(page, "Lantern")
    page.keyboard.press("m")
    page.keyboard.press("4")
    box = page.locator(".picture-surface").bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + box["width"] / 2 + 8, box["y"] + box["height"] * 0.36)
    shot(page, "marks")
    page.keyboard.press("Escape")
    open_part(page, "Valve wheel")
    page.wait_for_timeout(SETTLE)
    bring_into_view(page, ".finding [data-gauge=kinks]")
    page.locator(".finding [data-gauge=kinks]").first.click()
    page.mouse.move(700, 500)
    shot(page, "gauge-offenders")
    open_part(page, "Camp kettle")
    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Compare any two states").click()
    page.wait_for_selector(".compare-form")
    page.select_option(".compare-form select[name=left]", index=3)
    shot(page, "compare")
    page.goto(page.url.rstrip("/") + "/inspection/")
    shot(page, "inspection")


def main() -> None:
    """Walk through the main views."""
    address = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto("/sign-in/")
        shot(page, "sign-in")
        page.get_by_label("User name").fill("demo")
        page.get_by_label("Password").fill("kettle-demo")
        page.get_by_role("button", name="Sign in").click()
        page.locator(".part-card img").last.scroll_into_view_if_needed()
        page.wait_for_function("() => [...document.querySelectorAll('.part-card img')].every((image) => image.complete)")
        page.evaluate("() => window.scrollTo(0, 0)")
        shot(page, "projects")
        open_part(page, "Mooring buoy")
        page.locator("[data-mode=evenness]").click()
        shot(page, "bench-buoy-evenness")
        open_part(page, "Camp kettle")
        shot(page, "bench-kettle")
        page.locator("[data-level='2']").click()
        page.locator("[data-mode=stripes]").click()
        page.locator("[data-level='0']").click()
        page.locator("[data-mode=edges]").click()
        page.wait_for_timeout(SETTLE)
        page.locator("[data-field=fit]").select_option("exactly")
        page.wait_for_timeout(SETTLE)
        page.locator("[data-field=radius]").click()
        page.locator(".value-input").fill("90 mm")
        page.keyboard.press("Enter")
        shot(page, "bench-warning")
        for _ in range(2):
            page.get_by_role("button", name="Undo").click()
            page.wait_for_timeout(SETTLE)
        drawing(page)
        form(page)
        meshing(page)
        page.goto("/projects/1/")
        page.get_by_label("Name of a new part").fill("Bailer")
        page.get_by_role("button", name="Make a part").click()
        page.wait_for_selector(".bench[data-ready='1']")
        shot(page, "bench-empty")
        browser.close()


if __name__ == "__main__":
    main()
