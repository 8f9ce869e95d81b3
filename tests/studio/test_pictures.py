"""Reference pictures: checked and written anew on the way in, served to members only."""

import io
import json

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from glass_spoon.formats.height_picture import MOST_BYTES, read_greys
from glass_spoon.formats.letters import FOLDER
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.sources import read_file
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


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP"])
def test_a_picture_of_heights_is_kept_in_its_line(owner, part, edit, kind):
    """Its greys stand in the sheet as an open format, no longer than it needs; what is no picture is refused."""
    edit(owner, op="add", verb="swell", text="")
    part.refresh_from_db()
    line = part.sheet().lines[-1].id
    edit(owner, op="set", line=line, field="by", value="picture")
    file = io.BytesIO()
    Image.linear_gradient("L").resize((1200, 600)).save(file, kind)
    answer = edit(owner, op="drawing", line=line, file=SimpleUploadedFile("heights.png", file.getvalue()))
    assert answer.status_code == 200
    part.refresh_from_db()
    data, ending = read_file(part.sheet().line(line).picture, MOST_BYTES)
    greys = read_greys(data)
    assert ending == "pgm" and greys.shape == (256, 512)
    assert greys[0].mean() < 0.02 and greys[-1].mean() > 0.98 and np.ptp(greys, axis=1).max() < 0.02
    assert edit(owner, op="drawing", line=line, file=SimpleUploadedFile("a.png", b"junk")).status_code == 422


def test_a_deep_picture_keeps_its_levels(owner, part, edit):
    """16 bits stay more than 8: a faint ramp of 200 of 65,535 is still a ramp."""
    edit(owner, op="add", verb="swell", text="")
    part.refresh_from_db()
    line = part.sheet().lines[-1].id
    file = io.BytesIO()
    Image.fromarray(np.tile(np.linspace(30000, 30200, 101).astype(np.uint16), (4, 1))).save(file, "PNG")
    edit(owner, op="drawing", line=line, file=SimpleUploadedFile("deep.png", file.getvalue()))
    part.refresh_from_db()
    greys = read_greys(read_file(part.sheet().line(line).picture, MOST_BYTES)[0])
    assert len(np.unique(greys[0])) == 101 and greys[0, 0] == pytest.approx(30000 / 65535, abs=1e-4)


def test_an_own_font_is_kept_in_its_line(owner, part, edit):
    """A font that is chosen for Write stands in the sheet, small and plain, and its letters are written; junk is refused."""
    edit(owner, op="add", verb="write", text="")
    part.refresh_from_db()
    line = part.sheet().lines[-1].id
    edit(owner, op="set", line=line, field="font", value="own")
    part.refresh_from_db()
    assert "Choose a font" in evaluate(part.sheet(), ResultCache()).reports[line].findings[0].sentence
    font = (FOLDER / "serif.woff").read_bytes()
    assert edit(owner, op="drawing", line=line, file=SimpleUploadedFile("mine.woff", font)).status_code == 200
    part.refresh_from_db()
    build = evaluate(part.sheet(), ResultCache())
    assert part.sheet().line(line).file.startswith("inside:ttf:") and build.reports[line].status == "good"
    edit(owner, op="set", line=line, field="font", value="serif")
    part.refresh_from_db()
    shipped = evaluate(part.sheet(), ResultCache())
    for one, other in zip(build.items[line].item.curves, shipped.items[line].item.curves, strict=True):
        assert one.control_points == pytest.approx(other.control_points)
    edit(owner, op="set", line=line, field="font", value="own")
    assert edit(owner, op="drawing", line=line, file=SimpleUploadedFile("a.ttf", b"junk")).status_code == 422
