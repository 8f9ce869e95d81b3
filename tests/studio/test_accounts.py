"""Accounts: tries are limited, passwords are strong and can be renewed, projects are joined and left, accounts closed."""

from __future__ import annotations

import re

import pytest
from django.contrib.auth import get_user_model
from django.core import mail
from django.core.management import call_command
from django.test import Client

from glass_spoon.studio.models import Invitation, Membership, Project
from tests.studio.conftest import PASSWORD

NEW = "another long enough word"


def test_tries_to_sign_in_are_limited_by_account(people, settings) -> None:
    """After ten wrong passwords the right one does not help either, for a while, from anywhere."""
    for number in range(settings.AXES_FAILURE_LIMIT):
        Client(REMOTE_ADDR=f"10.0.0.{number}").post("/sign-in/", {"username": "owner", "password": "wrong"})
    answer = Client(REMOTE_ADDR="10.0.1.1").post("/sign-in/", {"username": "owner", "password": PASSWORD})
    assert answer.status_code == 429
    assert "Wait ten minutes" in answer.content.decode()
    assert Client(REMOTE_ADDR="10.0.1.1").post("/sign-in/", {"username": "editor", "password": PASSWORD}).status_code == 302


def test_tries_to_sign_in_are_limited_by_address(people, settings) -> None:
    """Whoever tries many names from one place."""
    for number in range(settings.AXES_FAILURE_LIMIT):
        Client(REMOTE_ADDR="10.0.0.9").post("/sign-in/", {"username": f"name{number}", "password": "wrong"})
    assert Client(REMOTE_ADDR="10.0.0.9").post("/sign-in/", {"username": "owner", "password": PASSWORD}).status_code == 429
    assert Client(REMOTE_ADDR="10.0.0.8").post("/sign-in/", {"username": "owner", "password": PASSWORD}).status_code == 302


def test_a_right_password_ends_the_counting(people, settings) -> None:
    """Who mistypes now and then is not locked out."""
    for _ in range(3):
        for _ in range(settings.AXES_FAILURE_LIMIT - 1):
            Client().post("/sign-in/", {"username": "owner", "password": "wrong"})
        assert Client().post("/sign-in/", {"username": "owner", "password": PASSWORD}).status_code == 302


def test_sign_ups_are_limited_by_address(db) -> None:
    """Twenty an hour."""
    codes = [Client().post("/sign-up/", {"username": f"u{number}", "password1": "x"}).status_code for number in range(21)]
    assert codes == [422] * 20 + [429]


def test_behind_a_proxy_the_address_is_the_one_it_saw(rf, settings) -> None:
    """The last entry, which the proxy in front wrote; without a proxy the header is not believed."""
    from glass_spoon.studio.flows.limit_tries import address_of

    request = rf.get("/", REMOTE_ADDR="10.0.0.1", HTTP_X_FORWARDED_FOR="6.6.6.6, 7.7.7.7")
    assert address_of(request) == "10.0.0.1"
    settings.BEHIND_TLS = True
    assert address_of(request) == "7.7.7.7"


def test_passwords_are_kept_by_argon2() -> None:
    """The first of the hashers is the one that writes."""
    from django.conf import settings as django_settings

    from glass_spoon.studio import settings

    assert settings.PASSWORD_HASHERS[0].endswith("Argon2PasswordHasher")
    assert django_settings.AUTH_PASSWORD_VALIDATORS


def test_a_forgotten_password_is_renewed_by_a_letter(people, client) -> None:
    """The link holds once."""
    people["owner"].email = "owner@boathouse.example"
    people["owner"].save()
    assert client.post("/forgotten/", {"email": "owner@boathouse.example"}).status_code == 302
    (letter,) = mail.outbox
    link = re.search(r"http://testserver(\S+)", letter.body)[1]
    form = client.get(link, follow=True)
    address = form.redirect_chain[-1][0]
    assert client.post(address, {"new_password1": NEW, "new_password2": NEW}).status_code == 302
    assert Client().post("/sign-in/", {"username": "owner", "password": NEW}).status_code == 302
    assert "does not hold any more" in Client().get(link, follow=True).content.decode()


def test_an_unknown_address_is_answered_alike_and_gets_no_letter(people, client) -> None:
    """Nobody learns which addresses have accounts."""
    assert client.post("/forgotten/", {"email": "nobody@boathouse.example"}).status_code == 302
    assert not mail.outbox


def test_letters_are_limited(people, client) -> None:
    """Five an hour about one address."""
    codes = [client.post("/forgotten/", {"email": "a@boathouse.example"}).status_code for _ in range(6)]
    assert codes == [302] * 5 + [429]


@pytest.mark.parametrize(
    ("form", "sentence"),
    [
        ({"username": "owner"}, "This name is taken"),
        ({"username": "OWNER"}, "This name is taken"),
        ({"username": "a b"}, "Use letters, digits"),
        ({"username": ""}, "Choose a user name"),
        ({"password2": "different"}, "The two passwords differ"),
        ({"email": "no address"}, "This is no e-mail address"),
    ],
)
def test_errors_of_the_sign_up_stand_beside_their_fields(people, client, form, sentence) -> None:
    """In plain words."""
    answer = client.post("/sign-up/", {"username": "ann", "password1": NEW, "password2": NEW, **form})
    text = answer.content.decode()
    assert answer.status_code == 422
    assert re.search(rf'<p class="field-error">{sentence}', text)


def test_signing_up_signs_in(db, client) -> None:
    """And keeps the address."""
    form = {"username": "ann", "email": "ann@boathouse.example", "password1": NEW, "password2": NEW}
    assert client.post("/sign-up/", form).url == "/projects/"
    assert client.get("/projects/").status_code == 200
    assert get_user_model().objects.get(username="ann").email == "ann@boathouse.example"


def test_an_invitation_is_seen_accepted_and_declined(project, people, as_user) -> None:
    """It gives nothing before it is accepted."""
    owner, stranger = as_user("owner"), as_user("stranger")
    url = f"/projects/{project.id}/"
    owner.post(f"{url}members/", {"username": "stranger", "role": "editor"})
    assert stranger.get(url).status_code == 404
    assert "invites you to" in stranger.get("/projects/").content.decode()
    stranger.post(f"{url}decline/")
    assert not Invitation.objects.exists()
    assert stranger.post(f"{url}accept/").status_code == 404
    owner.post(f"{url}members/", {"username": "stranger", "role": "viewer"})
    stranger.post(f"{url}accept/")
    assert Membership.objects.get(project=project, user=people["stranger"]).role == "viewer"


def test_nobody_accepts_the_invitation_of_another(project, people, as_user) -> None:
    """Only who was asked."""
    Invitation.objects.create(project=project, user=people["stranger"], role="owner")
    outsider = get_user_model().objects.create_user("outsider", password=PASSWORD)
    client = Client()
    client.force_login(outsider)
    assert client.post(f"/projects/{project.id}/accept/").status_code == 404


def test_a_project_is_left_but_not_by_its_last_owner(project, as_user) -> None:
    """An owner hands over first."""
    assert as_user("editor").post(f"/projects/{project.id}/leave/").status_code == 302
    assert as_user("editor").get(f"/projects/{project.id}/").status_code == 404
    assert as_user("owner").post(f"/projects/{project.id}/leave/").status_code == 422


def test_an_account_is_closed_with_what_is_its_alone(project, people, as_user) -> None:
    """A project of others keeps what was done in it; the only owner of one with members is told to hand it over."""
    owner, editor = as_user("owner"), as_user("editor")
    alone = Project.objects.create(name="Alone")
    Membership.objects.create(project=alone, user=people["editor"], role="owner")
    form = {"name": "editor", "password": PASSWORD}
    assert editor.post("/account/close/", {**form, "password": "wrong"}).status_code == 422
    assert editor.post("/account/close/", {**form, "name": "else"}).status_code == 422
    assert editor.post("/account/close/", form).status_code == 302
    assert not get_user_model().objects.filter(username="editor").exists()
    assert not Project.objects.filter(name="Alone").exists()
    assert owner.post("/account/close/", {"name": "owner", "password": PASSWORD}).status_code == 422
    assert "only owner of" in owner.get("/account/").content.decode()


def test_operators_manage_accounts_by_a_command(people, project, capsys) -> None:
    """List, make, give a new password, close."""
    call_command("account", "list")
    assert "owner" in capsys.readouterr().out
    call_command("account", "make", "ann", "--email", "ann@boathouse.example")
    word = capsys.readouterr().out.strip().split()[-1]
    assert Client().post("/sign-in/", {"username": "ann", "password": word}).status_code == 302
    call_command("account", "password", "owner")
    word = capsys.readouterr().out.strip().split()[-1]
    assert Client().post("/sign-in/", {"username": "owner", "password": word}).status_code == 302
    call_command("account", "close", "ann")
    assert not get_user_model().objects.filter(username="ann").exists()


def test_a_script_whose_session_ended_is_told_and_not_led_away(part) -> None:
    """401 with the slip's address, and a slip that signs in and gives the fresh token."""
    client = Client(enforce_csrf_checks=False)
    for headers in ({"HX-Request": "true"}, {"Sec-Fetch-Dest": "empty"}, {"Accept": "application/json"}):
        answer = client.post(f"/parts/{part.id}/edit/", {"op": "rename"}, headers=headers)
        assert answer.status_code == 401
        assert answer["X-Sign-In"] == "/sign-in/slip/"
    assert client.get(f"/parts/{part.id}/", headers={"Sec-Fetch-Dest": "document"}).status_code == 302
    slip = client.post("/sign-in/slip/", {"username": "owner", "password": "wrong"})
    assert slip.status_code == 422
    done = client.post("/sign-in/slip/", {"username": "owner", "password": PASSWORD})
    assert (done.status_code, bool(done["X-CSRFToken"])) == (204, True)


def test_a_form_that_is_too_old_gets_the_present_token(part, people) -> None:
    """Not a raw page: a script asks again with it."""
    client = Client(enforce_csrf_checks=True)
    client.force_login(people["owner"])
    answer = client.post(
        f"/parts/{part.id}/edit/", {"op": "rename"}, headers={"HX-Request": "true", "X-CSRFToken": "x" * 64}
    )
    assert answer.status_code == 403
    assert 'id="messages"' in answer.content.decode()
    form = {"op": "rename", "value": "Kettle 9", "revision": "1"}
    again = client.post(
        f"/parts/{part.id}/edit/", form, headers={"HX-Request": "true", "X-CSRFToken": answer["X-CSRFToken"]}
    )
    assert again.status_code == 200
