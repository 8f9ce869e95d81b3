"""Sessions that know their account: one statement says who asks, and whatever ends a session ends it at once."""

from __future__ import annotations

import pytest
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext

from glass_spoon.studio.models import SignedInSession
from glass_spoon.studio.sessions import SessionStore

pytestmark = pytest.mark.django_db


@pytest.fixture
def signed_in():
    """A browser that is signed in, and its account."""
    user = get_user_model().objects.create_user("ann", password="first-words-42")
    client = Client()
    client.force_login(user)
    return client, user


def is_in(client: Client) -> bool:
    """Say whether the projects are shown and not the way to sign in."""
    return client.get("/account/").status_code == 200


def test_one_statement_says_who_asks(signed_in):
    """Session and account come together, and the row names the account."""
    client, user = signed_in
    with CaptureQueriesContext(connection) as asked:
        assert is_in(client)
    who = [query["sql"] for query in asked if "session" in query["sql"] or "FROM auth_user" in query["sql"]]
    assert len(who) == 1
    assert SignedInSession.objects.get().user_id == user.pk


def test_signing_out_a_new_password_and_a_closed_account_end_a_session_at_once(signed_in):
    """Each is seen by the next request."""
    client, user = signed_in
    assert is_in(client)
    user.set_password("other-words-43")
    user.save()
    assert not is_in(client)
    client.force_login(user)
    assert is_in(client)
    user.is_active = False
    user.save()
    assert not is_in(client)
    user.is_active = True
    user.save()
    client.force_login(user)
    client.logout()
    assert not is_in(client)


def test_a_session_that_ran_out_or_was_made_up_is_nobodys(signed_in):
    """Neither an old row nor an unknown key lets anybody in, and an account cannot be written into another's session."""
    client, user = signed_in
    other = get_user_model().objects.create_user("bob")
    SignedInSession.objects.update(user_id=other.pk)  # the row says one thing, the signed data another
    assert client.get("/account/").wsgi_request.user == user
    SignedInSession.objects.update(expire_date="2020-01-01T00:00:00Z")
    assert not is_in(client)
    assert SessionStore("x" * 32).load() == {}


def test_a_session_from_before_knows_its_account_only_by_its_data(signed_in):
    """Rows that were taken over name no account; the account is found by what they hold."""
    client, user = signed_in
    SignedInSession.objects.update(user_id=None)
    assert client.get("/account/").wsgi_request.user == user
