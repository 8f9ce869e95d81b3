"""A real server in a thread, and a real Chromium."""

from __future__ import annotations

from functools import lru_cache

import pytest
from django.core.management import call_command
from django.test.testcases import LiveServerThread
from playwright.sync_api import Page, expect, sync_playwright

from glass_spoon.studio.flows import keep_picture
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.models import Part
from glass_spoon.studio.see.scene import shown_curves, shown_items
from glass_spoon.studio.see.thumbnail import draw_thumbnail

FLAGS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--ignore-gpu-blocklist",
    "--disable-background-networking",
]
HARMLESS = (
    "GPU stall",
    "Automatic fallback to software WebGL",
    "GroupMarkerNotSet",
    "server responded with a status of 4",
    "Response Status Error Code 4",
)

expect.set_options(timeout=20_000)
"""A machine that tests in two busy cores needs more than Playwright's five seconds; a sound page does not wait that long."""


@pytest.fixture(scope="session")
def chromium():
    """Debian's Chromium, headless, with WebGL in software."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser
        browser.close()


ENCODED = lru_cache(maxsize=8)(keep_picture.encode_raster)
"""The demo's pictures are written anew by the first test that loads them."""

THUMBNAILS: dict[str, bytes] = {}
"""Pictures of the demo's parts, drawn by the first test that needs them."""


def show_thumbnails() -> None:
    """Give the demo's parts the pictures that an earlier test drew, so that the list of projects costs nothing."""
    for part in Part.objects.all():
        if part.name not in THUMBNAILS:
            build = finished_build(part.sheet())
            THUMBNAILS[part.name] = draw_thumbnail([item.mesh for item in shown_items(build, 0)], shown_curves(build))
        Part.objects.filter(id=part.id).update(thumbnail=THUMBNAILS[part.name], thumbnail_revision=part.revision)


@pytest.fixture
def server(transactional_db, static_files, settings, monkeypatch):
    """The application on a free port, static files by WhiteNoise as in production; the demo is loaded.

    Passwords are hashed quickly: how slowly that is done is not what these tests are about.
    """
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    monkeypatch.setattr(keep_picture, "encode_raster", ENCODED)
    call_command("load_demo")
    show_thumbnails()
    thread = LiveServerThread("127.0.0.1", static_handler=lambda application: application)
    thread.daemon = True
    thread.start()
    thread.is_ready.wait()
    if thread.error:
        raise thread.error
    yield f"http://127.0.0.1:{thread.port}"
    thread.terminate()


@pytest.fixture
def page(chromium, server) -> Page:
    """A page at the usual size; script errors and console errors fail the test."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=server, accept_downloads=True)
    page = context.new_page()
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(error.stack or str(error)))
    page.on("console", lambda message: problems.append(message.text) if message.type == "error" else None)
    yield page
    context.close()
    assert not [text for text in problems if not any(word in text for word in HARMLESS)]


@pytest.fixture
def signed_in(page: Page) -> Page:
    """The page signed in as the demo user."""
    sign_in(page)
    return page


def sign_in(page: Page, name: str = "demo", password: str = "kettle-demo") -> None:
    """Sign in through the form."""
    page.goto("/sign-in/")
    page.get_by_label("User name").fill(name)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/projects/")
