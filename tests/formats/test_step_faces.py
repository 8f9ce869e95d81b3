"""Faces with boundary loops through STEP: bodies by formula, what Open CASCADE made, and there and back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from OCP.BRepAdaptor import BRepAdaptor_Curve
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
from glass_spoon.kernel.curves.alter.place_curve import moving
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.law import Law
from glass_spoon.kernel.meshes.mesh import check_mesh
from glass_spoon.kernel.trims.changing_ball import BallSize
from glass_spoon.kernel.trims.face import FaceSet, make_face_set
from glass_spoon.kernel.trims.mesh_faces import mesh_faces
from glass_spoon.kernel.trims.round_edges import round_edges, sharp_edges
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.kernel.trims.trim import join_bodies
from tests.kernel.trims import TO_X, block, can, corners_of, pearl, volume_of


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


def test_a_hollow_within_a_body_is_a_hollow_of_the_solid(tmp_path: Path) -> None:
    """A ball taken from the inside of a can: one solid of two shells, as large as the difference."""
    made, _ = join_bodies(can(20, 30), pearl(8), "first less second")
    shape = read_back(write_step([NamedSurfaces("hollow", made)]), tmp_path)
    assert BRepCheck_Analyzer(shape).IsValid()
    assert figures(shape)[0] == pytest.approx(np.pi * 400 * 60 - 4 / 3 * np.pi * 512, rel=1e-8)
    assert volume_of(mesh_faces(made, 1.5)) == pytest.approx(np.pi * 400 * 60 - 4 / 3 * np.pi * 512, rel=5e-3)


def _over(radius: float) -> np.ndarray:
    """Return how far a ball of a radius reaches out at even heights from where it touches, mid-interval, and the step."""
    heights = (np.arange(20000) + 0.5) / 20000 * radius
    return radius - np.sqrt(radius**2 - (radius - heights) ** 2)


def rounded(
    shape: FaceSet, radius: float, folder: Path, pick: Any = lambda place: True, *, flat: bool = False
) -> tuple[int, int, float]:
    """Return how many rounds and balls there are, and the volume of the body with the picked edges rounded, through STEP."""
    edges, sharp = sharp_edges(shape, 0.3)
    middles = [edges.uses[edges.first[edge]] for edge in sharp]
    chosen = [edge for edge, use in zip(sharp, middles, strict=True) if pick(use.places[len(use.places) // 2])]
    made = round_edges(shape, edges, np.array(chosen), BallSize(Law(radius, radius), flat=flat))
    assert not len(find_edges(made.shape).open_uses)
    written = read_back(write_step([NamedSurfaces("rounded", made.shape)]), folder)
    assert BRepCheck_Analyzer(written).IsValid()
    mesh = mesh_faces(made.shape, radius / 2)
    assert not len(mesh.topology.boundary_edges)
    return made.rounds, made.balls, figures(written)[0]


def test_all_edges_of_a_box_are_rounded_by_formula(tmp_path: Path) -> None:
    """Steiner's formula for a box with a ball: (a b c) + 2 r (ab + bc + ca) + pi r^2 (a + b + c) + 4/3 pi r^3."""
    rounds, balls, volume = rounded(block((60, 40, 30)), 5, tmp_path)
    a, b, c, r = 50, 30, 20, 5
    known = a * b * c + 2 * r * (a * b + b * c + c * a) + np.pi * r**2 * (a + b + c) + 4 / 3 * np.pi * r**3
    assert (rounds, balls) == (12, 8)
    assert volume == pytest.approx(known, rel=1e-7)


def test_edges_are_chamfered_by_formula(tmp_path: Path) -> None:
    """All edges of a box by its cells: along each edge half of r^2 stays, and in each corner the tetrahedron of r^3 / 6."""
    _, corners, volume = rounded(block((60, 40, 30)), 5, tmp_path, flat=True)
    a, b, c, r = 50, 30, 20, 5
    slabs = 2 * r * (a * b + b * c + c * a)
    wedges = r**2 / 2 * 4 * (a + b + c)
    assert corners == 8
    assert volume == pytest.approx(a * b * c + slabs + wedges + 8 * r**3 / 6, rel=1e-9)


def test_one_edge_of_a_box_ends_on_its_faces(tmp_path: Path) -> None:
    """(1 - pi / 4) r^2 L goes, the faces at both ends cut back along the arc."""
    _, _, volume = rounded(block((60, 40, 30)), 5, tmp_path, lambda place: np.abs(place - [0, 20, 15]).max() < 1)
    assert volume == pytest.approx(60 * 40 * 30 - (1 - np.pi / 4) * 25 * 60, rel=1e-8)


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_rims_of_a_can_are_rounded_by_formula(factor: float, tmp_path: Path) -> None:
    """The rings that go are bodies of revolution: their volumes by quadrature over the heights."""
    _, _, volume = rounded(can(10 * factor, 15 * factor), 3 * factor, tmp_path)
    ring_of = np.pi * (100 - (10 - _over(3.0)) ** 2).mean() * 3.0
    assert volume / factor**3 == pytest.approx(np.pi * 100 * 30 - 2 * ring_of, rel=1e-6)


def test_a_boss_runs_into_its_plate(tmp_path: Path) -> None:
    """The edge lies in: the ball rolls outside, and material comes to it. The boss reaches 25 mm over and 5 mm under."""
    made, _ = join_bodies(block((60, 40, 10)), can(9, 20, moving((0, 0, 10))), "united")
    _, _, volume = rounded(made, 3, tmp_path, lambda place: np.hypot(*place[:2]) < 10 and abs(place[2] - 5) < 1)
    added = np.pi * ((9 + _over(3.0)) ** 2 - 81).mean() * 3.0
    assert volume == pytest.approx(60 * 40 * 10 + np.pi * 81 * (25 + 5) + added, rel=1e-6)


def test_a_seam_of_two_tubes_is_rounded_as_open_cascade_does(tmp_path: Path) -> None:
    """Both saddles of a bored tube and its rims at once, against its own fillets within its tolerance."""
    made, _ = join_bodies(can(20, 30), can(9, 40, TO_X), "united")
    rounds, _, volume = rounded(made, 2, tmp_path, lambda place: abs(place[2]) < 29 and abs(place[0]) < 39)
    tube = _cylinder(20, (0, 0, -30), (0, 0, 1), 60)
    whole = BRepAlgoAPI_Fuse(tube, _cylinder(9, (-40, 0, 0), (1, 0, 0), 80)).Shape()
    fillets, edges = BRepFilletAPI_MakeFillet(whole), TopExp_Explorer(whole, TopAbs_EDGE)
    while edges.More():
        edge = TopoDS.Edge(edges.Current())
        middle = _middle(edge)
        if abs(middle[2]) < 29 and abs(middle[0]) < 39 and np.hypot(middle[1], middle[2]) < 9.5 and abs(middle[0]) < 20.5:
            fillets.Add(2, edge)
        edges.Next()
    assert rounds >= 2
    assert volume == pytest.approx(figures(fillets.Shape())[0], rel=1e-4)


def _middle(edge: Any) -> np.ndarray:
    """Return the place (3,) half way along an edge."""
    curve = BRepAdaptor_Curve(edge)
    place = curve.Value((curve.FirstParameter() + curve.LastParameter()) / 2)
    return np.array([place.X(), place.Y(), place.Z()])


def test_rounds_that_do_not_fit_are_refused_with_a_way_out() -> None:
    """A ball larger than the body, and corners that no ball closes."""
    box = block((60, 40, 30))
    edges, sharp = sharp_edges(box, 0.3)
    with pytest.raises(KernelError, match="smaller radius"):
        round_edges(box, edges, sharp, BallSize(Law(16, 16)))
    upper = [edge for edge in sharp if edges.uses[edges.first[edge]].places[:, 2].min() > 14]
    with pytest.raises(KernelError, match="Round all edges of that corner"):
        round_edges(box, edges, np.array(upper), BallSize(Law(5, 5)))


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
