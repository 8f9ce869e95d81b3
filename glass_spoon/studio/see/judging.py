"""What surfaces are judged by on the board: colours by bend or draft, isocurves, nets, arrows, combs, shared edges."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.gauges.corner_geometry import CornerGeometry
from glass_spoon.kernel.gauges.deviation import face_deviations, off_other
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import (
    evaluate_grid,
    grid_points,
    surface_curvature,
    surface_derivatives,
)
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.edge_report import EdgeLimits, EdgeReading, read_edges
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build
from glass_spoon.studio.see.mending import Mend, mend_for, single_sources
from glass_spoon.studio.see.paint import source_of
from glass_spoon.studio.see.scene import Shown, drawn_as, smoothed
from glass_spoon.studio.see.view_choice import TOWARDS, ViewChoice

INSIDE = 1e-4
"""Share of the domain by which bends are read inside its edges, where poles have none."""

MOST_PLACES = 60_000
"""Most places of all lines drawn on surfaces together."""

LINE_PLACES = 33
"""Places along one isocurve."""

ARROW_SHARE, COMB_SHARE = 0.12, 0.25
"""Lengths of an arrow and of the longest tooth over the size of the surface."""

SPREAD = 90.0
"""Percentile of the values at which colours are full: single places, as at a point, do not wash out the rest."""

EDGE_REACH = 0.1
"""Distance in mm up to which two edges count as meant to meet."""

MESH_JUDGEMENTS = ("deviation", "corners", "valence")
"""What is read off the mesh itself."""

EDGE_LIMITS = EdgeLimits()
VERDICTS = ("apart", "G0", "G1", "G2")


def judged_values(shown: list[Shown], view: ViewChoice, build: Build | None = None) -> dict[str, Floats]:
    """Return what colours each mesh, by item: values (n,) at its vertices; meshes without a surface behind are left out.

    build: where meshes are looked up as they were before.
    """
    found: dict[str, Floats] = {}
    for item in shown:
        if view.judge == "change":
            values = _changed(item, view.level, build)
        elif view.judge in MESH_JUDGEMENTS:
            values = mesh_values(item, view.judge)
        else:
            values = _draft(item.mesh, view) if view.judge == "draft" else _bends(item, view.judge)
        if values is not None:
            found[item.item_id] = values
    return found


def mesh_values(item: Shown, judge: str) -> Floats | None:
    """Return for each vertex (n,) of a mesh how its faces and edges are; None for a bare surface.

    "deviation": mm off the surface at most. "corners": degrees off a right angle at most. "valence": edges more than usual.
    """
    mesh, topology = item.mesh, item.mesh.topology
    if item.is_surface or not mesh.face_count:
        return None
    if judge == "valence":
        usual = np.where(topology.on_boundary, 3, 4)
        return np.where(topology.valences > 0, topology.valences - usual, 0).astype(np.float64)
    values = np.zeros(mesh.point_count)
    if judge == "corners":
        off = np.degrees(np.abs(CornerGeometry(mesh).angles - np.pi / 2))
        np.maximum.at(values, topology.face_corners, np.minimum(off, 90.0))
        return values
    if item.surface is None:
        return None
    faces, distance = face_deviations(mesh, item.surface)
    of_face = np.interp(np.arange(mesh.face_count), faces, distance) if len(faces) < mesh.face_count else distance
    np.maximum.at(values, topology.face_corners, of_face[topology.face_of_corner])
    return values


def _changed(item: Shown, level: int, build: Build | None) -> Floats | None:
    """Return how far (n,) in mm a mesh lies from what it was before its last line, both at a smoothing level."""
    state = build.was(item.item_id) if build is not None else None
    before, _ = drawn_as(state.item) if state is not None else (None, None)
    if item.is_surface or state is None or before is None:
        return None
    return off_other(item.mesh, smoothed(state.key, before, level))


def colour_range(values: dict[str, Floats], judge: str) -> tuple[float, float]:
    """Return the values at which colours are full: the same to both sides of zero, except for the largest bend."""
    if judge == "draft":
        return -90.0, 90.0
    if judge == "corners":
        return 0.0, 90.0
    if judge == "valence":
        return -2.0, 2.0
    every = np.concatenate(list(values.values())) if values else np.zeros(1)
    most = float(np.percentile(np.abs(every[np.isfinite(every)]), SPREAD)) if np.isfinite(every).any() else 0.0
    most = max(most, 1e-9)
    return (0.0 if judge in ("largest", "deviation", "change") else -most), most


def _draft(mesh: Mesh, view: ViewChoice) -> Floats:
    """Return by how many degrees each vertex leans towards the direction: 0 for a wall along it, below 0 for an undercut."""
    normals = mesh.points.get("normal", mesh.vertex_normals)
    return np.asarray(np.degrees(np.arcsin(np.clip(normals @ np.array(TOWARDS[view.towards]), -1, 1))))


def _bends(item: Shown, judge: str) -> Floats | None:
    """Return the bend at each vertex of a mesh, read on its surface: 1/mm, Gaussian 1/mm^2; bulging counts above 0."""
    mesh, surface = item.mesh, item.surface
    if surface is None or "uv" not in mesh.corners:
        return None
    corner = np.zeros(mesh.point_count, dtype=np.int64)
    corner[mesh.topology.face_corners[::-1]] = np.arange(len(mesh.topology.face_corners))[::-1]
    uv = np.clip(mesh.corners["uv"][corner] % 1.0 if isinstance(surface, NurbsSurface) else mesh.corners["uv"][corner], 0, 1)
    if isinstance(surface, NurbsSurface):
        return _bend_at(surface, uv, judge)
    if "piece" not in mesh.faces:
        return None
    owners = mesh.faces["piece"][mesh.topology.face_of_corner[corner]].astype(int)
    values = np.zeros(mesh.point_count)
    for piece in np.unique(owners[owners < len(surface.surfaces)]):
        own = owners == piece
        values[own] = _bend_at(surface.surfaces[piece], uv[own], judge)
    return values


def _bend_at(surface: NurbsSurface, uv: Floats, judge: str) -> Floats:
    """Return the bend at shares uv (n, 2) of the domain."""
    params = []
    for axis in (0, 1):
        low, high = surface.domain(axis)
        params.append(low + np.clip(uv[:, axis], INSIDE, 1 - INSIDE) * (high - low))
    gaussian, mean = surface_curvature(surface, params[0], params[1])
    if judge == "gaussian":
        values = gaussian
    elif judge == "mean":
        values = -mean
    else:
        values = np.abs(mean) + np.sqrt(np.maximum(mean**2 - gaussian, 0.0))
    return np.where(np.isfinite(values), values, 0.0)


def surface_lines(shown: list[Shown], view: ViewChoice) -> dict[str, list[list[float]]]:
    """Return the lines drawn on surfaces, by kind; each is a list of coordinates x, y, z, x, y, z in mm."""
    surfaces = list(_surfaces(shown))
    kinds: dict[str, list[Floats]] = {}
    if view.isocurves:
        kinds["isocurves"] = [line for surface in surfaces for line in _isocurves(surface, view.isocurves)]
    if view.net:
        kinds["net"] = [line for surface in surfaces for line in _net(surface)]
    if view.arrows:
        kinds["arrows"] = [line for surface in surfaces for line in _arrows(surface)]
    if view.combs:
        count = max(3, view.isocurves)
        kinds["combs"] = [line for surface in surfaces for line in _combs(surface, count)]
    return {kind: _thinned(lines) for kind, lines in kinds.items()}


def _surfaces(shown: list[Shown]) -> Iterator[NurbsSurface]:
    """Yield every surface that is shown, by itself or by a mesh, once."""
    seen: set[int] = set()
    for item in shown:
        own = item.surface.surfaces if isinstance(item.surface, SurfaceSet) else [item.surface] if item.surface else []
        for surface in own:
            if id(surface) not in seen:
                seen.add(id(surface))
                yield surface


def _thinned(lines: list[Floats]) -> list[list[float]]:
    """Return as many of the lines as may be shown, evenly picked, as plain numbers."""
    total = sum(len(line) for line in lines)
    step = max(1, -(-total // MOST_PLACES))
    return [np.round(line, 3).ravel().tolist() for line in lines[::step]]


def _isocurves(surface: NurbsSurface, count: int) -> Iterator[Floats]:
    """Yield isocurves at even shares both ways, the edges included."""
    shares = [np.linspace(*surface.domain(axis), max(count, 2)) for axis in (0, 1)]
    dense = [np.linspace(*surface.domain(axis), LINE_PLACES) for axis in (0, 1)]
    yield from grid_points(surface, dense[0], shares[1]).transpose(1, 0, 2)
    yield from grid_points(surface, shares[0], dense[1])


def _net(surface: NurbsSurface) -> Iterator[Floats]:
    """Yield the rows and the columns of the control net."""
    yield from surface.control_points
    yield from surface.control_points.transpose(1, 0, 2)


def _arrows(surface: NurbsSurface) -> Iterator[Floats]:
    """Yield arrows at the middle: round (one barb), along (two barbs), and outwards."""
    middle = [np.array([sum(surface.domain(axis)) / 2]) for axis in (0, 1)]
    grid = evaluate_grid(surface, middle[0], middle[1])
    place, size = grid.points[0, 0], ARROW_SHARE * surface.size
    normal = grid.normals[0, 0]
    for way, barbs in ((grid.along_u[0, 0], 1), (grid.along_v[0, 0], 2), (normal, 3)):
        along = directions(way)
        side = directions(np.cross(normal if barbs < 3 else directions(grid.along_u[0, 0]), along))
        tip = place + size * along
        yield np.array([place, tip])
        for barb in range(min(barbs, 2)):
            root = tip - barb * 0.12 * size * along
            yield np.array([root - size * (0.22 * along + 0.1 * side), root, root - size * (0.22 * along - 0.1 * side)])


def _combs(surface: NurbsSurface, count: int) -> Iterator[Floats]:
    """Yield the combs of isocurves both ways: teeth as long as the isocurve bends, and the line along their tips."""
    found = []
    for axis in (0, 1):
        for share in np.linspace(*surface.domain(1 - axis), count):
            low, high = surface.domain(axis)
            along = np.linspace(low + INSIDE * (high - low), high - INSIDE * (high - low), LINE_PLACES)
            beside = np.full(len(along), np.clip(share, *_inner(surface, 1 - axis)))
            u, v = (along, beside) if axis == 0 else (beside, along)
            values = surface_derivatives(surface, u, v, 2)
            first, second = (values[(k, 0) if axis == 0 else (0, k)] for k in (1, 2))
            speed = np.maximum(lengths(first), 1e-12)[:, None]
            tangent = first / speed
            bend = (second - (second * tangent).sum(axis=1, keepdims=True) * tangent) / speed**2
            found.append((values[0, 0], -bend))
    longest = max((float(lengths(bend).max()) for _, bend in found), default=0.0)
    scale = COMB_SHARE * surface.size / longest if longest > 1e-12 else 0.0
    for places, bend in found:
        tips = places + scale * bend
        yield tips
        yield from np.stack((places, tips), axis=1)


def _inner(surface: NurbsSurface, axis: int) -> tuple[float, float]:
    low, high = surface.domain(axis)
    return low + INSIDE * (high - low), high - INSIDE * (high - low)


def edge_readings(shown: list[Shown], tolerance: float) -> tuple[SurfaceSet, list[EdgeReading]]:
    """Return all surfaces shown as one set, and the readings of the edges that they share within `tolerance` mm."""
    shape = SurfaceSet(tuple(_surfaces(shown)), tolerance)
    return shape, read_edges(shape) if shape.surfaces else []


@dataclass(frozen=True)
class EdgeRow:
    """A shared edge in the report, as it is printed. look: it does not meet as an edge meant to meet should."""

    between: str
    length: str
    gap: str
    angle: str
    jump: str
    verdict: str
    words: str
    look: bool
    mend: Mend | None


def edge_rows(shown: list[Shown], document: SheetDocument, build: Build) -> tuple[list[EdgeRow], int]:
    """Return the report on shared edges, the worst first, and how many edges meet no other."""
    shape, readings = edge_readings(shown, EDGE_REACH)
    surfaces = _named_surfaces(shown, document, build)
    names, items = [name for name, _ in surfaces], [item for _, item in surfaces]
    rows = []
    for reading in sorted(readings, key=lambda one: (VERDICTS.index(one.verdict(EDGE_LIMITS)), -one.largest_angle)):
        pieces = [names[name.piece] for name in (reading.edge.first, reading.edge.second)]
        verdict = reading.verdict(EDGE_LIMITS)
        words = verdict_words(reading) + ("" if reading.facing else "; they face opposite ways")
        meeting = {"G2": "", "G1": "with its curvature"}.get(verdict, "smoothly")
        first, second = (items[name.piece] for name in (reading.edge.first, reading.edge.second))
        rows.append(
            EdgeRow(
                f"{pieces[0]}, its own seam" if pieces[0] == pieces[1] else " · ".join(pieces),
                f"{shape.edges.lengths[shape.edges.number[reading.edge.first]]:,.1f} mm",
                f"{tidy(reading.largest_gap)} mm",
                f"{tidy(float(np.degrees(reading.largest_angle)))}°",
                f"{tidy(reading.largest_jump)} /mm",
                verdict,
                words,
                verdict == "apart" or not reading.facing,
                mend_for(build, first, second, meeting, shape.edges.places[shape.edges.number[reading.edge.first]])
                if meeting
                else None,
            )
        )
    return rows, len(shape.lone_edges) if shape.surfaces else 0


def tidy(value: float) -> str:
    """Write a small quantity with two digits that count; what is only rounding is 0."""
    return "0" if abs(value) < 1e-6 else f"{value:.2g}" if abs(value) >= 1e-4 else f"{value:.6f}".rstrip("0")


def _named_surfaces(shown: list[Shown], document: SheetDocument, build: Build) -> list[tuple[str, str]]:
    """Return a name for every surface that is shown, in the order of `_surfaces`, those of a set numbered; and the item that
    is this one surface, "" for none.
    """
    found: list[tuple[str, str]] = []
    seen: set[int] = set()
    for item in shown:
        own = item.surface.surfaces if isinstance(item.surface, SurfaceSet) else [item.surface] if item.surface else []
        sources = single_sources(item, document, build)
        for number, surface in enumerate(own, 1):
            if id(surface) not in seen:
                seen.add(id(surface))
                name = document.item_name(source_of(document, item.item_id) or item.item_id)
                source = sources[number - 1] if len(sources) == len(own) else ""
                found.append((f"{name} {number}" if len(own) > 1 else name, source))
    return found


def edge_lines(readings: list[EdgeReading]) -> list[dict[str, Any]]:
    """Return shared edges as the board draws them: their places, how well the sides meet, and that in words."""
    return [
        {
            "places": np.round(reading.places, 3).ravel().tolist(),
            "verdict": reading.verdict(EDGE_LIMITS),
            "text": edge_text(reading),
        }
        for reading in readings
    ]


def edge_text(reading: EdgeReading) -> str:
    """Say how well the sides of an edge meet."""
    angle = tidy(float(np.degrees(reading.largest_angle)))
    gap, jump = tidy(reading.largest_gap), tidy(reading.largest_jump)
    return f"{verdict_words(reading)}: gap {gap} mm, angle {angle}°, bend jumps by {jump} /mm"


def verdict_words(reading: EdgeReading) -> str:
    """Return the verdict in trade words."""
    verdict = reading.verdict(EDGE_LIMITS)
    return {"apart": "apart", "G0": "G0, a sharp edge", "G1": "G1, smooth", "G2": "G2, bends evenly"}[verdict]
