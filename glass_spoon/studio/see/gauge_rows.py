"""Readings as rows of the gauges' column."""

from __future__ import annotations

import math
from collections.abc import Callable
from collections.abc import Set as AbstractSet
from dataclasses import dataclass

from glass_spoon.kernel.gauges.reading import Reading

Format = Callable[[float], str]


@dataclass(frozen=True)
class GaugeStyle:
    """How a gauge reads: its title, its format, what fills its bar, and the document limit that it is edited by."""

    title: str
    show: Format
    bar: Callable[[Reading], tuple[float, float | None]] | None = None
    limit_field: str = ""
    help: str = ""


def _count(value: float) -> str:
    return f"{value:,.0f}"


def _plain(value: float) -> str:
    return f"{value:.2f}"


def _angle(value: float) -> str:
    return f"{math.degrees(value):.0f}°"


def _length(value: float) -> str:
    return f"{value:.2f} mm" if value >= 0.01 or value < 5e-7 else f"{value:.2g} mm"


def _area(value: float) -> str:
    return f"{value / 100:,.1f} cm²"


def _volume(value: float) -> str:
    return f"{value / 1000:,.1f} cm³"


def _share(value: float) -> str:
    """Write a share in percent; never 100 % while anything is missing."""
    return "100 %" if value == 1 else f"{math.floor(value * 1000) / 10:g} %"


def _of_one(reading: Reading) -> tuple[float, float | None]:
    return reading.value, reading.limit if reading.limit != 1 else None


def _of_right_angle(reading: Reading) -> tuple[float, float | None]:
    return reading.value / (math.pi / 2), None if reading.limit is None else reading.limit / (math.pi / 2)


def _of_limit(reading: Reading) -> tuple[float, float | None]:
    return (0.0, None) if not reading.limit else (reading.value / reading.limit / 2, 0.5)


def _of_budget(reading: Reading) -> tuple[float, float | None]:
    return (0.0, None) if not reading.limit else (reading.value / reading.limit, None)


STYLES: dict[str, GaugeStyle] = {
    "four_sided": GaugeStyle("Four-sided", _share, _of_one, help="Share of faces with four sides."),
    "evenness": GaugeStyle("Evenness", _plain, _of_one, "evenness", "Geometric over arithmetic mean of the face areas."),
    "smallest_corner": GaugeStyle("Worst corner", _angle, _of_right_angle, "smallest_corner", "Smallest corner angle."),
    "off_surface": GaugeStyle("Off the surface", _length, _of_limit, "off_surface", "Largest distance from the surface."),
    "open_edges": GaugeStyle("Open edges", _count, help="Edges with one face only."),
    "small_gaps": GaugeStyle(
        "Small gaps", _count, help="Open edges that nearly meet: gaps much narrower than the edges along them."
    ),
    "folded": GaugeStyle("Folded faces", _count, help="Faces dented, folded over or inside out."),
    "crossings": GaugeStyle("Crossing faces", _count, help="Faces that run through others of the mesh."),
    "crossing_others": GaugeStyle("Crossing others", _count, help="Faces that run through the other meshes shown."),
    "loose": GaugeStyle("Stray or doubled", _count, help="Stray points, doubled points and doubled edges."),
    "face_budget": GaugeStyle("Budget", _count, _of_budget, "face_budget", "Faces at this level, and how many are allowed."),
    "edge_evenness": GaugeStyle("Edge evenness", _plain, help="Geometric over arithmetic mean of the edge lengths."),
    "largest_corner": GaugeStyle("Widest corner", _angle, help="Largest corner angle."),
    "scaled_jacobian": GaugeStyle("Scaled Jacobian", _plain, help="Least of all faces; 1 is a rectangle."),
    "aspect_ratio": GaugeStyle("Aspect ratio", _plain, help="Largest of all faces; 1 is a square."),
    "warpage": GaugeStyle("Warpage", _plain, help="Largest of all faces; 0 is flat."),
    "off_surface_mean": GaugeStyle("Off, on average", _length, help="Mean distance from the surface."),
    "doubled_edges": GaugeStyle("Doubled edges", _count, help="Edges that lie on another edge."),
    "doubled_points": GaugeStyle("Doubled points", _count, help="Points within the weld distance of another."),
    "stray_points": GaugeStyle("Stray points", _count, help="Points that no face uses."),
    "crowded_edges": GaugeStyle("Edges of 3+ faces", _count, help="Edges with three faces or more."),
    "odd_valences": GaugeStyle("Unusual points", _count, help="Inner points with fewer than 3 or more than 5 edges."),
    "kinks": GaugeStyle(
        "Kinks", _angle, _of_limit, "kink", "Largest angle between smoothed normals along an edge, off creases."
    ),
    "odd_on_bends": GaugeStyle("Odd faces on bends", _count, help="Triangles and many-sided faces on a bend."),
    "close_loops": GaugeStyle("Loops too close", _count, help="Strips too thin for six levels of smoothing to use."),
    "smoothed_off": GaugeStyle("Smoothed, off", _length, help="Largest distance of the smoothed shape from the surface."),
    "silhouette": GaugeStyle("Outline, off", _length, _of_limit, help="Largest distance of the drawn outline from it."),
    "symmetry_x": GaugeStyle("Left to right", _length, help="How far the mesh is from its mirror image, left to right."),
    "symmetry_y": GaugeStyle("Front to back", _length, help="How far the mesh is from its mirror image, front to back."),
    "shortest_edge": GaugeStyle("Shortest edge", _length),
    "longest_edge": GaugeStyle("Longest edge", _length),
    "area": GaugeStyle("Area", _area, help="Sum of the face areas."),
    "volume": GaugeStyle("Volume", _volume, help="Enclosed volume; only a closed mesh has one."),
}
FIRST = ("four_sided", "evenness", "smallest_corner", "off_surface", "kinks", "open_edges", "folded", "crossings", "loose")
MORE = (
    "largest_corner",
    "scaled_jacobian",
    "aspect_ratio",
    "warpage",
    "edge_evenness",
    "off_surface_mean",
    "doubled_points",
    "doubled_edges",
    "stray_points",
    "crowded_edges",
    "small_gaps",
    "crossing_others",
    "odd_valences",
    "odd_on_bends",
    "close_loops",
    "smoothed_off",
    "silhouette",
    "symmetry_x",
    "symmetry_y",
    "shortest_edge",
    "longest_edge",
    "area",
    "volume",
)
LOOSE = ("stray_points", "doubled_points", "doubled_edges")


@dataclass(frozen=True)
class GaugeRow:
    """A printed reading. bar and tick are percentages of the bar's width, None where there is no bar or tick."""

    code: str
    title: str
    text: str
    good: bool
    offenders: int
    bar: float | None = None
    tick: float | None = None
    limit_field: str = ""
    limit_text: str = ""
    help: str = ""


AWAITED = "…"
"""Stands for a reading that is still to come."""


def gauge_rows(readings: list[Reading], codes: tuple[str, ...], awaited: AbstractSet[str] = frozenset()) -> list[GaugeRow]:
    """Return the rows of the named gauges, in that order, for the readings that are there; `awaited`: and for those
    to come.
    """
    by_code = {reading.code: reading for reading in readings}
    if all(code in by_code for code in LOOSE):
        by_code["loose"] = _loose([by_code[code] for code in LOOSE])
    found = [code for code in codes if code in by_code or code in awaited]
    return [
        _row(by_code[code]) if code in by_code else GaugeRow(code, STYLES[code].title, AWAITED, good=True, offenders=0)
        for code in found
    ]


def _text(reading: Reading, style: GaugeStyle) -> str:
    """Print a value; the budget with what is spent of it."""
    if reading.code == "face_budget" and reading.limit is not None:
        return f"{reading.value:,.0f} of {reading.limit:,.0f}"
    return style.show(reading.value)


def _loose(parts: list[Reading]) -> Reading:
    """Sum the readings of what hangs loose; it points at the first kind that is there."""
    total = sum(part.value for part in parts)
    first = next((part for part in parts if part.value), parts[0])
    return Reading("loose", total, "", 0.0, kind=first.kind, offenders=first.offenders)


def _row(reading: Reading) -> GaugeRow:
    """Print one reading."""
    style = STYLES[reading.code]
    known = not math.isnan(reading.value)
    bar, tick = style.bar(reading) if style.bar and known else (None, None)
    return GaugeRow(
        reading.code,
        style.title,
        _text(reading, style) if known else "—",
        reading.is_good,
        len(reading.offenders),
        None if bar is None else round(100 * min(max(bar, 0.0), 1.0), 1),
        None if tick is None else round(100 * min(max(tick, 0.0), 1.0), 1),
        style.limit_field,
        style.show(reading.limit) if reading.limit is not None else "",
        style.help,
    )
