"""What a page leaves behind: nothing listens any more once it is hidden."""

import pytest
from playwright.sync_api import expect

from tests.browser.bench import add_line, open_part, shown, value

pytestmark = pytest.mark.browser

COUNTING = """
window.heard = new Map();
const own = () => new Error().stack.split("\\n").slice(2).some((line) => line.includes("/static/js/"))
  && !new Error().stack.split("\\n").slice(2, 4).some((line) => line.includes("/vendor/"));
const key = (target, type, listener, options) => {
  window.ids ??= new WeakMap();
  const id = (thing) => {
    if (!window.ids.has(thing)) window.ids.set(thing, (window.lastId = (window.lastId ?? 0) + 1));
    return window.ids.get(thing);
  };
  const capture = typeof options === "object" ? Boolean(options?.capture) : Boolean(options);
  return [id(target), type, id(listener), capture].join(" ");
};
const { addEventListener: add, removeEventListener: remove } = EventTarget.prototype;
EventTarget.prototype.addEventListener = function (type, listener, options) {
  if (listener && own()) window.heard.set(key(this, type, listener, options), { type, on: this, signal: options?.signal });
  return add.call(this, type, listener, options);
};
EventTarget.prototype.removeEventListener = function (type, listener, options) {
  if (listener) window.heard.delete(key(this, type, listener, options));
  return remove.call(this, type, listener, options);
};
"""

LEFT = """() => [...window.heard.values()]
  .filter(({ signal }) => !signal?.aborted)
  .filter(({ type, on }) => type !== "pageshow" && (on === window || on === document || on.isConnected))
  .filter(({ on }) => on === window || on === document || on === document.body || on.closest?.("main, body"))
  .map(({ type, on }) => `${type} on ${on.id || on.className?.baseVal || on.className || on.constructor.name}`)"""


def test_nothing_listens_after_the_page_is_left(signed_in):
    """After an hour's kinds of work: lines added, a value typed, points taken by the pen, marks picked, a slip opened."""
    page = signed_in
    page.add_init_script(COUNTING)
    open_part(page, "Camp kettle")
    add_line(page, "circle radius 20 mm")
    shown(page)
    value(page, "round").click()
    page.keyboard.press("Escape")
    for key in ("n", "Escape", "m", "Escape", "d", "Escape", "g", "g", "f"):
        page.keyboard.press(key)
    page.get_by_role("button", name="Items").click()
    expect(page.locator("#slip")).to_be_visible()
    page.keyboard.press("Escape")
    assert page.evaluate("() => window.heard.size") > 30
    page.evaluate("() => window.dispatchEvent(new Event('pagehide'))")
    assert page.evaluate(LEFT) == []
