"""A region within a closed boundary filled with patches: one for four sides, else several about a middle that they find."""

from __future__ import annotations

from collections.abc import Generator, Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import chain, islice

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.boundary_stretch import Plan, Stretch, run_alike
from glass_spoon.kernel.patches.fair_patches import fair_patches
from glass_spoon.kernel.patches.flat_layout import flat_layouts
from glass_spoon.kernel.patches.patch_layout import TANGLED, Edge, HeldEdge, Layout, Quad, quad_edges
from glass_spoon.kernel.patches.patch_space import CHECKS, DEGREE, LOOKED_AT, PatchSpace
from glass_spoon.kernel.patches.region import AROUND, Loop
from glass_spoon.kernel.patches.ring_cuts import cuts_across, kept_apart
from glass_spoon.kernel.patches.unfairness import openness
from glass_spoon.kernel.patches.unfold import FLAT, lies_flat, raised, unfolded
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.outline_crossings import any_crossing
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes

SPANS = (3, 4, 6, 8, 12, 16)
"""Spans along a side that are tried, until the boundary is followed closely enough."""
MOST_SPLIT = 6
"""Most of them where several patches are sought together."""
ALONG_ONE = 6 * PatchSpace(SPANS[-1]).count
"""Places along a side of a patch that is alone, at which it is told how far its spline is off; of others CHECKS."""
TRIES = 2
"""Most spaces that are tried, from the first that follows the boundary."""
OPEN_TRIES = (3, 2)
"""Most layouts that are tried until none of their patches folds: of few patches, and others."""
OPEN_PLACES, OPEN = 17, 0.01
"""Places along each axis of a patch at which that is told, and its least area of parameters, against the mean."""
NARROW = 1e-3
"""That which is taken where no layout has more."""
HOPELESS = -3.0
"""That of patches that fold several times over: it is not tried to draw them apart."""
FOLDED = -0.02
"""That of a patch that folds over itself: corners of almost no angle come near to nothing."""
MOST_SIDES = 12
MOST = 64
"""Most patches that are sought at once."""
TANGLED_ROUND = 1e-3
"""The same as TANGLED for a boundary without corners, whose patches have to bend in their parameters."""
SMOOTH = np.radians(2.0)
"""Angle below which patches meet so well that no other layout is tried."""
CREASE = np.radians(0.1)
"""Angle below which patches go on smoothly; above it more spans are tried."""
FOLLOWED = 1e-4
"""Share of a region's size within which its boundary is followed."""


@dataclass(frozen=True, eq=False)
class Filled:
    """Patches over a region.

    off: the largest distance in mm of their edges from the curves; follows: whether that is within FOLLOWED of the size.
    kinks: the largest angle in radians between the patches and what each curve (by its number) goes on from, for those that
    go on smoothly. seam: the largest between patches.
    """

    surfaces: tuple[NurbsSurface, ...]
    off: float
    follows: bool
    kinks: dict[int, float]
    seam: float

    @cached_property
    def middle(self) -> Floats:
        """The place (3,) in mm on the patches that is nearest to their mean."""
        places = np.concatenate([_few(surface) for surface in self.surfaces])
        return np.asarray(places[lengths(places - places.mean(axis=0)).argmin()])

    @cached_property
    def openness(self) -> float:
        """The least area of a patch to one of parameters, against its mean: below 0 one folds."""
        nets = np.array([surface.control_points.reshape(-1, 3) for surface in self.surfaces])
        return float(openness(len(self.surfaces[0].control_points) - DEGREE, nets, OPEN_PLACES).min())

    @property
    def crease(self) -> float:
        """The largest angle in radians at which anything meets that should go on smoothly."""
        return max(self.seam, *self.kinks.values()) if self.kinks else self.seam


def _few(surface: NurbsSurface) -> Floats:
    """Return a few points (25, 3) in mm spread over a patch, which has no weights."""
    net = surface.control_points
    return np.asarray(PatchSpace(len(net) - DEGREE).looked_over @ net.reshape(-1, 3))


def fill_region(loop: Loop, tension: float = 0.0, places: Floats | None = None) -> Filled:
    """Return patches over a region: all quads, joined G1 inside, its boundary kept, going on from surfaces as asked there.

    Four sides give one patch; a closed smooth boundary five, two sides six, three and five to twelve as many as there are,
    about a middle. tension: 0 lets it bulge as its boundary asks, more draws it taut. places: points (k, 3) in mm to pass.
    Raises KernelError for more sides than MOST_SIDES.
    """
    check_sides(loop)
    return fill_together([filling(_plan(loop), loop, places)], tension)[0]


def check_sides(loop: Loop) -> None:
    """Raise KernelError for more than MOST_SIDES."""
    if len(loop.sides) > MOST_SIDES:
        raise KernelError(f"The region has {len(loop.sides)} sides; up to {MOST_SIDES} are filled. Split it by a curve.")


def fill_regions(loops: list[Loop], tension: float = 0.0) -> list[Filled]:
    """Return the patches over each of some regions, as `fill_region` does; all of one kind are sought at once."""
    for loop in loops:
        check_sides(loop)
    return fill_together([filling(_plan(loop), loop, None) for loop in loops], tension)


Filling = Generator[tuple[Layout, PatchSpace], Floats, Filled]
"""Yields layouts with the space they are sought in, takes their control points, and returns what it made of them."""


def fill_together(fillings: list[Filling], tension: float) -> list[Filled]:
    """Run fillings side by side, and seek what they yield in one space at once."""
    done: dict[int, Filled] = {}
    asked = {number: next(one) for number, one in enumerate(fillings)}
    while asked:
        spaces: dict[PatchSpace, list[int]] = {}
        for number, (_, space) in asked.items():
            spaces.setdefault(space, []).append(number)
        layouts, asked = {number: layout for number, (layout, _) in asked.items()}, {}
        for space, numbers in spaces.items():
            for number, nets in zip(numbers, fair_patches([layouts[k] for k in numbers], space, tension), strict=True):
                try:
                    asked[number] = fillings[number].send(nets)
                except StopIteration as ended:
                    done[number] = ended.value
    return [done[number] for number in range(len(fillings))]


def filling(plan: Plan, loop: Loop, places: Floats | None, *, raising: bool = True) -> Filling:
    """Seek the patches of a plan within a boundary, as `fill_region` does; raising: whether bent ones are drawn apart."""
    stretches, quads, fans = plan
    through = np.zeros((0, 3)) if places is None else places
    tangled = TANGLED if len(loop.sides) > 1 else TANGLED_ROUND
    best: Filled | None = None
    apart: Floats | None = None
    for space, controls, off, follows in islice(_followed(stretches, alone=len(quads) == 1), TRIES):
        edges = [_held(stretch, control, space) for stretch, control in zip(stretches, controls, strict=True)]
        held = {key: edge for key, edge, _ in edges}
        layout = Layout(quads, held, fans, through, tangled)
        nets = yield layout, space
        if raising or lies_flat(layout) is not None:
            apart = _drawn_apart(layout, space, nets, loop, apart)
            nets = nets if apart is None else apart
        looked = _looked(nets, quads, space)
        kinks = _kinks(looked, [(stretch, asked) for stretch, (_, _, asked) in zip(stretches, edges, strict=True)])
        found = Filled(tuple(space.surface(net) for net in nets), off, follows, kinks, _seam(looked))
        if best is None or (found.openness < OPEN, found.crease) < (best.openness < OPEN, best.crease):
            best = found
        if best.crease < CREASE or (not raising and best.openness < FOLDED):
            break
    if best is None:
        raise KernelError("No surface was found within these boundaries.")
    return best


def _drawn_apart(layout: Layout, space: PatchSpace, nets: Floats, loop: Loop, before: Floats | None) -> Floats | None:
    """Return patches that fold drawn apart, from those before in another space; None where none fold, or that opens nothing.

    Those that go on smoothly from what is beside are drawn apart only where they fold over themselves: a corner of almost no
    angle alone is none.
    """

    def least(tried: Floats) -> float:
        return float(openness(space.spans, tried.reshape(len(tried), -1, 3), OPEN_PLACES).min())

    folds, edges = least(nets), layout.held.values()
    if folds >= OPEN or len(layout.places) or any(edge.bends is not None for edge in edges):
        return None
    normal = lies_flat(layout)
    if normal is None and folds >= FOLDED and any(edge.normals is not None for edge in edges):
        return None
    places = np.concatenate([side.evenly(AROUND)[:-1] for side in loop.sides])
    seen = places @ plane_axes(loop.normal if normal is None else normal).T
    if any_crossing(seen, np.roll(seen, -1, axis=0)):
        return None  # nothing opens what lies over itself
    way, onto = (raised, loop.normal) if normal is None else (unfolded, normal)
    try:
        tried = way(layout, space, nets, onto, before)
    except np.linalg.LinAlgError:  # sides of no length, or patches with no area as they are seen
        return None
    return tried if least(tried) > folds else None


def fill_ring(outer: Loop, inner: Loop, tension: float = 0.0, places: Floats | None = None) -> Filled:
    """Return patches between a boundary and that of a hole in it, as `fill_region` does.

    From each corner of either to the place across from it, and at least four. Raises KernelError for more than MOST_SIDES.
    """
    inside = inner if float(inner.normal @ outer.normal) > 0 else inner.reversed()
    cuts = cuts_across(outer, inside)
    if len(cuts) > MOST_SIDES:
        raise KernelError(
            f"The boundary and its hole have {len(cuts)} corners; up to {MOST_SIDES} are filled between. Split it by curves."
        )
    count = len(cuts)
    stretches, fans = [], {}
    for which, loop in enumerate((outer, inside)):
        first, ends = which * count, [cut[which] for cut in cuts]
        for k, (start, end) in enumerate(zip(ends, [*ends[1:], ends[0]], strict=True)):
            whole = len(loop.sides) == 1
            high = end.share if end.side == start.side and end.share > start.share else 1.0 + whole * end.share
            side = loop.sides[start.side]
            stretches.append(Stretch(first + k, first + (k + 1) % count, side, start.share, high, whole))
            corner = float(loop.angles[start.side]) if start.share == 0 else np.pi
            fans[first + k] = (2, 2 * np.pi - corner if which else corner)
    stretches = [*run_alike(stretches[:count]), *run_alike(stretches[count:])]
    quads = tuple((k, (k + 1) % count, count + (k + 1) % count, count + k) for k in range(count))
    found = first_open(chain([(stretches, quads, fans)], flat_layouts([outer, inside], MOST)), outer, tension, places)
    if found is None:
        raise KernelError(
            "What the hole leaves is too narrow, or too uneven, to be parted into patches. Patch the outer boundary alone, "
            "and Trim it by the hole, let through it."
        )
    return found


def first_open(plans: Iterable[Plan], outer: Loop, tension: float, places: Floats | None) -> Filled | None:
    """Return the patches of the first of some plans, of a few that are tried, of which none folds and which meet smoothly;
    else those that meet most smoothly of the ones that are open, or the most open ones that do not fold; None for none.

    Bent patches are drawn apart only where none of the first plans is open as it is, or of the others.
    """
    left, found = iter(plans), list[Filled]()

    def is_found(plan: Plan, *, raising: bool) -> bool:
        found.append(fill_together([filling(plan, outer, places, raising=raising)], tension)[0])
        return found[-1].openness > OPEN and found[-1].seam < SMOOTH

    for count in OPEN_TRIES:
        folded = list[Plan]()
        for plan in islice(left, count):
            if is_found(plan, raising=False):
                return found[-1]
            if found[-1].openness > HOPELESS and not _is_flat(found[-1]):
                folded.append(plan)
        for plan in folded:
            if sum(one.openness > OPEN for one in found) > 1:
                break  # one more than the first was tried
            if is_found(plan, raising=True):
                return found[-1]
    opened = [one for one in found if one.openness > OPEN]
    if opened:
        return min(opened, key=lambda one: one.seam)
    narrow = [one for one in found if one.openness > NARROW and one.seam < SMOOTH]
    return max(narrow, key=lambda one: one.openness, default=None)


def _is_flat(filled: Filled) -> bool:
    """Say whether patches lie in a plane."""
    points = np.concatenate([surface.control_points.reshape(-1, 3) for surface in filled.surfaces])
    sizes = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
    return bool(sizes[2] < FLAT * sizes[0])


def _plan(loop: Loop) -> Plan:
    """Return the stretches of the boundary, the patches by their vertices, and how they fan out on it."""
    count = len(loop.sides)
    if count > 1 and any(len(side.jumps) for side in loop.sides):
        bent = _bent(loop)
        if bent is not None:
            return bent
    if count == 4:
        return [Stretch(k, (k + 1) % 4, side, 0, 1) for k, side in enumerate(loop.sides)], ((0, 1, 2, 3),), {}
    if count == 1:
        return _disc(loop)
    return _lens(loop) if count == 2 else _star(loop)


def _bent(loop: Loop) -> Plan | None:
    """Patches that have vertices where the bend of a side jumps, as from a line to an arc; None where none are found."""
    if len(loop.sides) > 2 and all(len(side.jumps) < 2 for side in loop.sides):
        return _star(loop)
    return next(flat_layouts([loop], MOST), None)


def _star(loop: Loop) -> Plan:
    """Patches from each corner to a middle: vertices 0 to n-1 are corners, n to 2n-1 lie on sides, 2n is the middle.

    On a side the vertex is where its bend jumps once, else at its middle.
    """
    count = len(loop.sides)
    stretches = []
    for k, side in enumerate(loop.sides):
        at = float(side.jumps[0]) if len(side.jumps) == 1 else 0.5
        halves = [Stretch(k, count + k, side, 0, at), Stretch(count + k, (k + 1) % count, side, at, 1)]
        stretches += halves if at == 0.5 else run_alike(halves, ring=False)
    quads = tuple((k, count + k, 2 * count, count + (k - 1) % count) for k in range(count))
    return stretches, quads, {count + k: (2, np.pi) for k in range(count)}


def _lens(loop: Loop) -> Plan:
    """Two corners: two triangles across the middle, each of three patches.

    Vertices 0 and 1 are the corners, 2 to 4 and 5 to 7 the quarters of the sides, 8 the middle, 9 and 10 of the triangles.
    """
    stretches = []
    for side, row in zip(loop.sides, ((0, 2, 3, 4, 1), (1, 5, 6, 7, 0)), strict=True):
        stretches += [Stretch(row[k], row[k + 1], side, k / 4, (k + 1) / 4) for k in range(4)]
    quads = ((0, 2, 9, 7), (3, 8, 9, 2), (6, 7, 9, 8), (1, 5, 10, 4), (6, 8, 10, 5), (3, 4, 10, 8))
    fans = dict.fromkeys((2, 3, 4, 5, 6, 7), (2, np.pi))
    return stretches, quads, fans


def _disc(loop: Loop) -> Plan:
    """No corner, or one: a ring of patches round others, cut where the boundary's bend jumps, else at its quarters."""
    side = loop.sides[0]
    ends = _ring_ends(loop)
    count = len(ends)
    highs = [*ends[1:], 1.0 + ends[0]]
    stretches = [
        Stretch(k, (k + 1) % count, side, low, high, high > 1.0)
        for k, (low, high) in enumerate(zip(ends, highs, strict=True))
    ]
    ring = tuple((k, (k + 1) % count, count + (k + 1) % count, count + k) for k in range(count))
    corner = float(loop.angles[0])
    smooth = abs(corner - np.pi) < np.radians(25)
    fans = {k: (2, np.pi if ends[k] or smooth else corner) for k in range(count)}
    return run_alike(stretches), (*ring, *_within_ring(stretches)), fans


def _ring_ends(loop: Loop) -> list[float]:
    """Return the shares of a boundary of one side, an even number of them, at which a ring within it is cut."""
    side = loop.sides[0]
    is_corner = abs(float(loop.angles[0]) - np.pi) >= np.radians(25)
    jumps = side.jumps.tolist()
    ends = kept_apart([0.0, *jumps] if is_corner or side.jumps_at_start else jumps, keep=is_corner)
    if not jumps or len(ends) > MOST_SIDES:
        return [k / 4 for k in range(4)]
    while len(ends) < 4 or len(ends) % 2:
        gaps = np.diff([*ends, 1.0 + ends[0]])
        longest = int(gaps.argmax())
        ends = sorted([*ends, (ends[longest] + float(gaps[longest]) / 2) % 1.0])
    return ends


def _within_ring(stretches: list[Stretch]) -> tuple[Quad, ...]:
    """Return the patches within a ring, on its inner vertices, whose numbers begin with the count of its stretches.

    One in a ring of four, three side by side in one of eight, else as many as half the ring about a middle.
    """
    count = len(stretches)
    if count == 4:
        return ((4, 5, 6, 7),)
    if count == 8:  # three side by side, along the longer two of the sides that lie across from each other
        sizes = [one.high - one.low for one in stretches]
        first = max(range(4), key=lambda k: sizes[k] + sizes[k + 4])
        v = [count + (first + k) % count for k in range(count)]
        return (v[7], v[0], v[1], v[2]), (v[7], v[2], v[3], v[6]), (v[6], v[3], v[4], v[5])
    odd, even = [count + k for k in range(1, count, 2)], [count + k for k in range(0, count, 2)]
    return tuple((even[k], odd[k], 2 * count, odd[k - 1]) for k in range(count // 2))


def _followed(stretches: list[Stretch], *, alone: bool) -> Iterator[tuple[PatchSpace, list[Floats], float, bool]]:
    """Yield spaces whose splines follow all stretches, coarse ones first, their control points, how far off they are in mm,
    and whether that is near enough: only the finest is yielded where it is not.

    The next has twice the spans, or the most: a few more than before do not meet what is beside any better.
    """
    places = np.array([one.evenly(ALONG_ONE if alone else CHECKS) for one in stretches])
    size = max(float(np.ptp(places.reshape(-1, 3), axis=0).max()), 1e-12)
    tries = [spans for spans in SPANS if alone or spans <= MOST_SPLIT]
    before = 0
    for spans in tries:
        if spans < 2 * before and spans != tries[-1]:
            continue
        space = PatchSpace(spans)
        controls, away = space.fit_edges(places)
        off = float(away.max())
        if off <= FOLLOWED * size or spans == tries[-1]:
            before = spans
            yield space, list(controls), off, off <= FOLLOWED * size


def _held(stretch: Stretch, control: Floats, space: PatchSpace) -> tuple[Edge, HeldEdge, Floats | None]:
    """Return a stretch as an edge from its lower vertex to its higher one, and the normals (24, 3) asked for there."""
    count = len(space.samples)
    shares = stretch.shares(space.asked)
    normals, bends = stretch.side.contact(shares)
    asked = None if normals is None else normals[count:]
    onward = None if normals is None else stretch.side.onward(shares[:count])
    parts = [None if part is None else part[:count] for part in (normals, bends, onward)]
    if stretch.start < stretch.end:
        return (stretch.start, stretch.end), HeldEdge(control, *parts), asked
    turned = (None if part is None else part[::-1] for part in parts)
    return (stretch.end, stretch.start), HeldEdge(control[::-1], *turned), None if asked is None else asked[::-1]


def _looked(nets: Floats, quads: tuple[Quad, ...], space: PatchSpace) -> dict[Edge, list[Floats]]:
    """Return the normals (24, 3) of the patches at each edge, from its lower vertex to its higher one."""
    result: dict[Edge, list[Floats]] = {}
    for normals, quad in zip(space.edge_normals(nets), quads, strict=True):
        for (a, b), own in zip(quad_edges(quad), normals, strict=True):
            result.setdefault((min(a, b), max(a, b)), []).append(own if a < b else own[::-1])
    return result


def _kinks(looked: dict[Edge, list[Floats]], asked: list[tuple[Stretch, Floats | None]]) -> dict[int, float]:
    """Return the largest angle between patches and what they go on from, by the number of the curve."""
    result: dict[int, float] = {}
    known = [(stretch, normals) for stretch, normals in asked if normals is not None]
    if not known:
        return result
    own = np.array([looked[min(one.start, one.end), max(one.start, one.end)][0] for one, _ in known])
    turned = np.abs((own * np.array([normals for _, normals in known])).sum(axis=2))
    for (stretch, _), angles in zip(known, np.arccos(np.minimum(turned, 1.0)), strict=True):
        if len(stretch.side.pieces) == 1 and not np.isnan(angles).any():
            number = stretch.side.pieces[0].number
            result[number] = max(result.get(number, 0.0), float(angles.max()))
            continue
        shares = stretch.shares(LOOKED_AT if stretch.start < stretch.end else LOOKED_AT[::-1])
        at = np.searchsorted(stretch.side.breaks, shares, side="right") - 1
        for k, piece in enumerate(stretch.side.pieces):
            found = angles[(at == k) & np.isfinite(angles)]
            if len(found):
                result[piece.number] = max(result.get(piece.number, 0.0), float(found.max()))
    return result


def _seam(looked: dict[Edge, list[Floats]]) -> float:
    """Return the largest angle in radians between patches across the edges that they share."""
    pairs = [pair for pair in looked.values() if len(pair) == 2]
    if not pairs:
        return 0.0
    turned = np.array([(one * other).sum(axis=1) for one, other in pairs])
    return float(np.nanmax(np.arccos(np.clip(turned, -1, 1)), initial=0.0))
