"""SVG drawings: units, transforms, exact arcs, and what is refused."""

import numpy as np
import pytest

from glass_spoon.formats.svg_paths import SvgUnitUnknown, UnreadableSvg, read_svg
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_curvature, curve_points

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="50mm" viewBox="0 0 100 50">'


def drawing(body: str, head: str = HEAD) -> bytes:
    return f"{head}{body}</svg>".encode()


def ends(curve):
    return curve_points(curve, np.array(curve.domain))[:, :2]


def test_lines_in_millimetres_with_y_up():
    """User units of a drawing in mm are mm; y turns over."""
    path = read_svg(drawing('<path id="a" d="M10 40 L60 40 L60 15"/>'))[0]
    assert path.name == "a"
    assert path.curve.degree == 1
    assert np.allclose(path.curve.control_points[:, :2], [[10, -40], [60, -40], [60, -15]], atol=1e-12)


def test_pixels_are_96_to_the_inch():
    """Without a viewBox one unit is 25.4 / 96 mm (CSS Values 3, section 6.2)."""
    head = '<svg xmlns="http://www.w3.org/2000/svg" width="200px" height="100px">'
    assert np.allclose(ends(read_svg(drawing('<path d="M0 0 H96"/>', head))[0].curve), [[0, 0], [25.4, 0]], atol=1e-12)


@pytest.mark.parametrize("size", ["", 'width="200" height="100"', 'width="100%"', 'width="0mm"'])
def test_a_drawing_that_names_no_unit_is_asked_for_it(size):
    """Without a unit nothing is guessed; the unit chosen is that of the drawing's own coordinates."""
    head = f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="0 0 50 25">'
    with pytest.raises(SvgUnitUnknown, match="Choose the unit"):
        read_svg(drawing('<path d="M0 0 H96"/>', head))
    for unit, length in (("mm", 96.0), ("inch", 96 * 25.4), ("px", 25.4)):
        assert np.allclose(ends(read_svg(drawing('<path d="M0 0 H96"/>', head), unit)[0].curve)[1], [length, 0], rtol=1e-12)


@pytest.mark.parametrize(("unit", "factor"), [("cm", 10.0), ("in", 25.4), ("pt", 25.4 / 72), ("pc", 25.4 / 6)])
def test_units_of_the_drawing(unit, factor):
    """The width's unit and the viewBox decide the scale."""
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="10{unit}" height="10{unit}" viewBox="0 0 10 10">'
    assert np.allclose(ends(read_svg(drawing('<path d="M0 0 H1"/>', head))[0].curve)[1], [factor, 0], rtol=1e-12)


def test_cubic_is_exact():
    """Points are those of the Bezier formula."""
    curve = read_svg(drawing('<path d="M0 0 C 10 0 20 -10 20 -30"/>'))[0].curve
    t = np.linspace(0, 1, 9)[:, None]
    control = np.array([[0, 0], [10, 0], [20, 10], [20, 30]], dtype=float)
    expected = sum(c * (1 - t) ** (3 - k) * t**k * control[k] for k, c in enumerate((1, 3, 3, 1)))
    params = t[:, 0] * curve.domain[1]
    assert np.allclose(curve_points(curve, params)[:, :2], expected, atol=1e-12)


def test_quadratic_keeps_its_degree():
    """A quadratic Bezier stays of degree two."""
    assert read_svg(drawing('<path d="M0 0 Q 5 5 10 0"/>'))[0].curve.degree == 2


def test_arc_is_an_exact_circle():
    """An elliptic arc command with equal radii bends evenly and ends where it should."""
    curve = read_svg(drawing('<path d="M0 0 A 5 5 0 0 1 10 0"/>'))[0].curve
    params = np.linspace(*curve.domain, 40)
    assert np.allclose(curve_curvature(curve, params), 0.2, rtol=1e-9)
    assert np.allclose(ends(curve), [[0, 0], [10, 0]], atol=1e-9)
    assert measure_length(curve).length == pytest.approx(5 * np.pi, rel=1e-9)


def test_turned_ellipse_arc_satisfies_its_equation():
    """Radii 8 and 3, turned by 30 degrees."""
    curve = read_svg(drawing('<path d="M10 10 A 8 3 30 1 0 16 14"/>'))[0].curve
    points = curve_points(curve, np.linspace(*curve.domain, 50))[:, :2] * [1, -1]
    turn = np.radians(30)
    across = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    flat = points @ across.T
    design = np.column_stack((flat[:, 0] ** 2 / 64 + flat[:, 1] ** 2 / 9, flat, np.ones(len(flat))))
    assert np.linalg.matrix_rank(design, tol=1e-6) == 3


def test_transforms_are_applied():
    """Translate, scale and rotate of groups."""
    body = '<g transform="translate(10 5) scale(2) rotate(90)"><path d="M0 0 H10"/></g>'
    assert np.allclose(ends(read_svg(drawing(body))[0].curve), [[10, -5], [10, -25]], atol=1e-9)


def test_shapes_are_paths_too():
    """A circle closes; a rectangle has four sides."""
    circle, box = read_svg(drawing('<circle cx="50" cy="20" r="10"/><rect x="1" y="2" width="3" height="4"/>'))
    assert circle.curve.is_closed(1e-9)
    assert measure_length(circle.curve).length == pytest.approx(20 * np.pi, rel=1e-9)
    assert measure_length(box.curve).length == pytest.approx(14, rel=1e-9)


def test_subpaths_are_curves_of_their_own():
    """Two moves give two curves."""
    assert len(read_svg(drawing('<path d="M0 0 H5 M10 10 V20"/>'))) == 2


LAUGHS = (
    '<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]>'
    '<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0 H5"/><text>&b;</text></svg>'
)
OUTSIDE = (
    '<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/hostname">]>'
    '<svg xmlns="http://www.w3.org/2000/svg"><text>&x;</text></svg>'
)


@pytest.mark.parametrize(
    ("data", "word"),
    [
        (b"", "not a well-formed"),
        (b"<svg><path", "not a well-formed"),
        (b"<html/>", "not an SVG"),
        (drawing(""), "no path"),
        (drawing("<text>hello</text>"), "no path"),
        (drawing('<path id="p" d="M0 0 H5"/><use href="#p"/>'), "linked copies"),
        (LAUGHS.encode(), "entities"),
        (OUTSIDE.encode(), "entities"),
        (b"<svg>" + b" " * 2_000_001 + b"</svg>", "bytes"),
        (drawing('<path d="' + "M0 0 " + "h1 " * 20_010 + '"/>'), "segments"),
    ],
)
def test_bad_drawings_are_refused_with_a_sentence(data, word):
    """Broken, empty, enormous, with entities or linked copies."""
    with pytest.raises(UnreadableSvg, match=word):
        read_svg(data)


def test_scripts_are_left_out():
    """A drawing with a script and a path gives the path."""
    paths = read_svg(drawing('<script>alert(1)</script><path d="M0 0 H5"/>'))
    assert len(paths) == 1


def test_nonsense_in_a_path_is_a_sentence():
    """Numbers that are none never end in a crash."""
    for d in ("M0 0 L nan 5", "M0 0 A 0 0 0 0 1 0 0", "M0 0 Q", "hello", "M1e400 0 H5"):
        try:
            read_svg(drawing(f'<path d="{d}"/>'))
        except UnreadableSvg:
            continue
