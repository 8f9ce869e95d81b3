"""Walk ten tasks of a new user through the running bench with a stopwatch: ./start --reset --yes, then this.

Usage: PYTHONPATH=. .venv/bin/python tools/walk_tasks.py [ADDRESS] [NUMBER ...]     prints a table for docs/usability.md

The hand is counted by the keystroke-level model (Card, Moran and Newell, Communications of the ACM 23(7), 1980): 0.2 s a
key, 1.1 s to point, 0.2 s a click, 0.4 s between keyboard and mouse, 1.35 s to think before each step; what the machine
takes until the picture stands is measured. So it is the time of somebody who knows what to do next: thinking it out comes
on top.
"""

from __future__ import annotations

import re
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from playwright.sync_api import Locator, Page, sync_playwright

FLAGS = ["--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist"]
KEY, POINT, CLICK, HOME, THINK = 0.2, 1.1, 0.2, 0.4, 1.35
LINES = "#sheet .line, #sheet-foot .size, #sheet .step-head"
SHOWN = """() => {
    const asked = new FormData(document.querySelector("#view-state")).get("revision");
    const busy = document.querySelector(".bench").dataset.busy ?? "0";
    return busy === "0" && document.querySelector(".board").dataset.revision === asked;
}"""


@dataclass
class Walk:
    """A task as it is done: the page, what the hand did, and how long the machine took."""

    page: Page
    keys: int = 0
    clicks: int = 0
    steps: int = 0
    on_mouse: bool = False
    homing: int = 0
    waited: float = 0.0
    seen: list[str] = field(default_factory=list)

    @property
    def hand(self) -> float:
        """Seconds of the hand and of thinking, by the model."""
        return KEY * self.keys + (POINT + CLICK) * self.clicks + HOME * self.homing + THINK * self.steps

    def _turn_to(self, *, mouse: bool) -> None:
        self.homing += self.on_mouse is not mouse
        self.on_mouse = mouse

    def settled(self) -> None:
        """Wait until the edit is answered and the board shows it; that time is the machine's."""
        start = time.perf_counter()
        self.page.wait_for_timeout(30)
        self.page.wait_for_function(SHOWN, timeout=60_000)
        self.waited += time.perf_counter() - start

    def say(self, text: str) -> None:
        """Type the next line in plain words."""
        self._turn_to(mouse=False)
        self.steps += 1
        self.keys += len(text) + 2
        lines = self.page.locator(LINES).count()
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("/")
        self.page.keyboard.type(text)
        self.page.wait_for_timeout(400)  # what is proposed is that of the whole text then
        self.page.locator(".proposal").first.wait_for(timeout=20_000)
        missed = self.page.locator(".proposal").first.get_attribute("data-missed")
        if missed:
            self.seen.append(f"“{missed}” of “{text}” was not understood")
        self.page.keyboard.press("Enter")
        if missed:
            self.page.locator(".proposal-asks").wait_for(timeout=20_000)
            self.page.keyboard.press("Enter")
        count = "([lines, before]) => document.querySelectorAll(lines).length > before"
        self.page.wait_for_function(count, arg=[LINES, lines], timeout=30_000)
        self.page.keyboard.press("Escape")
        self.settled()

    def click(self, what: Locator, *, edits: bool = False, keep: str = "") -> None:
        """Point at something and click it."""
        self._turn_to(mouse=True)
        self.steps += 1
        self.clicks += 1
        what.click(modifiers=[keep] if keep else [])  # type: ignore[list-item]  # one of Playwright's words
        if edits:
            self.settled()

    def type(self, text: str, *, edits: bool = True) -> None:
        """Type into what has the focus, and Enter."""
        self._turn_to(mouse=False)
        self.keys += len(text) + 1
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")
        if edits:
            self.settled()

    def press(self, key: str, *, edits: bool = False) -> None:
        """Press a key."""
        self._turn_to(mouse=False)
        self.keys += 1 + key.count("+")
        self.page.keyboard.press(key)
        if edits:
            self.settled()

    def take_offer(self) -> None:
        """Wait until a line offers a change that would mend it, and take it."""
        offer = self.page.locator("#sheet .finding :is([data-try-line], [data-add-fill])").first
        start = time.perf_counter()
        offer.wait_for(timeout=60_000)
        self.waited += time.perf_counter() - start
        self.seen.append(f"took “{offer.inner_text()}”")
        self.click(offer, edits=True)

    def status(self) -> str:
        """Return what is told at lines that need a look or failed."""
        said = "all => all.map((line) => line.innerText.replace(/\\s+/g, ' '))"
        return ", ".join(self.page.eval_on_selector_all("#sheet .line:is(.is-look, .is-failed) .finding", said))


def new_part(walk: Walk, name: str) -> None:
    """Open an empty part; not counted."""
    page = walk.page
    page.goto("/projects/")
    page.get_by_role("link", name="Boathouse kit").click()
    page.get_by_label("Name of a new part").fill(name)
    page.get_by_role("button", name="Make a part").click()
    page.wait_for_selector(".bench[data-ready='1']")
    walk.settled()
    walk.waited = 0.0


def demo(walk: Walk, name: str) -> None:
    """Open a part of the demo; not counted."""
    page = walk.page
    page.goto("/projects/")
    page.get_by_role("link", name=re.compile(rf"\b{name}$")).click()
    page.wait_for_selector(".bench[data-ready='1']")
    walk.settled()
    walk.waited = 0.0


def pot(walk: Walk) -> None:
    """Turn a pot, from an empty part to an even mesh."""
    new_part(walk, "Mug")
    for text in ("draw through 0 0, 30 0, 38 20, 34 60, 40 90", "revolve it", "mesh it 48 by 24", "smooth it twice"):
        walk.say(text)


def crate(walk: Walk) -> None:
    """Make a crate with walls of 3 mm and bevelled edges, open at the top."""
    new_part(walk, "Crate")
    walk.say("block 80 by 60 by 40 called crate")
    walk.say("delete the top of crate")
    walk.say("thicken crate by 3 mm inwards")
    walk.say("bevel the edges of crate by 1")
    walk.take_offer()


def size(walk: Walk) -> None:
    """Make the kettle 20 mm wider and its mesh twice as fine."""
    demo(walk, "Camp kettle")
    walk.click(walk.page.locator(".size-value").first)
    walk.type("184")
    walk.click(walk.page.locator(".line[data-verb=mesh] [data-field=along]"))
    walk.type("60")


def pull(walk: Walk) -> None:
    """Pick a face on the board by hand and pull it out by 12 mm."""
    new_part(walk, "Knob")
    walk.say("block 40 by 40 by 20 called knob, edges of 10 mm")
    walk.press("m")
    box = walk.page.locator(".view-picture").bounding_box()
    assert box is not None
    walk.steps, walk.clicks = walk.steps + 1, walk.clicks + 1
    walk.page.mouse.click(box["x"] + box["width"] * 0.52, box["y"] + box["height"] * 0.42)
    walk.page.wait_for_timeout(800)
    walk.click(walk.page.get_by_role("button", name="Pull out").first, edits=True)
    walk.click(walk.page.locator(".line[data-verb=pull_out] [data-field=distance]"))
    walk.type("12")


def pegs(walk: Walk) -> None:
    """Stand six pegs in a ring on a plate."""
    new_part(walk, "Pegboard")
    for text in (
        "cylinder radius 60 height 6 called plate",
        "cylinder radius 4 height 20 called peg",
        "move peg right by 45 and up by 6",
        "ring of 6 pegs about the upright axis",
    ):
        walk.say(text)


def hole(walk: Walk) -> None:
    """Open a round hole of 20 mm in a plate of 60 by 40 by 6, and move it afterwards."""
    new_part(walk, "Washer")
    walk.say("block 60 by 40 by 6 called plate, edges of 4 mm")
    walk.say("circle radius 10 in plan called bore")
    walk.say("open plate along bore")
    walk.click(walk.page.locator(".line[data-verb=circle] .line-more"))
    walk.click(walk.page.locator(".line[data-verb=circle] [data-field=right]"))
    walk.type("10")


def join(walk: Walk) -> None:
    """Make a ball and a peg one skin of quads."""
    new_part(walk, "Handle")
    walk.say("ball radius 20 called knob")
    walk.say("cylinder radius 8 height 60 called stem")
    walk.say("mesh knob")
    walk.say("mesh stem")
    walk.say("fuse knob mesh and stem mesh")
    walk.take_offer()


def mend(walk: Walk) -> None:
    """Mend a fault that a gauge tells by the change that it offers."""
    demo(walk, "Camp kettle")
    walk.click(walk.page.locator(".line[data-verb=mesh] [data-field=along]").first)
    walk.type("6")
    walk.take_offer()
    for _ in range(2):
        walk.press("Control+z", edits=True)


def send(walk: Walk) -> None:
    """Send the kettle out as an OBJ file."""
    demo(walk, "Camp kettle")
    walk.click(walk.page.get_by_role("button", name="Send out"))
    walk.page.locator("#slip form").first.wait_for()
    walk.click(walk.page.locator("#slip [name=format_mesh][value=obj]"))
    start = time.perf_counter()
    walk.click(walk.page.locator("#slip button.is-go").first)
    walk.page.locator("#parcel a").first.wait_for(timeout=30_000)
    walk.waited += time.perf_counter() - start
    walk.click(walk.page.locator("#parcel a").first)


def back(walk: Walk) -> None:
    """Keep a step of three lines as a starter and put it into another part."""
    new_part(walk, "Feet")
    for text in ("step foot", "circle radius 12 in plan", "extrude it by 8"):
        walk.say(text)
    walk.page.locator(".step-head").first.hover()
    walk.click(walk.page.locator("[data-step-keep]").first)
    walk.page.locator("#slip [data-put-starter]").first.wait_for()
    new = walk.page.locator("#slip [data-close-slip]").first
    walk.click(new)
    waited = walk.waited
    new_part(walk, "Stand")
    walk.waited = waited
    walk.click(walk.page.get_by_role("button", name=re.compile("Bring in")).first)
    walk.click(walk.page.locator("#slip [data-put-starter]").first, edits=True)


TASKS: tuple[Callable[[Walk], None], ...] = (pot, crate, size, pull, pegs, hole, join, mend, send, back)


def main() -> None:
    """Do the tasks that are asked for, or all, and print a row a task."""
    address = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000"
    wanted = [int(number) for number in sys.argv[2:]] or list(range(1, len(TASKS) + 1))
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_context(base_url=address, viewport={"width": 1280, "height": 800}).new_page()
        page.goto("/")
        page.fill("[name=username]", "demo")
        page.fill("[name=password]", "kettle-demo")
        page.keyboard.press("Enter")
        page.wait_for_url("**/projects/**")
        print("| | task | keys | clicks | hand and thought | the machine | |\n| --- | --- | --- | --- | --- | --- | --- |")
        for number in wanted:
            walk, task = Walk(page), TASKS[number - 1]
            try:
                task(walk)
            except Exception as error:  # a task that cannot be done is what is looked for
                walk.seen.append(f"not done: {str(error).splitlines()[0][:120]}")
            amiss = walk.status()
            told = "; ".join([*walk.seen, f"looks: {amiss}" if amiss else ""]).strip("; ")
            print(
                f"| {number} | {(task.__doc__ or '').strip()} | {walk.keys} | {walk.clicks} | {walk.hand:.0f} s "
                f"| {walk.waited:.1f} s | {told} |",
                flush=True,
            )
        browser.close()


if __name__ == "__main__":
    main()
