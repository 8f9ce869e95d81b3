"""DXF in and out, against ezdxf's own evaluation."""

from __future__ import annotations

import io

import ezdxf
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.formats.dxf import UnitUnknown, UnreadableDxf, read_dxf, write_dxf
from glass_spoon.formats.named_curve import NamedCurve
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import largest_distance
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_elliptic_arc, make_rectangle, make_slot
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from tests.zoo import kettle_profile, random_curve


def drawn(fill: object, unit: int = 4) -> bytes:
    """Return a file that ezdxf writes after `fill` has added to its model space."""
    drawing = ezdxf.new("R2010")
    drawing.units = unit
    fill(drawing.modelspace())  # type: ignore[operator]
    text = io.StringIO()
    drawing.write(text)
    return text.getvalue().encode()


def only(data: bytes, unit: str = "") -> NurbsCurve:
    curves = read_dxf(data, unit).curves
    assert len(curves) == 1
    return curves[0].curve


@settings(max_examples=25)
@given(st.integers(0, 10_000), st.integers(2, 5), st.booleans())
def test_splines_come_back_as_they_were(seed: int, degree: int, rational: bool) -> None:
    """Knots, control points and weights of a random spline are found again within the written decimals."""
    curve = random_curve(np.random.default_rng(seed), degree, degree + 5, rational)
    again = only(write_dxf([NamedCurve("a", curve)]))
    params = np.linspace(0, 1, 57)
    assert (
        np.abs(curve_points(again, params) - curve_points(curve, params)).max() < 1e-7
    )  # knots are written with nine decimals


@settings(max_examples=25)
@given(st.integers(0, 10_000), st.booleans())
def test_written_splines_evaluate_alike_in_ezdxf(seed: int, rational: bool) -> None:
    """Another reader finds the same points along each spline, rational or not."""
    curve = random_curve(np.random.default_rng(seed), 3, 9, rational)
    entity = ezdxf.read(io.StringIO(write_dxf([NamedCurve("a", curve)]).decode())).modelspace().query("SPLINE").first
    params = np.linspace(0, 1, 33)
    theirs = np.array([point.xyz for point in entity.construction_tool().points(params)])  # type: ignore[union-attr]
    assert np.abs(theirs - curve_points(curve, params)).max() < 1e-7  # knots are written with nine decimals


@pytest.mark.parametrize(
    "curve",
    [
        make_polyline([[0, 0, 0], [10, 5, 2], [20, 0, 7]]),
        make_circle([3, 4], 12),
        make_arc([1, 2, 3], [5, 0, 0], [0, 5, 0], 0.3, 4),
        make_arc([1, 2, 3], [5, 0, 0], [0, 5, 0], 2, -1),
        make_arc([0, 0, 0], [0, 5, 0], [0, 0, 5], 0, 2),
        make_elliptic_arc([0, 0], 9, 4, 0.4, 0, 2),
        make_rectangle(30, 20, [1, 2, 3, 4]),
        make_slot(20, 6),
        kettle_profile(),
    ],
)
def test_round_trips_keep_the_shape_to_a_millionth_of_a_millimetre(curve: NurbsCurve) -> None:
    """Lines, arcs, ellipses and splines come back the same in shape and length."""
    again = only(write_dxf([NamedCurve("profile", curve)]))
    assert largest_distance(curve, again) < 1e-6
    assert measure_length(again).length == pytest.approx(measure_length(curve).length, rel=1e-9)


def test_curves_keep_their_names_as_layers() -> None:
    """What DXF forbids in a layer name is replaced, and construction keeps its own layer."""
    file = write_dxf(
        [
            NamedCurve("body: profile", make_circle([0, 0], 5)),
            NamedCurve("axis", make_polyline([[0, 0, 0], [0, 0, 9]]), "construction"),
        ]
    )
    assert [item.layer for item in read_dxf(file).curves] == ["body_ profile", "construction"]


def test_arcs_and_circles_stay_arcs_and_circles() -> None:
    """No spline is written for what the format has an entity of its own for."""
    arc = make_arc([1, 2, 3], [5, 0, 0], [0, 5, 0], 2, -1)
    file = write_dxf([NamedCurve("a", arc), NamedCurve("b", make_circle([0, 0], 5))])
    kinds = [entity.dxftype() for entity in ezdxf.read(io.StringIO(file.decode())).modelspace()]
    assert kinds == ["ARC", "CIRCLE"]


@pytest.mark.parametrize(("unit", "millimetres"), [(4, 1), (5, 10), (6, 1000), (1, 25.4), (2, 304.8)])
def test_the_files_own_unit_is_honoured(unit: int, millimetres: float) -> None:
    """Two drawing units become as many millimetres as the file's header says."""
    curve = only(drawn(lambda space: space.add_line((0, 0), (2, 0)), unit))
    assert curve.control_points[1, 0] == pytest.approx(2 * millimetres)


def test_a_file_without_a_unit_asks_for_one() -> None:
    """Without a unit nothing is guessed; once chosen it is taken."""
    data = drawn(lambda space: space.add_line((0, 0), (2, 0)), 0)
    with pytest.raises(UnitUnknown, match="Choose the unit"):
        read_dxf(data)
    assert only(data, "inch").control_points[1, 0] == pytest.approx(50.8)


def test_polylines_with_bulges_are_lines_and_exact_arcs() -> None:
    """A bulge becomes an exact arc, so lengths are those of the formula."""
    rows = [(0, 0, 0), (10, 0, np.tan(np.pi / 8)), (20, 10, 0)]
    curve = only(drawn(lambda space: space.add_lwpolyline(rows, format="xyb")))
    assert measure_length(curve).length == pytest.approx(10 + np.hypot(10, 10) / np.sqrt(2) * np.pi / 2, rel=1e-12)
    closed = only(drawn(lambda space: space.add_lwpolyline([(0, 0, 1), (10, 0, 1)], format="xyb", close=True)))
    assert measure_length(closed).length == pytest.approx(10 * np.pi, rel=1e-12)


def test_old_polylines_are_read_plane_and_in_space() -> None:
    """The older entities give the same curves as the newer ones."""
    flat = only(drawn(lambda space: space.add_polyline2d([(0, 0, 1), (10, 0, 0)], format="xyb")))
    assert measure_length(flat).length == pytest.approx(5 * np.pi)
    space = only(drawn(lambda space: space.add_polyline3d([(0, 0, 0), (1, 2, 2), (1, 2, 5)])))
    assert measure_length(space).length == pytest.approx(6)


def test_entities_on_a_turned_plane_are_turned() -> None:
    # Extrusion (0, -1, 0): by the arbitrary axis algorithm the entity's x runs along -x ... checked by ezdxf's own path.
    """The arbitrary axis algorithm of the DXF reference is followed, checked by ezdxf's own points."""
    data = drawn(lambda space: space.add_arc((5, 0, 2), 3, 10, 200, dxfattribs={"extrusion": (0, -1, 0)}))
    entity = ezdxf.read(io.StringIO(data.decode())).modelspace()[0]
    theirs = np.array([point.xyz for point in entity.flattening(1e-4)])  # type: ignore[attr-defined]
    ours = only(data)
    from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params

    assert closest_params(ours, theirs)[1].max() < 1e-9
    assert curve_points(ours, np.array([0.0]))[0] == pytest.approx(theirs[0])


def test_ellipses_agree_with_ezdxf() -> None:
    """Points of an elliptic arc lie on theirs."""
    data = drawn(lambda space: space.add_ellipse((1, 2, 3), (4, 1, 0), 0.4, 0.5, 5))
    entity = ezdxf.read(io.StringIO(data.decode())).modelspace()[0]
    theirs = np.array([point.xyz for point in entity.vertices(np.linspace(0.5, 5, 9))])  # type: ignore[attr-defined]
    from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params

    assert closest_params(only(data), theirs)[1].max() < 1e-9


def test_unclamped_splines_are_clamped_without_change() -> None:
    """Points along the whole span agree with ezdxf's evaluation."""
    control = np.random.default_rng(2).normal(size=(8, 3)) * 10
    data = drawn(lambda space: space.add_open_spline(control.tolist(), 3, list(range(12))))
    entity = ezdxf.read(io.StringIO(data.decode())).modelspace()[0]
    params = np.linspace(3, 8, 21)
    theirs = np.array([point.xyz for point in entity.construction_tool().points(params)])  # type: ignore[attr-defined]
    assert np.abs(curve_points(only(data), params) - theirs).max() < 1e-9


@pytest.mark.parametrize(
    "data", [b"", b"not a drawing", b"\x00" * 500, b"0\nSECTION\n2\nENTITIES\n0\nLINE\n", b"AutoCAD Binary DXF\r\n\x1a\x00"]
)
def test_damaged_files_get_a_sentence(data: bytes) -> None:
    """Whatever is broken is refused in words, never by an error of the program."""
    with pytest.raises(UnreadableDxf):
        read_dxf(data)


def test_files_without_curves_and_huge_ones_are_refused() -> None:
    """A drawing without curves says so, and a file too large is refused before it is read."""
    with pytest.raises(UnreadableDxf, match="no line"):
        read_dxf(drawn(lambda space: space.add_text("hello")))
    with pytest.raises(UnreadableDxf, match="the most"):
        read_dxf(b"0" * 9_000_000)
