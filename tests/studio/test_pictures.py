"""Reference pictures: checked and written anew on the way in, served to members only."""

import io
import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from glass_spoon.studio.models import ReferencePicture

pytestmark = pytest.mark.django_db


@pytest.fixture
def owner(as_user):
    return as_user("owner")


@pytest.fixture
def viewer(as_user):
    return as_user("viewer")


@pytest.fixture
def stranger(as_user):
    return as_user("stranger")


def png(width=40, height=20, kind="PNG", **options) -> bytes:
    file = io.BytesIO()
    Image.new("RGB", (width, height), "#d07030").save(file, kind, **options)
    return file.getvalue()


def send(client, part, data, name="sketch.png"):
    return client.post(
        f"/parts/{part.id}/pictures/", {"file": SimpleUploadedFile(name, data)}, headers={"Accept": "application/json"}
    )


@pytest.mark.parametrize(("kind", "media"), [("PNG", "image/png"), ("JPEG", "image/jpeg"), ("WEBP", "image/jpeg")])
def test_pictures_are_written_anew(owner, part, kind, media):
    """Each format comes back re-encoded, at its size."""
    told = send(owner, part, png(kind=kind)).json()
    assert (told["width"], told["height"]) == (40, 20)
    answer = owner.get(f"/pictures/{told['id']}/")
    assert answer["Content-Type"] == media
    assert Image.open(io.BytesIO(answer.content)).size == (40, 20)


def test_a_turned_photo_comes_upright_and_without_its_metadata(owner, part):
    """EXIF's turn is applied and its data dropped."""
    exif = Image.Exif()
    exif[0x0112] = 6
    exif[0x010F] = "a camera"
    told = send(owner, part, png(kind="JPEG", exif=exif)).json()
    assert (told["width"], told["height"]) == (20, 40)
    kept = Image.open(io.BytesIO(owner.get(f"/pictures/{told['id']}/").content))
    assert not dict(kept.getexif())


def test_a_huge_picture_is_made_smaller(owner, part):
    """The longer side becomes 3000 pixels."""
    told = send(owner, part, png(5000, 2500)).json()
    assert (told["width"], told["height"]) == (3000, 1500)


def test_a_decompression_bomb_is_refused_before_it_is_unpacked(owner, part):
    """Dimensions are looked at before pixels are read."""
    file = io.BytesIO()
    Image.new("1", (9000, 9000)).save(file, "PNG")
    answer = send(owner, part, file.getvalue())
    assert answer.status_code == 422
    assert "too many" in answer.json()["sentence"]


@pytest.mark.parametrize("data", [b"", b"GIF89a\x01\x00\x01\x00", b"%PDF-1.4", b"\x89PNG\r\n\x1a\nbroken", png()[:60]])
def test_what_is_no_picture_gets_a_sentence(owner, part, data):
    """Empty, foreign and broken files get words and leave no row."""
    answer = send(owner, part, data)
    assert answer.status_code in (400, 422)
    assert answer.json()["sentence"].endswith("again.") or "Choose a picture" in answer.json()["sentence"]
    assert not ReferencePicture.objects.exists()


def test_an_svg_picture_loses_what_acts_and_what_it_would_fetch(owner, part):
    """Scripts, handlers and links are gone, and the drawing stays."""
    data = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"
        viewBox="0 0 300 100" onload="alert(1)">
      <script>alert(1)</script><style>@import url(http://example.com/x)</style><image xlink:href="http://example.com/x.png"/>
      <rect width="30" height="10" fill="url(http://example.com/y)"/><path d="M0 0L300 100" stroke="black"/></svg>"""
    told = send(owner, part, data, "sketch.svg").json()
    answer = owner.get(f"/pictures/{told['id']}/")
    text = answer.content.decode()
    assert "M0 0L300 100" in text
    assert not [word for word in ("script", "onload", "example.com", "@import") if word in text]
    assert told["width"] == 3 * told["height"]
    assert "sandbox" in answer["Content-Security-Policy"]


def test_an_svg_with_entities_is_refused(owner, part):
    """A document type in an SVG is refused."""
    head = b'<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY a "b">]>'
    data = head + b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9">&a;</svg>'
    assert send(owner, part, data).status_code == 422


def test_a_picture_is_laid_under_a_view_at_the_head_of_the_sheet(owner, part):
    """The picture's line comes after the sizes, before all else."""
    told = send(owner, part, png()).json()
    values = json.dumps({"picture": str(told["id"]), "plane": "front", "width": "300 mm", "right": "0 mm", "up": "80 mm"})
    answer = owner.post(f"/parts/{part.id}/edit/", {"op": "lay", "values": values, "revision": part.revision})
    assert answer.status_code == 200
    part.refresh_from_db()
    lines = [line["verb"] for line in part.document["lines"] if line["verb"] != "size"]
    assert lines[0] == "lay"
    assert part.sheet().number_of(next(line.id for line in part.sheet().lines if line.verb_name == "lay")) == 1


def test_the_projects_pictures_are_offered_to_a_line(owner, part):
    """The slip lists pictures by name."""
    send(owner, part, png(), "kettle from the side.png")
    assert "kettle from the side.png" in owner.get(f"/parts/{part.id}/pictures/l1/").content.decode()


def test_viewers_see_pictures_and_do_not_bring_any(owner, viewer, stranger, part):
    """Viewers may look; strangers find nothing and bring nothing."""
    told = send(owner, part, png()).json()
    assert viewer.get(f"/pictures/{told['id']}/").status_code == 200
    assert stranger.get(f"/pictures/{told['id']}/").status_code == 404
    assert send(viewer, part, png()).status_code == 403
    assert send(stranger, part, png()).status_code == 404
