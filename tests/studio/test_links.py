"""Links that show a part to whoever has them: what they open, what they do not, and that they can be taken back."""

from __future__ import annotations

import json

import pytest
from django.test import Client
from django.urls import reverse

from glass_spoon.studio.flows.show_by_link import MOST_LINKS, make_link
from glass_spoon.studio.models import Part, PartLink, ReferencePicture
from tests.studio.test_access import ADDRESSES, address, call

LOOKED_AT = {
    "bench",
    "bench_show",
    "bench_now",
    "bench_points",
    "bench_curves",
    "bench_edges",
    "corners",
    "view_glb",
    "offenders",
    "picked",
    "thumbnail",
    "inspection",
    "inspection_picture",
}
"""All that whoever came by a link is shown; pictures have a test of their own."""


@pytest.fixture
def link(part: Part, people) -> PartLink:
    """A link to the part that its owner made."""
    return make_link(part, people["owner"])


@pytest.fixture
def guest(link: PartLink) -> Client:
    """Somebody with no account who followed the link."""
    client = Client()
    answer = client.get(reverse("look", args=[link.token]))
    assert (answer.status_code, answer.url) == (302, f"/parts/{link.part_id}/")
    assert answer.headers["Referrer-Policy"] == "no-referrer"
    return client


@pytest.mark.parametrize("name", sorted(ADDRESSES))
def test_a_link_opens_what_is_looked_at_and_nothing_else(name, part, people, guest):
    """Without an account: what shows the part is open, all else asks to sign in."""
    method, _, body = ADDRESSES[name]
    answer = call(guest, method, address(name, part, people), body)
    if name in LOOKED_AT:
        assert answer.status_code in (200, 422), "a sentence where the part has nothing of the kind"
    else:
        assert answer.status_code == 302
        assert answer.url.startswith("/sign-in/")


@pytest.mark.parametrize("name", sorted(ADDRESSES))
def test_an_account_with_a_link_may_no_more_than_look(name, part, people, link, as_user):
    """A stranger who signed in and has the link sees the part; everything else is as for strangers."""
    client = as_user("stranger")
    client.get(reverse("look", args=[link.token]))
    method, _, body = ADDRESSES[name]
    answer = call(client, method, address(name, part, people), body)
    assert answer.status_code in ((200, 422) if name in LOOKED_AT else (404,))


def test_the_bench_of_a_guest_has_nothing_that_changes_the_part(part, guest):
    """No line to add, no undo, no versions, no way to the project, and it says that one came by a link."""
    text = guest.get(f"/parts/{part.id}/").content.decode()
    assert 'data-may-edit="0"' in text
    assert "You look at this part by a link." in text
    for absent in ("next-line", "data-history", "Versions", "Send out</button>", f'href="/projects/{part.project_id}/"'):
        assert absent not in text
    now = guest.get(f"/parts/{part.id}/now/").json()
    assert (now["revision"], now["people"], now["by"]) == (part.revision, [], "")


def test_a_link_shows_one_part_and_not_its_neighbours(part, guest):
    """Another part of the same project stays closed."""
    other = Part.objects.create(project=part.project, name="Lid", document=part.document)
    assert guest.get(f"/parts/{other.id}/").status_code == 302


def test_a_link_is_taken_back(part, link, guest, as_user):
    """At once for those who came by it, and for the link itself, with a sentence; another link stays."""
    other = make_link(part, None)
    gone = as_user("editor").post(reverse("link_end", args=[part.id, link.id]))
    assert link.token not in gone.content.decode()
    assert other.token in gone.content.decode()
    assert guest.get(f"/parts/{part.id}/").status_code == 302
    again = Client().get(reverse("look", args=[link.token]))
    assert again.status_code == 404
    assert "This link was taken back" in again.content.decode()
    assert Client().get(reverse("look", args=[other.token])).status_code == 302


def test_a_link_of_another_part_is_not_taken_back(part, link, as_user, people):
    """A number of a link that belongs elsewhere does nothing."""
    other = Part.objects.create(project=part.project, name="Lid", document=part.document)
    as_user("owner").post(reverse("link_end", args=[other.id, link.id]))
    assert PartLink.objects.filter(id=link.id).exists()


def test_links_are_made_and_there_are_not_too_many(part, as_user):
    """Each is long, unlike the others and whole in the answer; the most is told."""
    client = as_user("owner")
    for _ in range(MOST_LINKS):
        answer = client.post(reverse("link_new", args=[part.id]))
        assert answer.status_code == 200
    tokens = set(PartLink.objects.values_list("token", flat=True))
    assert len(tokens) == MOST_LINKS
    assert all(len(token) >= 43 and f"http://testserver/look/{token}/" in answer.content.decode() for token in tokens)
    refused = client.post(reverse("link_new", args=[part.id]))
    assert refused.status_code == 422
    assert "Take one back first" in refused.content.decode()


def test_a_guest_sees_the_pictures_of_the_part_alone(part, guest, as_user):
    """A reference picture that a line lays is sent; another of the same project is not."""
    blank = {"data": b"x", "media_type": "image/png", "width": 1, "height": 1}
    laid, other = (ReferencePicture.objects.create(project=part.project, name=name, **blank) for name in ("laid", "other"))
    document = json.loads(json.dumps(part.document))
    document["lines"].append({"id": "pp", "verb": "lay", "picture": str(laid.pk)})
    Part.objects.filter(id=part.id).update(document=document)
    assert guest.get(reverse("picture", args=[laid.pk])).status_code == 200
    assert guest.get(reverse("picture", args=[other.pk])).status_code == 302
    assert guest.get(reverse("picture", args=[999_999])).status_code == 302


def test_a_long_list_of_parts_come_to_is_kept_short(part, people):
    """A session remembers the last ones alone."""
    client = Client()
    for number in range(60):
        one = Part.objects.create(project=part.project, name=f"P{number}", document=part.document)
        client.get(reverse("look", args=[make_link(one, None).token]))
    assert len(client.session["links"]) == 50
    assert client.get(f"/parts/{one.id}/").status_code == 200
