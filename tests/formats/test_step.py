"""STEP out and in: exact surfaces, names, colours, units."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeSphere
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Reader, STEPControl_Writer
from OCP.TopAbs import TopAbs_SOLID

from glass_spoon.formats.step import MAX_BYTES, NamedSurfaces, UnreadableStep, read_step, write_step
from glass_spoon.kernel.curves.alter.place_curve import moving
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_rectangle
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface, reverse_surface
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.plate import make_plate
from glass_spoon.kernel.surfaces.make.plate_shape import PlateEdge, PlateShape
from glass_spoon.kernel.surfaces.make.ridge import RidgeShape, make_ridge
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.kernel.thread_sizes import read_designation
from tests.kernel.test_ridge import thread_profile
from tests.zoo import ORIGIN, TURN, UP, enclosed_by, kettle_profile, random_surface, revolve_curve, sphere, torus

KETTLE = revolve_curve(kettle_profile(), ORIGIN, UP, TURN)
HOLED = make_plate(make_rectangle(20, 10), [make_circle((0, 0), 2.0)], PlateShape(0, 3, upper=PlateEdge("rounded", 0.5)))


def one(surface: NurbsSurface, name: str = "part") -> NamedSurfaces:
    return NamedSurfaces(name, SurfaceSet((surface,)))


def read_by_occt(data: bytes, tmp_path):  # type: ignore[no-untyped-def]
    """Return the shape that Open CASCADE reads, by its plain reader, and its area and volume."""
    path = tmp_path / "part.step"
    path.write_bytes(data)
    reader = STEPControl_Reader()
    reader.ReadFile(str(path))
    reader.TransferRoots()
    shape = reader.OneShape()
    area, volume = GProp_GProps(), GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, area, 1e-9)
    BRepGProp.VolumeProperties_s(shape, volume, 1e-9)
    return shape, float(area.Mass()), float(volume.Mass())


@pytest.mark.parametrize("surface", [KETTLE, sphere(20.0), torus(30.0, 8.0)], ids=["kettle", "sphere", "torus"])
def test_round_trip_keeps_points(surface: NurbsSurface) -> None:
    """Places of every face read back lie on the surface written."""
    found = read_step(write_step([one(surface)])).surfaces
    for read in found:
        places = evaluate_grid(read.surface, *(np.linspace(*read.surface.domain(axis), 17) for axis in (0, 1))).points
        assert closest_points(surface, places.reshape(-1, 3))[2].max() < 1e-5


def test_random_rational_surface_comes_back_the_same() -> None:
    """Degrees, knots and weights of a rational surface come back to the last digits."""
    surface = random_surface(np.random.default_rng(4), (3, 2), (7, 6))
    read = read_step(write_step([one(surface)])).surfaces[0].surface
    own, other = (
        evaluate_grid(each, *(np.linspace(*each.domain(axis), 9) for axis in (0, 1))).points for each in (surface, read)
    )
    assert np.allclose(own, other, atol=1e-9)


def test_read_back_by_occt_with_the_same_area(tmp_path) -> None:  # type: ignore[no-untyped-def]
    """Open CASCADE finds the area of the torus by its formula."""
    _, area, _ = read_by_occt(write_step([one(torus(30.0, 8.0))]), tmp_path)
    assert area == pytest.approx(4 * np.pi**2 * 30 * 8, rel=1e-7)  # as exact as its quadrature


def test_sets_that_close_are_solids_to_other_software(tmp_path) -> None:  # type: ignore[no-untyped-def]
    """A plate with holes is a solid there, of the volume of its mesh."""
    shape, _, volume = read_by_occt(write_step([NamedSurfaces("plate", HOLED)]), tmp_path)
    assert shape.ShapeType() == TopAbs_SOLID
    mesh = mesh_set(HOLED, Wish((0.5, 0.3)))
    assert volume == pytest.approx(enclosed_volume(mesh), rel=5e-3)


@pytest.mark.parametrize(
    ("surface", "volume"),
    [(sphere(20.0), 4 / 3 * np.pi * 20**3), (torus(30.0, 8.0), 2 * np.pi**2 * 30 * 8**2)],
    ids=["sphere", "torus"],
)
def test_single_closed_surfaces_are_solids(surface: NurbsSurface, volume: float, tmp_path) -> None:  # type: ignore[no-untyped-def]
    """A ball and a ring are one face each; turned inside out they are solids with the outside outwards all the same."""
    for turned in (surface, reverse_surface(surface, 0)):
        shape, _, found = read_by_occt(write_step([one(turned)]), tmp_path)
        assert shape.ShapeType() == TopAbs_SOLID
        assert found == pytest.approx(volume, rel=1e-6)


def test_closed_bodies_of_one_set_are_a_solid_each(tmp_path) -> None:  # type: ignore[no-untyped-def]
    """Two balls apart, and one beside an open tube: the tube stays a surface."""
    beside = place_surface(sphere(20.0), moving([50, 0, 0]))
    _, _, volume = read_by_occt(write_step([NamedSurfaces("balls", SurfaceSet((sphere(20.0), beside)))]), tmp_path)
    assert volume == pytest.approx(2 * 4 / 3 * np.pi * 20**3, rel=1e-6)
    back = read_step(write_step([NamedSurfaces("both", SurfaceSet((sphere(20.0), KETTLE)))]))
    assert len(back.surfaces) >= 2
    assert not back.left_out


def test_thread_is_a_solid_of_the_same_volume(tmp_path) -> None:  # type: ignore[no-untyped-def]
    """The thread is a solid there, of the volume by our own quadrature."""
    thread = read_designation("M12")
    core = thread.minor_diameter / 2
    shape = make_ridge(thread_profile(thread), RidgeShape((core, core), 16, 1.75, 2, 4, ends=("flat", "flat")))
    solid, _, volume = read_by_occt(write_step([NamedSurfaces("thread", shape)]), tmp_path)
    assert solid.ShapeType() == TopAbs_SOLID
    assert volume == pytest.approx(enclosed_by(shape), rel=1e-5)


def test_names_and_colours_come_back() -> None:
    """Letters beyond ASCII in a name survive, and an item without colour has none."""
    items = [
        NamedSurfaces("kettle body", SurfaceSet((KETTLE,)), (0.5, 0.25, 0.125)),
        NamedSurfaces("Ring ü", SurfaceSet((torus(30.0, 8.0),))),
    ]
    found = read_step(write_step(items)).surfaces
    assert {read.name for read in found} == {"kettle body", "Ring ü"}
    body = next(read for read in found if read.name == "kettle body")
    assert body.color == pytest.approx((0.5, 0.25, 0.125), abs=1e-3)
    assert next(read for read in found if read.name == "Ring ü").color is None


def test_flat_faces_with_holes_come_back_as_caps_that_close() -> None:
    """Both caps with their hole are read as caps, so the mesh closes with genus one."""
    found = read_step(write_step([NamedSurfaces("plate", HOLED)]))
    assert found.left_out == ()
    assert len(found.caps) == 2
    shape = SurfaceSet(tuple(read.surface for read in found.surfaces), 0.01, found.caps)
    mesh = mesh_set(shape, Wish((2.0, 1.0)))
    assert (np.bincount(mesh.topology.edges.of_corner) == 2).all()
    assert mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count == 0


def test_inches_are_read_as_millimetres() -> None:
    """The unit of the file scales what is read."""
    data = write_step([one(sphere(20.0))])
    text = data.decode()
    assert "SI_UNIT(.MILLI.,.METRE.)" in text.replace(" ", "")
    metres = text.replace("SI_UNIT(.MILLI.,.METRE.)", "SI_UNIT($,.METRE.)").encode()
    places = read_step(metres).surfaces[0].surface.control_points
    assert np.abs(places).max() == pytest.approx(20_000)


def test_trimmed_bent_faces_are_listed_not_dropped(tmp_path) -> None:  # type: ignore[no-untyped-def]
    """A face bounded by curves across it is named where whole surfaces are taken, and there with its boundary."""
    turned = gp_Ax2(gp_Pnt(-40, 3, 4), gp_Dir(1, 0.3, 0.2))
    cut = BRepAlgoAPI_Cut(BRepPrimAPI_MakeSphere(20.0).Shape(), BRepPrimAPI_MakeCylinder(turned, 5.0, 90.0).Shape()).Shape()
    writer = STEPControl_Writer()
    writer.Transfer(cut, STEPControl_AsIs)
    path = tmp_path / "cut.step"
    writer.Write(str(path))
    found = read_step(path.read_bytes())
    assert found.surfaces == ()
    assert "2 faces of" in found.left_out[0]
    assert "are bounded by curves across the surface" in found.left_out[0]
    assert len(found.faces) == 2


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"solid stl", "neither a STEP nor an IGES file"),
        (b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n#1=NOTHING(", "could not be read|no surface"),
        (b"ISO-10303-21;" + b" " * MAX_BYTES, "most is"),
    ],
)
def test_other_files_are_refused_with_a_sentence(data: bytes, words: str) -> None:
    """What is no STEP file gets a sentence."""
    with pytest.raises(UnreadableStep, match=words):
        read_step(data)


def test_open_cascade_is_not_loaded_until_a_file_asks_for_it() -> None:
    """The library starts without the heavy kernel in memory."""
    code = (
        "import sys; import glass_spoon.formats.step, glass_spoon.sheet.lines, glass_spoon.command; "
        "sys.exit(any(name == 'OCP' or name.startswith('OCP.') for name in sys.modules))"
    )
    assert subprocess.run([sys.executable, "-c", code]).returncode == 0
