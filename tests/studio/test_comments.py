"""What members say about a part, its lines and places: written, counted, settled, and by whom."""

from __future__ import annotations

import pytest
from django.urls import reverse

from glass_spoon.studio.flows.comment_part import MOST_TEXT, open_comments
from glass_spoon.studio.models import Part, PartComment


def say(client, part: Part, text: str, **about: str):
    """Post a comment as the slip does."""
    return client.post(reverse("part_comments", args=[part.id]), {"text": text, **about}, headers={"HX-Request": "true"})


@pytest.mark.parametrize("who", ["owner", "editor", "viewer"])
def test_every_member_may_say_something(who, part, as_user):
    """About the part, a line and a place; each is told with who said it and about what, and is counted."""
    client = as_user(who)
    say(client, part, "A wider foot?")
    say(client, part, "Too thin <here>.", line="l2")
    answer = say(client, part, "A dent", place="12.5,-3,40")
    text = answer.content.decode()
    assert answer.status_code == 200
    for words in (
        "A wider foot?",
        "Too thin &lt;here&gt;.",
        "on the part",
        "on line ",
        "the place 12.5, -3, 40",
        f"{who}, ",
    ):
        assert words in text
    found = open_comments(part)
    assert (found.count, dict(found.by_line), found.places) == (3, {"l2": 1}, ((12.5, -3.0, 40.0),))
    bench = client.get(f"/parts/{part.id}/").content.decode()
    assert 'data-by-line="l2:1 "' in bench
    assert 'data-places="12.5,-3.0,40.0 "' in bench
    assert '<span class="comment-count">3</span>' in bench


def test_comments_of_one_line_are_shown_by_themselves(part, as_user):
    """The slip of a line has its own alone, and what is said there is about it."""
    client = as_user("editor")
    say(client, part, "About the part")
    say(client, part, "About the second line", line="l2")
    text = client.get(reverse("part_comments", args=[part.id]), {"line": "l2"}).content.decode()
    assert "About the second line" in text
    assert "About the part" not in text.replace("About the part</label>", "")
    assert 'name="line" value="l2"' in text


def test_comments_are_settled_and_opened_again(part, as_user):
    """Editors settle any, others their own alone; what is settled is counted no more and stays to be read."""
    say(as_user("viewer"), part, "Mine")
    say(as_user("owner"), part, "Theirs")
    mine, theirs = PartComment.objects.order_by("id")

    def settle(who, comment, value="1"):
        return as_user(who).post(reverse("comment_settle", args=[part.id, comment.id]), {"settled": value})

    assert settle("viewer", theirs).status_code == 403
    assert settle("viewer", mine).status_code == 200
    assert settle("editor", theirs).status_code == 200
    assert open_comments(part).count == 0
    text = as_user("viewer").get(reverse("part_comments", args=[part.id])).content.decode()
    assert text.count("is-settled") == 2
    settle("editor", mine, "0")
    assert open_comments(part).count == 1


def test_what_cannot_be_said_is_told(part, as_user):
    """Nothing, too much, about a line that is gone, at no place."""
    client = as_user("editor")
    for values, words in (
        ({"text": "  "}, "Write what you want to say first"),
        ({"text": "x" * (MOST_TEXT + 1)}, "at most 1,000 characters"),
        ({"text": "x", "line": "gone"}, "not there any more"),
        ({"text": "x", "place": "1,2"}, "could not be read"),
        ({"text": "x", "place": "1,2,inf"}, "could not be read"),
        ({"text": "x", "place": "1,2,nan"}, "could not be read"),
    ):
        answer = say(client, part, **values)
        assert answer.status_code in (400, 422)
        assert words in answer.content.decode()
    assert not PartComment.objects.exists()


def test_comments_of_another_part_are_not_touched(part, as_user):
    """A comment's number at another part is none."""
    say(as_user("owner"), part, "Here")
    other = Part.objects.create(project=part.project, name="Lid", document=part.document)
    number = PartComment.objects.get().id
    assert as_user("owner").post(reverse("comment_settle", args=[other.id, number]), {"settled": "1"}).status_code == 404
    assert open_comments(part).count == 1


def test_a_comment_on_a_line_that_went_says_so(part, as_user, edit):
    """The line is removed: what was said stays, about a line that is gone."""
    client = as_user("owner")
    edit(client, op="add", text="circle radius 5 mm")
    part.refresh_from_db()
    line = part.document["lines"][-1]["id"]
    say(client, part, "Why this?", line=line)
    edit(client, op="remove", line=line)
    text = client.get(reverse("part_comments", args=[part.id])).content.decode()
    assert "Why this?" in text
    assert "a line that is gone" in text
