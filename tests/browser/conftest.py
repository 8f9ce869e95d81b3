"""A real server in a thread, and a real Chromium."""

from __future__ import annotations

from functools import lru_cache

import pytest
from django.apps import apps
from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.core.management.color import no_style
from django.db import connection, transaction
from django.test import Client
from django.test.testcases import LiveServerThread
from playwright.sync_api import Page, expect, sync_playwright

from glass_spoon.sheet.propose import read_ahead
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
            THUMBNAILS[part.name] = draw_thumbnail([item.drawn for item in shown_items(build, 0)], shown_curves(build))
        Part.objects.filter(id=part.id).update(thumbnail=THUMBNAILS[part.name], thumbnail_revision=part.revision)


STORED: dict[str, bytes] = {}
"""The rows of every table with the demo in it, as PostgreSQL writes them: what each test starts from."""

KEPT = ("django_migrations",)
"""Tables that no test changes."""


def _tables() -> list[str]:
    return [name for name in connection.introspection.table_names() if name not in KEPT]


def restore_demo() -> None:
    """Put the rows of all tables back in one transaction, and the counters behind them."""
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute(f"TRUNCATE {', '.join(map(connection.ops.quote_name, _tables()))} RESTART IDENTITY")
        for table, rows in STORED.items():
            with cursor.copy(f"COPY {connection.ops.quote_name(table)} FROM STDIN (FORMAT BINARY)") as copy:
                copy.write(rows)
        for statement in connection.ops.sequence_reset_sql(no_style(), apps.get_models(include_auto_created=True)):
            cursor.execute(statement)


def store_demo() -> None:
    """Load the demo and keep what every table holds then."""
    call_command("load_demo")
    show_thumbnails()
    with connection.cursor() as cursor:
        for table in _tables():
            with cursor.copy(f"COPY {connection.ops.quote_name(table)} TO STDOUT (FORMAT BINARY)") as copy:
                rows = b"".join(bytes(part) for part in copy)
            cursor.execute(f"SELECT EXISTS (SELECT FROM {connection.ops.quote_name(table)})")
            if cursor.fetchone()[0]:
                STORED[table] = rows


@pytest.fixture
def transactional_db(django_db_setup, django_db_blocker, settings, monkeypatch):
    """A database with the demo, loaded by the first test and put back for the others, in place of pytest-django's own, which
    empties all tables after each test and fills them by hand.

    Passwords are hashed quickly: how slowly that is done is not what these tests are about.
    """
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    monkeypatch.setattr(keep_picture, "encode_raster", ENCODED)
    with django_db_blocker.unblock():
        if STORED:
            restore_demo()
        else:
            store_demo()
        yield


@pytest.fixture(scope="session")
def read_already() -> None:
    """What a server compiles before it answers."""
    read_ahead()


@pytest.fixture
def server(transactional_db, static_files, read_already):
    """The application on a free port, static files by WhiteNoise as in production; the demo is loaded."""
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
def signed_in(page: Page, server: str) -> Page:
    """The page signed in as the demo user, by a cookie: the form has a test of its own."""
    visitor = Client()
    visitor.force_login(get_user_model().objects.get(username="demo"))
    page.context.add_cookies([{"name": "sessionid", "value": visitor.cookies["sessionid"].value, "url": server}])
    page.goto("/projects/")
    return page


def sign_in(page: Page, name: str = "demo", password: str = "kettle-demo") -> None:
    """Sign in through the form."""
    page.goto("/sign-in/")
    page.get_by_label("User name").fill(name)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/projects/")
