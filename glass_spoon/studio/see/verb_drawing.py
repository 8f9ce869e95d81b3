"""Small line drawings of what verbs do, as SVG: what their examples give, what they took it from, and what is new of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import groupby

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.kernel.trims.mesh_faces import mesh_faces
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import BodiesItem, CurveItem, CurvesItem, Item, MarkItem, MeshItem, as_mesh
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.see.scene import bare_shape
from glass_spoon.studio.see.thumbnail import LIGHT, SIDES, view_rows
from glass_spoon.studio.see.verb_examples import Example, verb_examples
from glass_spoon.studio.sentences import Refused

WIDTH, HEIGHT, EDGE = 160, 110, 6
"""The size of a drawing in its own units, and what stays free along its edges."""

SHADES = 6
"""Steps between the lit and the shaded side."""

NEW, KEPT, MARKED = ("#f0f7f4", "#4f928b"), ("#fbfaf5", "#c2bdae"), ("#f6dcec", "#a24d87")
"""The lit and the shaded side of what a verb makes, what stays as it was, and what is marked (of the tokens of the page)."""

INK, QUIET, PLUM = "#1e6b66", "#8a938f", "#86306a"
"""Lines of what a verb makes, of what it takes, and of what is marked."""

RUN = 9
"""Faces of a surface over its whole size."""

FLAT = 1e-6
"""Curves lie in a plane where they are nearer to it than this share of their size."""

MOVED = 1e-6
"""A face is another where its middle lies farther from the old ones than this share of the size."""

HOSTS = ("host", "body")
"""Fields of what a line only stands on or follows, which stays as it is."""


@dataclass(frozen=True, eq=False)
class _Faces:
    """Faces to draw: corners (f, 4, 3) in mm, and how each is coloured (f,), by its number in WAYS.

    edges: whether their edges are drawn too. closed: those that look away are hidden behind others.
    """

    corners: Floats
    way: Ints
    edges: bool
    closed: bool


@dataclass(frozen=True, eq=False)
class _Lines:
    """Lines to draw over the faces: places (n, 3) in mm of each, a colour and a width."""

    places: list[Floats]
    color: str
    width: float


WAYS = (KEPT, NEW, MARKED)


def verb_drawing(verb: str) -> str:
    """Return an SVG of what the example of a verb gives; Refused where there is none."""
    example = verb_examples().get(verb)
    if example is None or not example.item:
        raise Refused("There is no drawing of this verb.", 404)
    things = list(_things(example))
    if not things:
        raise Refused("There is no drawing of this verb.", 404)
    return _svg(things)


def _things(example: Example) -> Iterator[_Faces | _Lines]:
    """Yield what a drawing shows: what the line took, then what it made."""
    document, number = example.document, [line.id for line in example.document.lines].index(example.line)
    line = document.lines[number]
    after = finished_build(document, example.line)
    before = finished_build(document, document.lines[number - 1].id) if number else None
    item = after.items[example.item].item
    own = before.items.get(example.item) if before is not None else None
    taken = [] if before is None else [one for one in dict.fromkeys(line.references().values()) if one != example.item]
    fields = {other: name.partition(".")[0] for name, other in line.references().items()}
    for other in taken:
        state = before.items.get(other) if before is not None else None
        if state is not None:
            stood_on = fields[other] in HOSTS or (fields[other] == "mesh" and "item" in fields.values())
            stays = isinstance(item, CurveItem | CurvesItem) or stood_on
            yield from _taken(state.item, stays=stays)
    yield from _made(item, after, example, own.item if own is not None else None)


def _taken(item: Item, *, stays: bool) -> Iterator[_Faces | _Lines]:
    """Yield an item that a line took: curves as they are; what has faces as it is where it stays, else its outline."""
    if isinstance(item, CurveItem | CurvesItem):
        yield _Lines(_curves(item), QUIET, 1.1)
        return
    mesh = _mesh_of(item)
    if mesh is not None and stays:
        is_mesh = isinstance(item, MeshItem | BodiesItem)
        yield _Faces(_corners(mesh), np.zeros(mesh.face_count, dtype=np.int64), is_mesh, _is_closed(mesh))
    elif mesh is not None:
        yield _Lines(_outlines(mesh), QUIET, 0.9)


def _made(item: Item, after: Build, example: Example, before: Item | None) -> Iterator[_Faces | _Lines]:
    """Yield what a line made."""
    if isinstance(item, CurveItem | CurvesItem):
        if isinstance(before, CurveItem | CurvesItem):
            yield _Lines(_curves(before), QUIET, 1.1)
        yield _Lines(_curves(item), INK, 1.9)
        return
    if isinstance(item, MarkItem):
        yield from _marked(item, after)
        return
    mesh = _mesh_of(item)
    if mesh is None:
        return
    old = _mesh_of(before) if isinstance(before, MeshItem) else None
    new = _new_faces(item, mesh, example.line, old)
    is_mesh = isinstance(item, MeshItem | BodiesItem)
    yield _Faces(_corners(mesh), np.where(new, 1, 0), is_mesh, _is_closed(mesh))
    if old is not None and new.all() and mesh.topology.key == old.topology.key:
        yield _Lines(_outlines(old), QUIET, 0.9)


def _new_faces(item: Item, mesh: Mesh, line: str, before: Mesh | None) -> Bools:
    """Mark the faces (f,) that a line made, else those that it moved; all of a new item."""
    if before is None or not isinstance(item, MeshItem):
        return np.ones(mesh.face_count, dtype=bool)
    makers = [number for number, maker in enumerate(item.makers, 1) if maker.line == line]
    made = np.isin(mesh.faces.get("maker", np.zeros(mesh.face_count)), makers)
    if made.any():
        return np.asarray(made)
    # As faces that stand where there were some are the old ones, whatever numbers they have now.
    near = MOVED * float(np.ptp(mesh.positions, axis=0).max())
    found = np.asarray(scipy.spatial.cKDTree(before.face_centers).query(mesh.face_centers)[0]) > near
    return found if found.any() else np.zeros(mesh.face_count, dtype=bool)


def _marked(item: MarkItem, after: Build) -> Iterator[_Faces | _Lines]:
    """Yield a mesh with what is marked of it."""
    state = after.items.get(item.mesh_id)
    mesh = _mesh_of(state.item) if state is not None else None
    if mesh is None:
        return
    mark, way = item.mark, np.zeros(mesh.face_count, dtype=np.int64)
    if mark.kind == "face":
        way[mark.indices] = 2
    yield _Faces(_corners(mesh), way, edges=True, closed=_is_closed(mesh))
    if mark.kind == "edge":
        yield _Lines(list(mesh.positions[mesh.topology.edges.ends[mark.indices]]), PLUM, 2.2)


def _mesh_of(item: Item | None) -> Mesh | None:
    """Return a mesh that shows an item, None for what has none."""
    if item is None or isinstance(item, CurveItem | CurvesItem | MarkItem):
        return None
    shape = bare_shape(item)
    if shape is not None:
        return _coarse(shape)
    drawn = as_mesh(item)
    return None if drawn is None else drawn.mesh


def _coarse(shape: NurbsSurface | SurfaceSet | FaceSet) -> Mesh:
    """Return a mesh of few faces that shows surfaces."""
    if isinstance(shape, FaceSet):
        return mesh_faces(shape, shape.size / RUN)
    every = shape if isinstance(shape, SurfaceSet) else SurfaceSet((shape,))
    return mesh_set(every, Wish((shape.size / RUN, shape.size / RUN)), poles="fan")


def _curves(item: CurveItem | CurvesItem) -> list[Floats]:
    """Return places (n, 3) along each curve of an item."""
    return [_along(curve) for curve in ([item.curve] if isinstance(item, CurveItem) else item.curves)]


def _along(curve: NurbsCurve) -> Floats:
    straight = len(curve.control_points) == 2
    return curve_points(curve, np.array(curve.domain) if straight else span_params(curve, max(6, 64 // len(curve.breaks))))


def _corners(mesh: Mesh) -> Floats:
    """Return the corners (f, 4, 3) of faces, the first and the last of each of more sides, and triangles' last twice."""
    topology = mesh.topology
    if topology.is_quads:
        return np.asarray(mesh.positions[topology.face_corners.reshape(-1, 4)])
    starts, sides = topology.face_offsets[:-1].astype(np.int64), topology.face_sides.astype(np.int64)
    at = starts[:, None] + np.minimum(np.arange(int(sides.max()))[None], sides[:, None] - 1)
    return np.asarray(mesh.positions[topology.face_corners[at]])


def _is_closed(mesh: Mesh) -> bool:
    """Say whether a mesh has no rim."""
    return not len(mesh.topology.boundary_edges)


def _outlines(mesh: Mesh) -> list[Floats]:
    """Return the edges (2, 3) of a mesh that are its outline from the usual side: rims, sharp edges that are not hidden
    behind it, and those between what looks here and what looks away.
    """
    topology, towards = mesh.topology, mesh.face_normals @ view_rows("")[2]
    pair = topology.edge_faces
    inner = pair[:, 1] >= 0
    first, second = towards[pair[:, 0]], towards[np.where(inner, pair[:, 1], pair[:, 0])]
    turn = np.einsum("ei,ei->e", mesh.face_normals[pair[:, 0]], mesh.face_normals[np.where(inner, pair[:, 1], pair[:, 0])])
    sharp = (turn < np.cos(np.radians(40))) & ((first > 0) | (second > 0))
    return list(mesh.positions[topology.edges.ends[~inner | sharp | ((first > 0) != (second > 0))]])


def _svg(things: list[_Faces | _Lines]) -> str:
    """Return the drawing."""
    faces = [thing for thing in things if isinstance(thing, _Faces)]
    lines = [thing for thing in things if isinstance(thing, _Lines)]
    every = np.concatenate(
        [part.corners.reshape(-1, 3) for part in faces] + [place for line in lines for place in line.places]
    )
    rows = view_rows("") if faces else _facing(every)
    seen = every @ rows[:2].T
    low, high = seen.min(axis=0), seen.max(axis=0)
    zoom = min(
        (WIDTH - 2 * EDGE) / max(float(high[0] - low[0]), 1e-9), (HEIGHT - 2 * EDGE) / max(float(high[1] - low[1]), 1e-9)
    )
    middle = (low + high) / 2

    def flat(places: Floats) -> Ints:
        own = (places @ rows[:2].T - middle) * zoom
        return np.rint(np.stack((WIDTH / 2 + own[..., 0], HEIGHT / 2 - own[..., 1]), axis=-1)).astype(np.int64)

    body = _painted(faces, rows, flat)
    body += "".join(_stroked(line, [flat(places) for places in line.places]) for line in lines)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" width="{WIDTH}" height="{HEIGHT}" '
        f'stroke-linejoin="round" stroke-linecap="round">{body}</svg>'
    )


def _facing(places: Floats) -> Floats:
    """Return the rows right, up and towards the eye (3, 3) from which curves are best seen: square to a plane of theirs."""
    spread = np.ptp(places, axis=0)
    for view, axis in (("front", 1), ("side", 0), ("plan", 2)):
        if spread[axis] <= FLAT * max(float(spread.max()), 1e-9):
            return SIDES[view]
    return view_rows("")


def _painted(parts: list[_Faces], rows: Floats, flat: Callable[[Floats], Ints]) -> str:
    """Return faces, those farther away first."""
    if not parts:
        return ""
    corners, way, edges = (
        np.concatenate(values)
        for values in zip(*((part.corners, part.way, np.full(len(part.way), part.edges)) for part in parts), strict=True)
    )
    normal = np.cross(corners[:, 2] - corners[:, 0], corners[:, -1] - corners[:, 1])
    turned = directions(normal) @ rows.T
    hidden = np.concatenate([np.full(len(part.way), part.closed) for part in parts]) & (turned[:, 2] <= 0)
    turned[turned[:, 2] < 0] *= -1  # the back of a sheet is lit like its front
    shade = np.clip(np.rint((0.5 - 0.5 * turned @ LIGHT) * 2 * (SHADES - 1)), 0, SHADES - 1).astype(np.int64)
    order = np.argsort((corners @ rows[2]).mean(axis=1), kind="stable")
    at, found = flat(corners), []
    for (kind, step, drawn), run in groupby(
        order[~hidden[order]].tolist(), key=lambda face: (way[face], shade[face], edges[face])
    ):
        fill = _mixed(*WAYS[kind], step / (SHADES - 1))
        edge = _mixed(*WAYS[kind], min(1.0, step / (SHADES - 1) + 0.45)) if drawn else fill
        paths = "".join(_path(at[face], closed=True) for face in run)
        found.append(f'<path fill="{fill}" stroke="{edge}" stroke-width=".6" d="{paths}"/>')
    return "".join(found)


def _stroked(lines: _Lines, flat: list[Ints]) -> str:
    paths = "".join(_path(places, closed=False) for places in flat)
    return f'<path fill="none" stroke="{lines.color}" stroke-width="{lines.width:g}" d="{paths}"/>'


def _path(places: Ints, *, closed: bool) -> str:
    """Return a path by steps, places that fall together once."""
    steps = np.diff(places, axis=0)
    steps = steps[steps.any(axis=1)]
    start = f"M{places[0, 0]} {places[0, 1]}"
    if not len(steps):
        return "" if closed else start + "h0"
    return start + "l" + " ".join(f"{x} {y}" for x, y in steps.tolist()) + ("z" if closed else "")


def _mixed(first: str, second: str, share: float) -> str:
    """Return a colour between two."""
    pairs = [(int(first[at : at + 2], 16), int(second[at : at + 2], 16)) for at in (1, 3, 5)]
    return "#" + "".join(f"{round(a + share * (b - a)):02x}" for a, b in pairs)
