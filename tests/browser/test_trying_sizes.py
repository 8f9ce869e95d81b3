"""Every size of a part tried by one press: the list of what does not rebuild, each shown, made or left."""

import pytest
from playwright.sync_api import expect

from tests.browser.bench import open_part, shown, type_value, value

pytestmark = pytest.mark.browser


def test_sizes_are_tried_and_a_change_that_fails_is_shown_made_and_undone(signed_in):
    """A corner rounded exactly by 30 mm of at most 37: 40 % more does not fit; the press shows it, another makes it."""
    page = signed_in
    open_part(page, "Camp kettle")
    value(page, "fit").select_option("exactly")
    shown(page)
    type_value(page, "radius", "30 mm")
    shown(page)
    page.get_by_role("button", name="try ± 20 %").click()
    page.locator("#slip select[name='percent']").select_option("40")
    page.get_by_role("button", name="Try them").click()
    rows = page.locator(".vary-list li")
    expect(rows.filter(has_text="Line 2: radius by +40 %")).to_contain_text("largest that fits", timeout=60_000)
    page.get_by_role("button", name="Line 2: radius by +40 %").click()
    bar = page.locator(".tried-bar")
    expect(bar).to_contain_text("Tried, not saved: Line 2: radius by +40 %.")
    expect(page.locator(".line.is-tried")).to_have_count(1)
    bar.get_by_role("button", name="Back to the list").click()
    expect(page.locator("#slip")).to_be_visible()
    expect(bar).to_be_hidden()
    page.get_by_role("button", name="Line 2: radius by +40 %").click()
    bar.get_by_role("button", name="Make this change").click()
    expect(page.locator(".line.is-failed")).to_have_count(1)
    expect(bar).to_be_hidden()
    page.keyboard.press("Control+z")
    expect(page.locator(".line.is-failed")).to_have_count(0)
