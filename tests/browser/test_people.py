"""Several people, a session that ends, a connection that breaks: by mouse and keyboard."""

from __future__ import annotations

import pytest
from django.contrib.auth import get_user_model
from playwright.sync_api import Page, expect

from glass_spoon.studio.models import Membership, Part, Project, Role, SignedInSession
from tests.browser.bench import add_line, open_part, saved, shown, type_value, value
from tests.browser.conftest import sign_in

WORD = "a boat for two"


def second_person(chromium, server: str) -> Page:
    """Return a page of an editor of the project."""
    user = get_user_model().objects.create_user("ann", password=WORD)
    Membership.objects.create(project=Project.objects.get(), user=user, role=Role.EDITOR)
    page = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=server).new_page()
    sign_in(page, "ann", WORD)
    return page


@pytest.fixture
def rough_page(chromium, server) -> Page:
    """A page whose connection breaks, which browsers write to the console."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=server)
    yield context.new_page()
    context.close()


def test_others_and_their_changes_are_seen_as_they_come(signed_in, chromium, server) -> None:
    """Who is here, on which line, what they change; and both may work on."""
    page = signed_in
    open_part(page, "Camp kettle")
    other = second_person(chromium, server)
    open_part(other, "Camp kettle")
    expect(page.locator("#people")).to_have_text("With you: ann")
    expect(other.locator("#people")).to_have_text("With you: demo")
    other.locator("[data-field=radius]").first.focus()
    expect(page.locator(".line[data-people='ann']")).to_have_attribute("data-verb", "round")
    type_value(other, "radius", "5 mm")
    saved(other, "line 2 changed")
    expect(page.locator("[data-field=radius]")).to_have_text("5 mm")
    expect(page.locator("#people")).to_have_text("ann: line 2 changed")
    type_value(page, "along", "24")
    saved(page, "line 4 changed")
    expect(other.locator("[data-field=along]").first).to_have_text("24")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-field=along]").first).not_to_have_text("24")
    expect(page.locator("[data-field=radius]")).to_have_text("5 mm")
    other.context.close()
    expect(page.locator("#people")).to_be_hidden(timeout=30_000)


def test_what_others_do_waits_for_the_hand_that_types(signed_in, chromium, server) -> None:
    """The field that is typed into stays, and its change is put on top."""
    page = signed_in
    open_part(page, "Camp kettle")
    other = second_person(chromium, server)
    open_part(other, "Camp kettle")
    value(page, "along").click()
    page.locator(".value-input").fill("2")
    type_value(other, "radius", "5 mm")
    saved(other, "line 2 changed")
    page.wait_for_timeout(3500)
    expect(page.locator(".value-input")).to_have_value("2")
    page.locator(".value-input").fill("22")
    page.keyboard.press("Enter")
    expect(page.locator("[data-field=along]").first).to_have_text("22")
    expect(page.locator("[data-field=radius]")).to_have_text("5 mm")
    other.context.close()


def test_a_session_that_ended_is_taken_up_over_the_bench(signed_in) -> None:
    """The edit waits under the slip and is carried out after it; a wrong password is told there."""
    page = signed_in
    open_part(page, "Camp kettle")
    SignedInSession.objects.all().delete()
    type_value(page, "along", "23")
    slip = page.locator("#sign-in")
    expect(slip).to_be_visible()
    expect(slip).to_contain_text("Your session ended")
    slip.get_by_label("User name").fill("demo")
    slip.get_by_label("Password").fill("wrong")
    slip.get_by_role("button", name="Sign in and go on").click()
    expect(slip).to_contain_text("do not fit together")
    slip.get_by_label("User name").fill("demo")
    slip.get_by_label("Password").fill("kettle-demo")
    slip.get_by_role("button", name="Sign in and go on").click()
    expect(slip).to_be_hidden()
    saved(page, "line 4 changed")
    expect(page.locator("[data-field=along]").first).to_have_text("23")
    shown(page)
    type_value(page, "along", "25")
    expect(page.locator("[data-field=along]").first).to_have_text("25")


def test_without_a_connection_values_stay_and_are_sent_when_it_is_back(rough_page: Page) -> None:
    """They are marked, the page says so, and nothing is made twice."""
    page = rough_page
    sign_in(page)
    open_part(page, "Camp kettle")
    lines = page.locator(".line").count()
    page.context.set_offline(True)
    type_value(page, "along", "26")
    chip = page.locator("[data-field=along]").first
    expect(chip).to_have_text("26")
    expect(chip).to_have_class("value is-unsaved")
    expect(page.locator("#connection")).to_contain_text("Not saved: one change waits")
    type_value(page, "radius", "6 mm")
    expect(page.locator("#connection")).to_contain_text("2 changes wait")
    page.context.set_offline(False)
    expect(page.locator("#connection")).to_be_hidden(timeout=30_000)
    shown(page)
    expect(page.locator("[data-field=along]").first).to_have_text("26")
    expect(page.locator("[data-field=radius]")).to_have_text("6 mm")
    assert page.locator(".line").count() == lines
    assert Part.objects.get(name="Camp kettle").revision == 3


def test_an_edit_whose_answer_was_lost_is_done_once(rough_page: Page) -> None:
    """It is sent again with the same token."""
    page = rough_page
    sign_in(page)
    open_part(page, "Camp kettle")
    lines = page.locator(".line").count()
    lost: list[str] = []

    def lose(route) -> None:
        if lost:
            route.continue_()
            return
        lost.append(route.request.url)
        route.fetch()
        route.abort("connectionreset")

    page.route("**/edit/", lose)
    add_line(page, "circle 20 mm")
    shown(page)
    assert lost
    assert page.locator(".line").count() == lines + 1
    assert Part.objects.get(name="Camp kettle").revision == 2
