"""Files that are sent out: what is in them, read back by other libraries; sets of levels; refusals in words."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pytest
import trimesh

from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.mesh_item import FACE_LIMIT
from glass_spoon.studio.flows.send_out import read_order, start_file
from glass_spoon.studio.jobs import rows
from glass_spoon.studio.models import Job
from glass_spoon.studio.sentences import Refused
from tests.conftest import DEMO

pytestmark = pytest.mark.django_db(transaction=True)  # files are written from threads that see only what is saved


@pytest.fixture
def send(part, people):
    """Return what sends a sheet out as a form asks: the parcel, and its content where there is one."""

    def sent(document: SheetDocument | None = None, **form: str) -> tuple[Job, bytes]:
        order = read_order(people["owner"].id, part.id, document or part.sheet(), {"level": "0", **form})
        parcel = start_file(order)
        return parcel, rows.content(parcel) if parcel.stage == "ready" else b""

    return sent


def demo(name: str) -> SheetDocument:
    """Return a demo sheet."""
    return read_document(json.loads((DEMO / f"{name}.json").read_text()))


@pytest.mark.parametrize("kind", ["glb", "obj", "stl", "ply"])
def test_a_mesh_is_as_large_in_every_format(send, kind: str) -> None:
    """The kettle is 164 mm wide and 158 mm high: millimetres, but metres in glTF, which has no other."""
    parcel, data = send(format=kind)
    assert (parcel.stage, parcel.order["filename"]) == ("ready", f"Camp kettle.{kind}")
    loaded = trimesh.load(io.BytesIO(data), file_type=kind)
    size = sorted(np.ptp(loaded.bounds, axis=0) * (1000 if kind == "glb" else 1))
    assert np.allclose(size, [158, 163.9, 163.9], atol=0.2)


@pytest.mark.parametrize(("level", "faces"), [("0", 1296), ("1", 5184), ("2", 20736)])
def test_each_level_has_four_times_the_faces(send, level: str, faces: int) -> None:
    """Common practice, no source: four times per level for quads; read by counting the faces of an OBJ file."""
    parcel, data = send(format="obj", level=level)
    assert sum(line.startswith("f ") for line in data.decode().splitlines()) == faces
    assert parcel.order["filename"] == ("Camp kettle.obj" if level == "0" else f"Camp kettle x{level}.obj")


def test_a_set_of_levels_is_an_archive_with_their_counts_and_distances(send) -> None:
    """Levels 0 to 2 in files of their own, and a table; the finest is the nearest to what smoothing leads to."""
    parcel, data = send(format="ply", level="to 2")
    assert (parcel.order["filename"], parcel.order["media_type"]) == ("Camp kettle levels.zip", "application/zip")
    with zipfile.ZipFile(io.BytesIO(data)) as box:
        assert sorted(box.namelist()) == ["level 0.ply", "level 1.ply", "level 2.ply", "levels.txt"]
        rows = [line.split("\t") for line in box.read("levels.txt").decode().splitlines()]
        counts = [len(trimesh.load(io.BytesIO(box.read(f"level {k}.ply")), file_type="ply").faces) for k in range(3)]
    assert rows[0] == ["level", "mesh", "faces", "largest distance from the surface, mm"]
    assert [row[2] for row in rows[1:]] == ["1296", "5184", "20736"]
    assert all(0 < float(row[3]) < 2 for row in rows[1:])
    assert counts == [2 * 1296, 2 * 5184, 2 * 20736]  # trimesh reads quads as two triangles


def test_one_mesh_of_several_may_be_sent_alone(send) -> None:
    """All meshes by default, one when named."""
    spring = demo("coil-spring")
    every, alone = send(spring, format="obj")[1].decode(), send(spring, format="obj", what="mesh:l7")[1].decode()
    assert [line for line in every.splitlines() if line.startswith("o ")] == ["o spring mesh", "o strand mesh"]
    assert [line for line in alone.splitlines() if line.startswith("o ")] == ["o strand mesh"]


def test_curves_and_surfaces_go_out_in_formats_of_their_own(send) -> None:
    """The kettle's one curve as DXF and SVG, its surface as STEP."""
    assert b"SPLINE" in send(format="dxf")[1]
    assert b"<svg" in send(format="svg")[1]
    step = send(format="step")[1]
    assert step.startswith(b"ISO-10303-21")
    assert b"B_SPLINE_SURFACE" in step


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"format": "stl", "what": "mesh:l1"}, "There is no mesh to send out"),
        ({"format_curve": "dxf", "what": "curve:l4"}, "There is no curve to send out"),
        ({"format": "step", "what": "surface:l1"}, "There is no surface to send out"),
    ],
)
def test_nothing_to_send_fails_with_a_sentence(send, form, words: str) -> None:
    """Each reason ends the parcel in a sentence."""
    parcel, data = send(**form)
    assert (parcel.stage, data) == ("failed", b"")
    assert parcel.sentence.startswith(words)


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"format": "doc"}, "Choose glTF"),
        ({"format": "obj", "level": "9"}, "0 to 6"),
        ({"format": "obj", "level": "two"}, "0 to 6"),
        ({"format": "dxf", "view": "above"}, "front, side or plan"),
    ],
)
def test_orders_that_make_no_sense_are_refused(send, form, words: str) -> None:
    """Unknown formats and levels raise a refusal."""
    with pytest.raises(Refused, match=words):
        send(**form)


def test_a_level_too_fine_to_be_written_is_a_sentence(send) -> None:
    """The lantern and its cage six times: 10,216 x 4^6 faces."""
    parcel, _ = send(demo("lantern"), format="obj", level="6")
    assert parcel.stage == "failed"
    assert parcel.sentence == f"That would be {10_216 * 4**6:,} faces; the most is {FACE_LIMIT:,}. Choose a lower level."
