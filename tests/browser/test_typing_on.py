"""Keys typed while an answer is on its way go where they were meant."""

import pytest
from playwright.sync_api import expect

from tests.browser.bench import open_part, shown, value

pytestmark = pytest.mark.browser


def test_two_lines_typed_without_waiting_are_two_lines(signed_in):
    """The second is typed while the first one's meaning is still asked for; answers are held back by half a second."""
    page = signed_in
    open_part(page, "Camp kettle")
    count = page.locator(".line").count()
    page.route("**/find/**", lambda route: (page.wait_for_timeout(500), route.continue_()))
    page.keyboard.press("/")
    page.keyboard.type("circle radius 21 mm")
    page.keyboard.press("Enter")
    page.keyboard.type("hexagon 24 mm across flats")
    page.keyboard.press("Enter")
    expect(page.locator(".line")).to_have_count(count + 2)
    shown(page)
    last = page.locator(".line")
    expect(last.nth(count).locator("[data-field='radius']")).to_have_text("21 mm")
    expect(last.nth(count + 1).locator("[data-field='sides']")).to_have_text("6")
    expect(page.locator("#next-line")).to_have_value("")


def test_a_value_typed_while_an_edit_is_answered_is_kept_whole(signed_in):
    """One value is changed, the next one is typed before the answer has replaced the sheet: all of its letters count."""
    page = signed_in
    open_part(page, "Camp kettle")
    page.route("**/edit/", lambda route: (page.wait_for_timeout(400), route.continue_()))
    value(page, "round").click()
    page.locator(".value-input").fill("40")
    page.keyboard.press("Enter")
    value(page, "start_angle").click()
    page.keyboard.type("90° - 30°", delay=90)
    page.keyboard.press("Enter")
    shown(page)
    expect(page.locator("[data-field='start_angle']").first).to_have_attribute("data-raw", "90° - 30°")
    expect(page.locator("[data-field='round']").first).to_have_text("40")
