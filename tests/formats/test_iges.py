"""IGES in: trimmed faces in any unit, written by Open CASCADE, read back by formula; broken files are refused in words."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.IGESControl import IGESControl_Writer

from glass_spoon.formats.step import UnreadableStep, is_iges, read_step
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.trims.face import make_face_set
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.text_form.read_text import read_text
from glass_spoon.sheet.text_form.write_text import write_text
from tests.sheet.test_patches import built


def bored_box(folder: Path, unit: str = "MM", mode: int = 0) -> bytes:
    """Return a box of 60 by 40 by 30 mm with a bore of 16 mm through it, as IGES: mode 0 of trimmed faces, 1 as a solid."""
    box = BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), 60.0, 40.0, 30.0).Shape()
    rod = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(30, 20, -5), gp_Dir(0, 0, 1)), 8.0, 50.0).Shape()
    writer = IGESControl_Writer(unit, mode)
    writer.AddShape(BRepAlgoAPI_Cut(box, rod).Shape())
    writer.ComputeModel()
    path = folder / "box.igs"
    writer.Write(str(path))
    return path.read_bytes()


@pytest.mark.parametrize("unit", ["MM", "INCH", "M"])
@pytest.mark.parametrize("mode", [0, 1])
def test_faces_come_in_with_their_trims_in_mm(tmp_path: Path, unit: str, mode: int) -> None:
    """Seven faces, all edges shared, as large as they were written, whatever the unit of the file."""
    data = bored_box(tmp_path, unit, mode)
    assert is_iges(data)
    found = read_step(data)
    shape = make_face_set([one.face for one in found.faces])
    assert len(found.faces) == 7 and not found.broken and not len(find_edges(shape).open_uses)
    points = np.concatenate([one.face.surface.control_points.reshape(-1, 3) for one in found.faces])
    np.testing.assert_allclose(np.ptp(points, axis=0), [60, 40, 30], atol=1e-6)


def test_a_sheet_takes_it_meshes_it_and_is_written_as_text(tmp_path: Path) -> None:
    """The line that imports STEP takes it: its mesh is closed, of the volume by formula, and the text form keeps it."""
    text = bored_box(tmp_path).decode()
    build = built(
        {"verb": "import_step", "gives": "block", "step": text, "taken": "faces"},
        {"verb": "mesh", "surface": "l1", "sizing": "edge length", "edge_length": "2 mm", "gives": "m"},
    )
    item = build.items["l2"].item
    assert isinstance(item, MeshItem), build.reports
    assert (item.mesh.topology.edge_face_counts == 2).all()
    assert enclosed_volume(item.mesh) == pytest.approx(60 * 40 * 30 - np.pi * 64 * 30, rel=2e-3)
    assert read_text(write_text(build.document)).lines[0].step == text  # type: ignore[attr-defined]


def test_what_is_no_iges_file_is_refused_in_words(tmp_path: Path) -> None:
    """Half a file, one without faces, and another text."""
    whole = bored_box(tmp_path)
    with pytest.raises(UnreadableStep, match="neither a STEP nor an IGES"):
        read_step(b"Dear modelers, here is a drawing. " * 30)
    with pytest.raises(UnreadableStep, match=r"IGES|no surface"):
        read_step(whole[: 81 * 5])
