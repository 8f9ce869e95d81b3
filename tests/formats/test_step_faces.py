"""Faces with boundary loops through STEP: bodies by formula, what Open CASCADE made, and there and back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Reader, STEPControl_Writer
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from glass_spoon.formats.step import NamedSurfaces, read_step, write_step
from glass_spoon.kernel.meshes.mesh import check_mesh
from glass_spoon.kernel.trims.face import FaceSet, make_face_set
from glass_spoon.kernel.trims.mesh_faces import mesh_faces
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.kernel.trims.trim import join_bodies
from tests.kernel.trims import TO_X, can, corners_of, pearl, volume_of


def figures(shape: Any) -> tuple[float, float]:
    """Return volume and area of a shape, as Open CASCADE integrates them."""
    volume, area = GProp_GProps(), GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, volume, 1e-9)
    BRepGProp.SurfaceProperties_s(shape, area, 1e-9)
    return float(volume.Mass()), float(area.Mass())


def read_back(data: bytes, folder: Path) -> Any:
    """Return the shape of a file, read by Open CASCADE alone."""
    path = folder / "back.step"
    path.write_bytes(data)
    reader = STEPControl_Reader()
    reader.ReadFile(str(path))
    reader.TransferRoots()
    return reader.OneShape()


def test_equal_cylinders_hold_what_archimedes_says(tmp_path: Path) -> None:
    """Their common body: volume 16 r^3 / 3 and area 16 r^2 (Archimedes, The Method), written as a valid closed solid."""
    made, _ = join_bodies(can(10, 30), can(10, 30, TO_X), "common")
    shape = read_back(write_step([NamedSurfaces("common", made)]), tmp_path)
    assert BRepCheck_Analyzer(shape).IsValid()
    volume, area = figures(shape)
    assert volume == pytest.approx(16 * 1000 / 3, rel=1e-6)
    assert area == pytest.approx(16 * 100, rel=1e-6)


@pytest.mark.parametrize("way", ["united", "first less second", "common"])
def test_exact_bodies_are_those_of_open_cascade(way: Any, tmp_path: Path) -> None:
    """A ball and a cylinder across it: volume and area as its own boolean has them."""
    made, _ = join_bodies(pearl(20), can(7, 30, TO_X), way)
    shape = read_back(write_step([NamedSurfaces(way, made)]), tmp_path)
    assert BRepCheck_Analyzer(shape).IsValid()
    ball = BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, 0), 20).Shape()
    rod = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(-30, 0, 0), gp_Dir(1, 0, 0)), 7, 60).Shape()
    united = figures(BRepAlgoAPI_Fuse(ball, rod).Shape())[0]
    both = figures(ball)[0] + figures(rod)[0]
    known = {"united": united, "common": both - united, "first less second": united - figures(rod)[0]}[way]
    assert figures(shape)[0] == pytest.approx(known, rel=1e-6)


def _rounded_box() -> Any:
    box = BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), 60, 40, 30).Shape()
    rounds, edges, seen = BRepFilletAPI_MakeFillet(box), TopExp_Explorer(box, TopAbs_EDGE), []
    while edges.More():
        edge = TopoDS.Edge(edges.Current())
        if not any(edge.IsSame(other) for other in seen):
            rounds.Add(5, edge)
            seen.append(edge)
        edges.Next()
    return rounds.Shape()


def _cylinder(radius: float, start: tuple[float, float, float], way: tuple[float, float, float], length: float) -> Any:
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*start), gp_Dir(*way)), radius, length).Shape()


def shapes() -> dict[str, Any]:
    """Return bodies whose faces are trimmed in most ways: holes, seams, poles, rounds, tips."""
    ball = BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, 0), 25).Shape()
    torus = BRepPrimAPI_MakeTorus(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), 25, 6).Shape()
    cone = BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(5, 3, -30), gp_Dir(0.2, 0, 1)), 20, 0, 70).Shape()
    return {
        "rounded box with a hole": BRepAlgoAPI_Cut(_rounded_box(), _cylinder(8, (20, 20, -5), (0, 0, 1), 50)).Shape(),
        "tube with a bore": BRepAlgoAPI_Cut(
            _cylinder(20, (0, 0, 0), (0, 0, 1), 60), _cylinder(9, (-40, 0, 30), (1, 0, 0), 80)
        ).Shape(),
        "ball in a ring": BRepAlgoAPI_Fuse(ball, torus).Shape(),
        "ball less a cone": BRepAlgoAPI_Cut(ball, cone).Shape(),
    }


@pytest.mark.parametrize("name", list(shapes()))
def test_bodies_of_open_cascade_are_read_with_their_trims(name: str, tmp_path: Path) -> None:
    """Closed, meshed in even quads, and of the volume that the file has, within the chords of the mesh."""
    shape = shapes()[name]
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_AsIs)
    writer.Write(str(tmp_path / "body.step"))
    found = read_step((tmp_path / "body.step").read_bytes())
    assert found.broken == ()
    faces = make_face_set([one.face for one in found.faces])
    assert not len(find_edges(faces).open_uses)
    mesh = mesh_faces(faces, 2.0)
    check_mesh(mesh)
    assert not len(mesh.topology.boundary_edges)
    corners = corners_of(mesh)
    assert ((corners > 45) & (corners < 135)).mean() > 0.98
    assert volume_of(mesh) == pytest.approx(figures(shape)[0], rel=6e-3)


def test_faces_come_back_as_they_went_out() -> None:
    """A bored ball with its name and colour: the same faces, closed, the same extent."""
    made, _ = join_bodies(pearl(20), can(7, 30), "first less second")
    found = read_step(write_step([NamedSurfaces("bead", made, (0.2, 0.4, 0.6))]))
    back: FaceSet = make_face_set([one.face for one in found.faces])
    assert {one.name for one in found.faces} == {"bead"}
    assert found.faces[0].color == pytest.approx((0.2, 0.4, 0.6), abs=1e-3)
    assert not len(find_edges(back).open_uses)
    assert np.ptp(back.trace, axis=0).max() == pytest.approx(40, rel=0.02)
    assert volume_of(mesh_faces(back, 1.0)) == pytest.approx(volume_of(mesh_faces(made, 1.0)), rel=2e-3)
