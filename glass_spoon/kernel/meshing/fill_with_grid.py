r"""Quads of about one size inside flat loops: a grid as far as it goes, paired triangles between it and the rims.

+---+---+---+---+
|\  |   |   |  /|     blocks of two by two cells that keep a margin from all rims are the core;
| +-+---+---+-+ |     its corners then lie on every second vertex of its border, as the
|/  |   |   |  \|     fill of the band between wants it
+---+---+---+---+
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshing.fill_plane import fill_plane
from glass_spoon.kernel.meshing.fill_simple import simple_fills
from glass_spoon.kernel.meshing.plane_fill import PlaneFill, evenness, goodness, least_angle, opened, smoothed
from glass_spoon.kernel.surfaces.make.polygons import crossings, signed_area

MARGIN = 1.1
"""Steps that the core keeps from the rims."""

LEAST_BLOCKS = 2
"""Fewest blocks of a core that is kept."""

WELL_SHAPED = 0.85
"""Evenness from which a fill of a simpler kind is taken as it is."""

UNLIKE = 1.7
"""Most that edges of such a fill may differ from the step."""


def fill_with_grid(loops: list[Floats], step: float) -> PlaneFill:
    """Return quads with edges of about a step inside loops (n, 2): the outline counter-clockwise, holes clockwise.

    Counts are even, four at least. Raises KernelError for loops that cross.
    """
    simple = simple_fills(loops)
    good = [fill for fill in simple if _is_good(fill, step)]
    if good:
        return max(good, key=lambda fill: evenness(fill.points, fill.faces))
    return max([_filled(loops, step), *simple], key=goodness)


def _filled(loops: list[Floats], step: float) -> PlaneFill:
    """Return a grid as far as it goes, and what is between it and the rims filled by paired triangles."""
    core = _core(loops, step)
    if core is None:
        return fill_plane(loops)
    points, cells = core
    borders = _borders(cells)
    rim = np.concatenate(loops)
    starts = np.cumsum([0, *map(len, loops)])
    every = np.concatenate((rim, points))
    rings = [np.arange(a, b) for a, b in pairwise(starts)]
    rings += [np.roll(border[::-1] + len(rim), 1) for border in borders]
    faces = [cells + len(rim)]
    for group in _grouped([every[ring] for ring in rings]):
        try:
            band = fill_plane([every[rings[k]] for k in group])
        except KernelError:
            return fill_plane(loops)
        own = np.concatenate([rings[k] for k in group])
        numbers = np.concatenate((own, len(every) + np.arange(len(band.points) - len(own))))
        every = np.concatenate((every, band.points[len(own) :]))
        faces.append(numbers[band.faces])
    used, numbered = np.unique(np.concatenate((np.arange(len(rim)), np.concatenate(faces).ravel())), return_inverse=True)
    fill = PlaneFill(every[used], numbered[len(rim) :].reshape(-1, 4))
    even = smoothed(fill, len(rim))
    return opened(even if least_angle(even) >= min(least_angle(fill), np.radians(25)) else fill, len(rim))


def _is_good(fill: PlaneFill, step: float) -> bool:
    """Say whether a fill of a simpler kind is even, with edges of about a step."""
    if evenness(fill.points, fill.faces) < WELL_SHAPED or least_angle(fill) < np.radians(30):
        return False
    corners = fill.points[fill.faces]
    sides = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
    return bool(sides.max() < UNLIKE * step * 1.4)


def _core(loops: list[Floats], step: float) -> tuple[Floats, Ints] | None:
    """Return points (n, 2) and cells (f, 4) of a grid inside loops, in blocks of two by two, None where there is no room."""
    low, high = loops[0].min(axis=0), loops[0].max(axis=0)
    counts = np.maximum(np.round((high - low) / step / 2).astype(int), 1)
    if counts.min() < 3:
        return None
    size = (high - low) / counts
    us, vs = (low[axis] + np.arange(counts[axis] + 1) * size[axis] for axis in (0, 1))
    corners = np.stack(np.meshgrid(us, vs, indexing="ij"), axis=-1)
    fine = np.concatenate([_finer(loop, step / 3) for loop in loops])
    flat = corners.reshape(-1, 2)
    times = np.sum([crossings(loop, flat) for loop in loops], axis=0)
    inside: Bools = np.asarray(times % 2 == 1)
    inside = np.asarray(inside & (scipy.spatial.cKDTree(fine).query(flat)[0] > MARGIN * step))
    held = inside.reshape(corners.shape[:2])
    blocks: Bools = held[:-1, :-1] & held[1:, :-1] & held[:-1, 1:] & held[1:, 1:]
    # A hole may lie wholly within a block.
    middles = (corners[:-1, :-1] + corners[1:, 1:]) / 2
    clear = np.asarray(scipy.spatial.cKDTree(fine).query(middles.reshape(-1, 2))[0]) > MARGIN * step
    blocks &= clear.reshape(blocks.shape)
    blocks = _sound(blocks)
    if not blocks.any():
        return None
    cells = np.repeat(np.repeat(blocks, 2, axis=0), 2, axis=1)
    i, j = np.nonzero(cells)
    columns = cells.shape[1] + 1
    quads = np.column_stack((i * columns + j, (i + 1) * columns + j, (i + 1) * columns + j + 1, i * columns + j + 1))
    used, numbered = np.unique(quads, return_inverse=True)
    at = np.column_stack((used // columns, used % columns)) * (size / 2) + low
    return at, numbered.reshape(-1, 4)


def _finer(loop: Floats, step: float) -> Floats:
    """Return places (n, 2) along a loop, no farther apart than a step."""
    ahead = np.roll(loop, -1, axis=0)
    per = max(1, int(np.ceil(np.hypot(*(ahead - loop).T).max() / step)))
    shares = (np.arange(per) / per)[:, None, None]
    return np.asarray((loop * (1 - shares) + ahead * shares).reshape(-1, 2))


def _sound(blocks: Bools) -> Bools:
    """Return blocks without those that meet others at a corner alone, and without pieces of too few."""
    kept = np.pad(blocks, 1)
    while True:
        a, b, c, d = kept[:-1, :-1], kept[1:, :-1], kept[:-1, 1:], kept[1:, 1:]
        pinched = (a & d & ~b & ~c) | (b & c & ~a & ~d)
        if not pinched.any():
            break
        i, j = np.argwhere(pinched)[0]
        for place in ((i, j), (i + 1, j), (i, j + 1), (i + 1, j + 1)):
            kept[place] = False
    kept = kept[1:-1, 1:-1]
    number = np.arange(kept.size).reshape(kept.shape)
    along = kept[:-1] & kept[1:]
    across = kept[:, :-1] & kept[:, 1:]
    first = np.concatenate((number[:-1][along], number[:, :-1][across]))
    second = np.concatenate((number[1:][along], number[:, 1:][across]))
    group = joined_groups(first, second, kept.size).reshape(kept.shape)
    sizes = np.bincount(group[kept], minlength=int(group.max()) + 1)
    return np.asarray(kept & (sizes[group] >= LEAST_BLOCKS))


def _borders(cells: Ints) -> list[Ints]:
    """Return the borders of cells as rings of points, the cells on their left, each from a corner of a block on."""
    start, end = cells.ravel(), np.roll(cells, -1, axis=1).ravel()
    total = int(cells.max()) + 1
    alone = ~np.isin(start * total + end, end * total + start)
    ahead = dict(zip(start[alone].tolist(), end[alone].tolist(), strict=True))
    times = np.bincount(cells.ravel(), minlength=total)
    rings = []
    while ahead:
        # Corners of the border have one cell, or three.
        first = next((point for point in ahead if times[point] in (1, 3)), next(iter(ahead)))
        ring = [first]
        following = ahead.pop(first)
        while following != first:
            ring.append(following)
            following = ahead.pop(following)
        rings.append(np.array(ring))
    return rings


def _grouped(rings: list[Floats]) -> list[list[int]]:
    """Return each outline, counter-clockwise, with the holes that lie right in it, by their numbers."""
    areas = [signed_area(ring) for ring in rings]
    outer = [k for k, area in enumerate(areas) if area > 0]
    groups = {k: [k] for k in outer}
    for k, area in enumerate(areas):
        if area < 0:
            around = [m for m in outer if areas[m] > -area and crossings(rings[m], rings[k][:1])[0] % 2]
            if around:
                groups[min(around, key=lambda m: areas[m])].append(k)
    return list(groups.values())
