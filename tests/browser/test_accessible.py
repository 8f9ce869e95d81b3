"""Accessibility by axe-core (WCAG 2.2 A and AA, and its own best practices): no violation on any screen or slip."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.bench import add_line, new_part, open_part, ready, shown, value

pytestmark = pytest.mark.browser

AXE = Path(__file__).parents[2] / "node_modules/axe-core/axe.min.js"

READ = """async () => {
    const { violations } = await axe.run(document, { resultTypes: ["violations"] });
    return violations.flatMap(({ id, nodes }) => nodes.map((node) => `${id}: ${node.target.join(" ")}`));
}"""


@pytest.fixture
def page(chromium, server):
    """A page that lets axe put its own styles in, which the policy of the application would not."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=server, bypass_csp=True)
    yield context.new_page()
    context.close()


def faults(page: Page) -> list[str]:
    """Return what axe finds on the page as it is, an entry an element."""
    page.evaluate(AXE.read_text())
    found: list[str] = page.evaluate(READ)
    return found


def test_pages_before_signing_in_have_no_violation(page):
    """Sign-in, sign-up, a forgotten password, and the page of verbs."""
    for address in ("/sign-in/", "/sign-up/", "/forgotten/", "/verbs/"):
        page.goto(address)
        assert faults(page) == [], address


def test_lists_of_projects_and_parts_have_no_violation(signed_in):
    """All projects, one project with its members, the account."""
    page = signed_in
    assert faults(page) == []
    page.get_by_role("link", name="Boathouse kit").click()
    expect(page.get_by_role("button", name="Make a part")).to_be_visible()
    assert faults(page) == []
    page.goto("/account/")
    assert faults(page) == []


def test_the_bench_has_no_violation_in_any_state(signed_in):
    """A part of steps: at rest, a line open, lines chosen, the finder, a find, picking, judging."""
    page = signed_in
    page.get_by_role("link", name="Ventilator").click()
    ready(page)
    shown(page)
    assert faults(page) == []
    page.locator(".line .prose").nth(3).click(position={"x": 6, "y": 6})
    assert faults(page) == []
    page.locator(".line .prose").nth(5).click(position={"x": 6, "y": 6}, modifiers=["Control"])
    expect(page.locator(".chosen-bar")).to_be_visible()
    assert faults(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Fold all").click()
    page.keyboard.press("w")
    page.keyboard.type("hood")
    expect(page.locator(".line.is-found-now")).to_be_visible()
    assert faults(page) == []
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    page.keyboard.type("mesh")
    expect(page.locator(".proposal").first).to_be_visible()
    assert faults(page) == []
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    page.locator(".judge summary").click()
    assert faults(page) == []
    page.keyboard.press("m")
    expect(page.locator(".mark-bar")).to_be_visible()
    assert faults(page) == []


def test_slips_have_no_violation(signed_in):
    """Keys, versions, a comparison, sending out, items, trying the sizes, a table of points, a removal."""
    page = signed_in
    open_part(page, "Camp kettle")
    slip = page.locator("#slip")

    def close() -> None:
        page.keyboard.press("Escape")
        expect(slip).to_be_hidden()

    for opener in (
        page.locator(".keys-button"),
        page.get_by_role("button", name="Versions", exact=True),
        page.get_by_role("button", name="Send out", exact=True),
        page.get_by_role("button", name="Items", exact=True),
        page.locator(".size-trial"),
        page.locator(".line [data-kind=points]").first,
        page.locator(".bring-lines"),
    ):
        opener.click()
        expect(slip).to_be_visible()
        expect(slip.locator(".slip-body")).to_be_visible()
        assert faults(page) == [], str(opener)
        close()
    page.get_by_role("button", name="Versions", exact=True).click()
    page.get_by_role("button", name="Compare any two states").click()
    expect(slip.locator(".compare-table").first).to_be_visible()
    assert faults(page) == []
    close()


def test_an_empty_part_and_a_failing_line_have_no_violation(signed_in):
    """The bench before the first line, and with a line that cannot be built."""
    page = signed_in
    new_part(page, "Nothing yet")
    assert faults(page) == []
    add_line(page, "circle radius 20 mm")
    shown(page)
    value(page, "radius").click()
    page.locator(".value-input").fill("banana")
    page.keyboard.press("Enter")
    expect(page.locator(".line .finding")).to_be_visible()
    assert faults(page) == []
