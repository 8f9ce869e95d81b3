"""Regions of several pieces that are meshed as one, where the grids of their pieces would come out slanted or uneven.

+---------+     the pieces of a region (a patch with holes, say) leave the set; along each edge of its rim stands a
|  _   _  |     skirt in their place, square to the region: it takes the counts that neighbours ask for, gives the
| (_) (_) |     vertices of the rim, and has no faces itself
+---------+
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshing.divide_length import KINK_ANGLE
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import SurfaceGrid, evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.polygons import signed_area
from glass_spoon.kernel.surfaces.sets.regions import inner_edges, rim_edges
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName, End, SharedEdge, SurfaceSet, edge_loops, plane_axes

SLANTED = float(np.radians(35))
"""Corners of a grid that are nearer than this to being straight or shut make it a slanted one."""

SHARE = 0.85
"""Share of the sharpest corner of the rim that they may be in any case."""

UNEVEN = 3.0
"""A grid round holes is uneven where lines with one count are so many times as long as others of them."""

LEANS = float(np.cos(np.radians(85)))
"""Least cosine between the way in which a region is seen on the flat and its normals."""

FLAT = 1e-7
"""Share of its size within which a region lies in a plane."""

RISES = 1.6
"""Most that a region's area is to what is seen of it: steeper ones would get long faces."""

ENDS: tuple[End, End] = (0, -1)

PLACES = 9
"""Places along either way of a piece by which it is judged."""

SKIRT = 0.731
"""Height of a skirt as a share of the shortest edge of the rim."""

AIMLESS = 0.02
"""Share of a rim's length below which no way in which it runs counts."""

NEAR = 0.02
"""Share by which the area of the pieces may differ from what their rim surrounds, by places along it."""


@dataclass(frozen=True, eq=False)
class WholeRegion:
    """A region that is meshed as one.

    members: the numbers of its pieces in the set from which they were taken. axes: two of the plane in which it is seen, and
    the normal, (3, 3). edges: those of the rim, of its pieces; skirts: the numbers of the skirts that stand along them, in
    the set without it. area: in mm² as it is seen.
    """

    members: tuple[int, ...]
    axes: Floats
    edges: tuple[EdgeName, ...]
    area: float
    skirts: tuple[int, ...] = ()

    @property
    def rim(self) -> list[EdgeName]:
        """The edges of its skirts that lie on its rim."""
        return [EdgeName(skirt, edge.axis, 0) for skirt, edge in zip(self.skirts, self.edges, strict=True)]


def whole_regions(shape: SurfaceSet, regions: list[list[int]]) -> list[WholeRegion]:
    """Return those of some regions (the numbers of their pieces) that are better meshed as one: with slanted or uneven
    grids, smooth inside, and nowhere twice as they are seen along their mean normal.
    """
    several = [members for members in regions if len(members) > 1]
    pieces = [piece for members in several for piece in members]
    grids = dict(zip(pieces, _looked_over([shape.surfaces[piece] for piece in pieces]), strict=True))
    found = [_judged(shape, members, {piece: grids[piece] for piece in members}) for members in several]
    return [region for region in found if region is not None]


def skirts_of(shape: SurfaceSet, region: WholeRegion) -> list[NurbsSurface]:
    """Return a skirt along each edge of the rim of a region, its start (the first of the axis across) on the rim."""
    height = SKIRT * min(float(shape.edges.lengths[shape.edges.number[edge]]) for edge in region.edges)
    return [_skirt(shape.surfaces[edge.piece], edge, height * region.axes[2]) for edge in region.edges]


def _skirt(surface: NurbsSurface, edge: EdgeName, up: Floats) -> NurbsSurface:
    """Return the surface that an edge sweeps along a way (3,)."""
    across = 1 - edge.axis
    net, weights = (np.take(part, [edge.end] * 2, axis=across) for part in (surface.control_points, surface.weights))
    raised = np.moveaxis(net.copy(), across, 0)
    raised[1] += up
    knots, degrees = list(surface.knots), list(surface.degrees)
    knots[across], degrees[across] = np.array([0.0, 0.0, 1.0, 1.0]), 1
    return NurbsSurface(
        (degrees[0], degrees[1]), (knots[0], knots[1]), np.moveaxis(raised, 0, across), np.ascontiguousarray(weights)
    )


def _judged(shape: SurfaceSet, members: list[int], grids: dict[int, SurfaceGrid]) -> WholeRegion | None:
    """Return a region that is to be meshed as one, None for one that has good grids or cannot be."""
    inner, edges = inner_edges(shape, members), rim_edges(shape, members)
    if any(shape.edges.is_pole[4 * piece : 4 * piece + 4].any() for piece in members):
        return None
    if not _is_slanted(grids, set(edges)) and (len(edge_loops(shape, edges)) < 2 or not _is_uneven(shape, members, inner)):
        return None  # without holes uneven ones taper as the region does
    if any(_is_sharp(grids, pair) for pair in inner):
        return None
    spans = np.concatenate([cross(grid.along_u, grid.along_v).reshape(-1, 3) for grid in grids.values()])
    normal = directions(spans.sum(axis=0)[None])[0]
    places = np.concatenate([grid.points.reshape(-1, 3) for grid in grids.values()])
    normals = np.concatenate([grid.normals.reshape(-1, 3) for grid in grids.values()])
    rises = float(np.ptp(places @ normal)) > FLAT * float(np.ptp(places, axis=0).max())
    # There are none where edges run straight on; what is flat may turn over in such a corner.
    if rises and (normals[lengths(normals) > 0] @ normal).min() < LEANS:
        return None
    axes = np.vstack((plane_axes(normal), normal))
    axes[:2] = turned_along([shape.edges.places[shape.edges.number[name]] for name in edges], axes[:2])
    area = _area_within(shape, edges, axes[:2])
    covered = sum(_area(grid.points @ axes[:2].T) for grid in grids.values())
    if area is None or abs(covered - area) > NEAR * area:
        return None
    if sum(_area(grid.points) for grid in grids.values()) > RISES * area:
        return None
    return WholeRegion(tuple(members), axes, tuple(edges), area)


def _looked_over(surfaces: list[NurbsSurface]) -> list[SurfaceGrid]:
    """Return a grid of places on each surface; those with the same knots and without weights are looked over together."""
    groups: dict[object, list[int]] = {}
    for number, surface in enumerate(surfaces):
        alike = number if surface.is_rational else tuple(knots.tobytes() for knots in surface.knots)
        groups.setdefault((surface.degrees, alike), []).append(number)
    found: dict[int, SurfaceGrid] = {}
    for numbers in groups.values():
        first = surfaces[numbers[0]]
        params = [np.linspace(*first.domain(axis), PLACES) for axis in (0, 1)]
        if first.is_rational:
            found[numbers[0]] = evaluate_grid(first, *params)
            continue
        nets = np.array([surfaces[number].control_points for number in numbers])
        (u, by_u), (v, by_v) = (
            [basis_matrix(first.knots[axis], first.degrees[axis], params[axis], order) for order in (0, 1)]
            for axis in (0, 1)
        )
        points, along_u, along_v = (
            np.einsum("xi,yj,kijc->kxyc", a, b, nets, optimize=True) for a, b in ((u, v), (by_u, v), (u, by_v))
        )
        normals = directions(cross(along_u, along_v))
        found |= {number: SurfaceGrid(points[k], along_u[k], along_v[k], normals[k]) for k, number in enumerate(numbers)}
    return [found[number] for number in range(len(surfaces))]


def _is_slanted(grids: dict[int, SurfaceGrid], rim: set[EdgeName]) -> bool:
    """Say whether lines along u and v cross at too small an angle anywhere, smaller than the corners of the rim itself."""
    worst, own = 0.0, 0.0
    for piece, grid in grids.items():
        cosines = (directions(grid.along_u) * directions(grid.along_v)).sum(axis=2)
        worst = max(worst, float(np.abs(cosines).max()))
        for i, j in product(ENDS, repeat=2):
            if EdgeName(piece, 0, j) in rim and EdgeName(piece, 1, i) in rim:
                own = max(own, float(cosines[i, j]) * (1 if i == j else -1))
    return worst > np.cos(min(SLANTED, SHARE * np.arccos(min(own, 1.0))))


def _is_uneven(shape: SurfaceSet, members: list[int], inner: list[SharedEdge]) -> bool:
    """Say whether lines that take one count are too different in length."""
    place = {piece: k for k, piece in enumerate(members)}
    rows = [2 * place[pair.first.piece] + pair.first.axis for pair in inner]
    columns = [2 * place[pair.second.piece] + pair.second.axis for pair in inner]
    chains = joined_groups(rows, columns, 2 * len(members)).reshape(-1, 2)
    least, most = np.full(chains.max() + 1, np.inf), np.zeros(chains.max() + 1)
    for piece, own in zip(members, chains, strict=True):
        for axis in (0, 1):
            sizes = [float(shape.edges.lengths[shape.edges.number[EdgeName(piece, axis, end)]]) for end in ENDS]
            least[own[axis]] = min(least[own[axis]], *sizes)
            most[own[axis]] = max(most[own[axis]], *sizes)
    return bool((most > UNEVEN * least).any())


def _is_sharp(grids: dict[int, SurfaceGrid], pair: SharedEdge) -> bool:
    """Say whether two pieces meet in a crease."""
    rows = [
        directions(cross(*(np.take(part, name.end, axis=1 - name.axis) for part in (grid.along_u, grid.along_v))))
        for name, grid in ((name, grids[name.piece]) for name in (pair.first, pair.second))
    ]
    apart = lengths(rows[0] - (rows[1][::-1] if pair.reversed else rows[1]))
    return float(np.median(apart)) > 2 * np.sin(KINK_ANGLE / 2)


def turned_along(lines: list[Floats], axes: Floats) -> Floats:
    """Return two axes (2, 3) of a plane turned so that most of the length of lines of places (n, 3) runs along either of
    them; as they were where nothing does.
    """
    steps = np.concatenate([np.diff(line @ axes.T, axis=0) for line in lines])
    sizes = np.hypot(*steps.T)
    # Directions a quarter of a turn apart count as one.
    way = complex((sizes * np.exp(4j * np.arctan2(steps[:, 1], steps[:, 0]))).sum())
    if abs(way) < AIMLESS * float(sizes.sum()):
        return axes
    turn = float(np.angle(way)) / 4
    return np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) @ axes


def _area(grid: Floats) -> float:
    """Return the area of a grid of places (m, n, 2), or (m, n, 3) in space."""
    first, second = grid[1:, 1:] - grid[:-1, :-1], grid[:-1, 1:] - grid[1:, :-1]
    squares = (first**2).sum(axis=2) * (second**2).sum(axis=2) - (first * second).sum(axis=2) ** 2
    return float(np.sqrt(np.maximum(squares, 0.0)).sum()) / 2


def _area_within(shape: SurfaceSet, rim: list[EdgeName], axes: Floats) -> float | None:
    """Return the area in mm² within the loops of a rim as they are seen, holes taken off; None where they do not close."""
    loops = edge_loops(shape, rim)
    if sum(len(loop) for loop in loops) != len(rim):
        return None
    areas = []
    for loop in loops:
        runs = [shape.edges.places[shape.edges.number[name]] @ axes.T for name, _ in loop]
        flat = np.concatenate([(run if forward else run[::-1])[:-1] for run, (_, forward) in zip(runs, loop, strict=True)])
        areas.append(abs(signed_area(flat)))
    return 2 * max(areas) - sum(areas)
