"""Every address as owner, editor, viewer, stranger and signed out."""

import json

import pytest
from django.urls import get_resolver, reverse

from glass_spoon.studio.models import KeptVersion, ReferencePicture

ALL, EDIT, OWN = {"owner", "editor", "viewer"}, {"owner", "editor"}, {"owner"}

# name: (method, who may, form or JSON body). Addresses that anybody may see are listed in OPEN.
ADDRESSES = {
    "project": ("get", ALL, None),
    "project_rename": ("post", EDIT, {"name": "Other"}),
    "project_unit": ("post", EDIT, {"unit": "inch"}),
    "project_limits": ("post", EDIT, {"face_budget": "9000"}),
    "project_remove": ("post", OWN, {"name": "wrong"}),
    "member_set": ("post", OWN, {"username": "viewer", "role": "viewer"}),
    "member_remove": ("post", OWN, {}),
    "invitation_remove": ("post", OWN, {}),
    "project_leave": ("post", ALL, {}),
    "bench_now": ("get", ALL, None),
    "part_new": ("post", EDIT, {"name": "Lid"}),
    "bring_in": ("post", EDIT, {}),
    "project_export": ("get", ALL, None),
    "bench": ("get", ALL, None),
    "bench_show": ("get", ALL, None),
    "bench_edit": ("post", EDIT, {"op": "rename", "value": "Kettle 2", "revision": "1"}),
    "bench_undo": ("post", EDIT, {}),
    "bench_redo": ("post", EDIT, {}),
    "bench_stop": ("post", ALL, {}),
    "bench_find": ("get", EDIT, None),
    "bench_points": ("get", ALL, None),
    "corners": ("get", ALL, None),
    "bench_removal": ("get", EDIT, None),
    "bench_curves": ("get", ALL, None),
    "bench_edges": ("get", ALL, None),
    "bench_law": ("get", EDIT, None),
    "bench_table": ("get", EDIT, None),
    "bench_sizes": ("get", EDIT, None),
    "picture_take_in": ("post", EDIT, {}),
    "picture_choose": ("get", EDIT, None),
    "picture": ("get", ALL, None),
    "part_remove": ("post", EDIT, {"name": "wrong"}),
    "part_copy": ("post", EDIT, {}),
    "part_move": ("post", EDIT, {}),
    "view_glb": ("get", ALL, None),
    "preview_glb": ("json", ALL, {"changes": {"l4": {"round": "24"}}}),
    "offenders": ("get", ALL, None),
    "picked": ("json", ALL, {"mesh": "l4", "gesture": "face", "place": [0, 0, 0]}),
    "thumbnail": ("get", ALL, None),
    "parcel_cancel": ("post", ALL, {}),
    "parcel_again": ("post", ALL, {}),
    "versions": ("get", ALL, None),
    "compare": ("get", ALL, None),
    "compare_picture": ("get", ALL, None),
    "inspection": ("get", ALL, None),
    "inspection_picture": ("get", ALL, None),
    "version_restore": ("post", EDIT, {"revision": "1"}),
    "send_out": ("get", ALL, None),
    "parcel": ("get", ALL, None),
    "item_picture": ("get", ALL, None),
    "item_pictures": ("get", ALL, None),
    "project_send": ("post", ALL, {"format": "obj"}),
    "project_parcel": ("get", ALL, None),
    "project_parcel_cancel": ("post", ALL, {}),
    "project_parcel_again": ("post", ALL, {}),
    "project_parcel_file": ("get", ALL, None),
    "parcel_file": ("get", ALL, None),
    "part_links": ("get", EDIT, None),
    "link_new": ("post", EDIT, {}),
    "link_end": ("post", EDIT, {}),
    "starter_new": ("post", EDIT, {"lines": "l1"}),
    "starter_end": ("post", EDIT, {}),
    "starter_rename": ("post", EDIT, {"name": "Foot"}),
    "part_comments": ("get", ALL, None),
    "comment_settle": ("post", ALL, {"settled": "1"}),
    "vary_sizes": ("get", ALL, None),
    "vary_sizes_now": ("get", ALL, None),
    "vary_sizes_stop": ("post", ALL, {}),
    "sheet_json": ("get", ALL, None),
    "sheet_text": ("get", ALL, None),
    "lines_text": ("get", ALL, None),
    "bench_bring": ("get", EDIT, None),
    "return_to": ("post", EDIT, {"revision": "1"}),
}
OPEN = {"home", "sign_in", "sign_in_slip", "sign_out", "sign_up", "verbs", "schema", "health"}
OPEN |= {"look", "forgotten", "forgotten_sent", "password_reset_confirm"}
SIGNED_IN = {
    "projects",
    "password",
    "account",
    "account_close",
    "example",
    "invitation_accept",
    "invitation_decline",
    "bench_keys",
}


def test_every_address_is_listed():
    """A new view must say here who may use it."""
    names = {pattern.name for pattern in get_resolver().url_patterns}
    assert names == set(ADDRESSES) | OPEN | SIGNED_IN


def address(name, part, people):
    version = KeptVersion.objects.get_or_create(part=part, name="first", defaults={"document": part.document})[0]
    blank = {"data": b"x", "media_type": "image/png", "width": 1, "height": 1}
    picture = ReferencePicture.objects.get_or_create(project_id=part.project_id, name="sketch", defaults=blank)[0]
    known = {
        "project_id": part.project_id,
        "part_id": part.id,
        "user_id": people["viewer"].id,
        "line_id": "l1",
        "field": "points",
        "version_id": version.id,
        "token": "x" * 24,
        "picture_id": picture.id,
        "item_id": "l4",
        "view": "front",
        "number": 1,
        "link_id": 1,
        "starter_id": 1,
        "comment_id": 1,
    }
    pattern = next(entry for entry in get_resolver().url_patterns if entry.name == name)
    return reverse(name, kwargs={key: known[key] for key in pattern.pattern.converters})


def call(client, method, url, body):
    if method == "json":
        return client.post(url, json.dumps(body), content_type="application/json")
    return getattr(client, method)(url, body)


@pytest.mark.parametrize("name", sorted(ADDRESSES))
@pytest.mark.parametrize("who", ["owner", "editor", "viewer", "stranger", None])
def test_who_may(name, who, part, people, as_user):
    """Members by role; strangers get 404; whoever is signed out goes to the sign-in; nobody gets a 500."""
    method, allowed, body = ADDRESSES[name]
    answer = call(as_user(who), method, address(name, part, people), body)
    if who is None:
        assert answer.status_code == 302
        assert answer.url.startswith("/sign-in/")
    elif who == "stranger":
        assert answer.status_code == 404
    elif who in allowed:
        assert answer.status_code in (200, 302, 404, 409, 422)
        assert answer.status_code != 404 or name.startswith(
            ("parcel", "project_parcel", "vary", "comment_settle", "starter_rename")
        )
    else:
        assert answer.status_code == 403


@pytest.mark.parametrize("name", sorted(OPEN - {"sign_out", "password_reset_confirm", "look"}))
def test_open_pages(name, db, client):
    """Anybody may see these."""
    assert client.get(reverse(name)).status_code in (200, 302)


def test_part_of_another_project_is_not_found_by_number(part, as_user):
    """Numbers that do not exist and numbers that are not theirs look the same."""
    theirs, none = (as_user("stranger").get(f"/parts/{number}/") for number in (part.id, 999_999))
    assert theirs.status_code == none.status_code == 404
    sentence = "There is nothing here, or it belongs to a project that you are not a member of."
    assert sentence in theirs.content.decode()
    assert sentence in none.content.decode()


def test_pages_carry_a_policy_without_inline_scripts(part, as_user):
    """script-src knows no unsafe-inline, and the only inline script is the import map with its nonce."""
    answer = as_user("owner").get(f"/parts/{part.id}/")
    policy = answer.headers["Content-Security-Policy"]
    assert "unsafe" not in policy
    nonce = policy.split("'nonce-")[1].split("'")[0]
    text = answer.content.decode()
    inline = [tag for tag in text.split("<script")[1:] if "src=" not in tag.split(">")[0]]
    assert len(inline) == 1
    assert f'type="importmap" nonce="{nonce}"' in inline[0]
    assert 'style="' not in text
    assert " onclick" not in text


def test_forms_need_the_csrf_token(part, people):
    """A post without the token is refused."""
    from django.test import Client

    client = Client(enforce_csrf_checks=True)
    client.force_login(people["owner"])
    assert client.post(f"/parts/{part.id}/edit/", {"op": "rename", "value": "x", "revision": 1}).status_code == 403


def test_sign_up_can_be_closed(settings, client, db):
    """404, and no link on the sign-in."""
    settings.SIGN_UP_OPEN = False
    assert client.get("/sign-up/").status_code == 404
    assert b"Sign up" not in client.get("/sign-in/").content


def test_sign_up_makes_an_account_and_signs_in(client, db):
    """And weak passwords are refused with a sentence."""
    weak = client.post("/sign-up/", {"username": "ann", "password1": "short", "password2": "short"})
    assert weak.status_code == 422
    good = {"username": "ann", "password1": "a boat for two", "password2": "a boat for two"}
    assert client.post("/sign-up/", good).url == "/projects/"
    assert client.get("/projects/").status_code == 200


def test_cookies_are_secure_behind_tls(settings):
    """The setting switches all of it."""
    import subprocess
    import sys

    code = (
        "import os; os.environ.update(SECRET_KEY='x', BEHIND_TLS='1');"
        "from glass_spoon.studio import settings as s;"
        "print(s.SESSION_COOKIE_SECURE, s.CSRF_COOKIE_SECURE, s.SECURE_SSL_REDIRECT, s.SECURE_HSTS_SECONDS > 0)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.split() == ["True"] * 4
