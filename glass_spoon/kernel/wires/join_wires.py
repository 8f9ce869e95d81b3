"""Wires along curves as one skin of quads: tubes along the runs, joints where three or more meet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, cross, directions
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_curvature, curve_points
from glass_spoon.kernel.errors import InvalidInput, KernelError, place_text
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.wires.joint import Cage, Joint, joint_skins
from glass_spoon.kernel.wires.wire_rings import Begin, carry_ups, stand_rings
from glass_spoon.kernel.wires.wire_runs import Run, WireRuns, read_runs, ups_at
from glass_spoon.kernel.wires.wire_shape import FULL, TooThick, WireShape

ROOM = 1.3
"""How much farther out wires begin at a joint than where they would just touch."""
TRIES = 6
"""Times that thinner wires are tried."""
FLATS, GOOD = (0.2, 1e-4), 0.4
"""Radians within which facets of a joint are flat, tried in turn, until its worst face is so square."""
LONE, LONE_SHARE = 1.6, 0.35
"""How much farther out a wire begins that has none across from it, and most of its run."""
BENDS = 8
"""Places a knot span at which the bends of a curve are read."""
SETTLED = 6
"""Rounds in which the places where wires begin are found."""


@dataclass(frozen=True, eq=False)
class Wirework:
    """The skin of wires; which of its faces (f,) are of joints, 1 or 0; the runs; how many ends are loose.

    tight: the place (3,) and radius in mm of the tightest bend, where a wire of that thickness runs into itself.
    """

    mesh: Mesh
    of_joint: Ints
    runs: WireRuns
    loose: int
    tight: tuple[Floats, float] | None


def join_wires(curves: Sequence[NurbsCurve], shape: WireShape, tolerance: float = 0.01) -> Wirework:
    """Return one skin of wires along curves that meet within `tolerance` mm, quads alone, closed.

    Round wires of eight or more sides have their points on true circles. Raises TooThick where joints would meet along a
    run or wires leave one at too small an angle, with the place.
    """
    if not shape.width > 0 or not shape.height > 0 or not shape.edge > 0:
        raise InvalidInput("Width, height and edges of wires", "above zero", f"{shape.width}, {shape.height}, {shape.edge}")
    runs = read_runs(curves, tolerance)
    begins = [_begins(runs, joint, shape) for joint in range(len(runs.joints))]
    build = _Build(runs, shape, {end: begin for row in begins for end, begin in row.items()})
    for number in range(len(runs.runs)):
        build.add_run(number)
    build.add_joints()
    return build.done()


def fitting_share(curves: Sequence[NurbsCurve], shape: WireShape, tolerance: float, share: float) -> float:
    """Return the share of its thickness with which a shape fits that was refused with a share; 0 where none was found."""
    for _ in range(TRIES):
        share = float(f"{0.95 * share:.2g}")
        try:
            join_wires(curves, replace(shape, width=share * shape.width, height=share * shape.height), tolerance)
        except TooThick as error:
            share *= min(error.share, 1.0)
        else:
            return share
    return 0.0


def fitting_tolerance(curves: Sequence[NurbsCurve], shape: WireShape, near: float) -> float:
    """Return the distance in mm within which curves have to meet for wires to fit, from one that is too near; 0 for none."""
    for _ in range(TRIES if near else 0):
        near = float(f"{1.06 * near:.2g}")
        try:
            join_wires(curves, shape, near)
        except TooThick as error:
            if error.near <= near:
                return 0.0
            near = error.near
        except KernelError:
            return 0.0
        else:
            return near
    return 0.0


def _begins(runs: WireRuns, joint: int, shape: WireShape) -> dict[tuple[int, bool], Begin]:
    """Return where the wires of a joint begin: as far out as those of the smallest angle between them ask for."""
    middle, ends = runs.joints[joint], runs.ends[joint]
    out = shape.reach
    for _ in range(SETTLED):
        found = {}
        for end in ends:
            found[end] = _begin(runs, end, min(out, runs.runs[end[0]].length * FULL), middle)
        ways = np.array([found[end].way for end in ends])
        cosines = ways @ ways.T - 2 * np.eye(len(ways))
        a, b = np.unravel_index(int(cosines.argmax()), cosines.shape)
        angle = float(np.arccos(np.clip(cosines[a, b], -1, 1)))
        wanted = ROOM * shape.reach * max(1.0, 1 / max(np.tan(angle / 2), 1e-9))
        if abs(wanted - out) < 1e-3 * shape.reach:
            break
        out = wanted
    short = min(runs.runs[number].length for number, _ in ends)
    if out > FULL * short:
        raise TooThick(
            f"At {place_text(middle)} wires meet at {np.degrees(angle):.0f}°, the shortest {short:.3g} mm long: so thick "
            "they run into each other along it.",
            FULL * short / out / 2,
            short if short < 2 * shape.width else 0.0,
        )
    # A wire with none across from it begins farther out: faces beside it come nearer to squares.
    lone = (ways @ ways.T).min(axis=1) > -0.5
    for k in np.flatnonzero(lone if not lone.all() else ~lone).tolist():
        far = min(LONE * out, LONE_SHARE * runs.runs[ends[k][0]].length)
        hides = far * cosines[k] + shape.reach * np.sqrt(np.clip(1 - cosines[k] ** 2, 0, 1)) > out
        if far > out and not (hides & (np.arange(len(ends)) != k)).any():
            found[ends[k]] = _begin(runs, ends[k], far, middle)
    return found


def _begin(runs: WireRuns, end: tuple[int, bool], total: float, middle: Floats) -> Begin:
    """Return where the wire of an end begins that is so many mm out from the middle of its joint."""
    run = runs.runs[end[0]]
    place = _at(run, np.array([run.length - total if end[1] else total]))[0][0]
    return Begin(total, directions(place - middle))


def _at(run: Run, totals: Floats) -> tuple[Floats, Floats]:
    """Return the points (n, 3) and unit tangents (n, 3) at lengths (n,) in mm along a run."""
    ends = np.cumsum([piece.pace.length for piece in run.pieces])
    which = np.clip(np.searchsorted(ends, totals, side="left"), 0, len(ends) - 1)
    points, ways = np.empty((len(totals), 3)), np.empty((len(totals), 3))
    for number, piece in enumerate(run.pieces):
        own = which == number
        if own.any():
            points[own], ways[own] = piece.at(totals[own] - (ends[number] - piece.pace.length))
    return points, ways


class _Build:
    """The skin while it is put together."""

    def __init__(self, runs: WireRuns, shape: WireShape, begins: dict[tuple[int, bool], Begin]) -> None:
        self.runs, self.shape, self.begins = runs, shape, begins
        self.points: list[Floats] = []
        self.faces: list[Ints] = []
        self.of_joint: list[int] = []
        self.count, self.loose = 0, 0
        self.rings: dict[tuple[int, bool], tuple[Ints, Floats, Floats]] = {}
        self.ups: dict[tuple[int, bool], Floats | None] = {}
        for ends in runs.ends:
            ups = ups_at(np.array([begins[end].way for end in ends]))
            self.ups |= dict(zip(ends, ups, strict=True))

    def _new(self, points: Floats) -> Ints:
        """Add points, and return their numbers."""
        self.points.append(points)
        self.count += len(points)
        return np.arange(self.count - len(points), self.count)

    def _add_faces(self, faces: Ints, *, of_joint: bool) -> None:
        self.faces.append(faces)
        self.of_joint += [int(of_joint)] * len(faces)

    def add_run(self, number: int) -> None:
        """Add the tube of a run, and caps at its loose ends."""
        run = self.runs.runs[number]
        joined = [self.begins.get((number, last)) for last in (False, True)]
        rings = stand_rings(run, self.shape, *joined)
        start, end = (self.ups.get((number, last)) for last in (False, True))
        alike = np.pi / 2 if self.shape.is_round or self.shape.width == self.shape.height else np.pi
        ups = carry_ups(rings, start, end, alike, is_closed=run.is_closed)
        beside = cross(rings.axes, ups)
        flat = self.shape.ring
        offsets = flat[None, :, :1] * ups[:, None] + flat[None, :, 1:] * beside[:, None]
        offsets = rings.stretched(offsets)
        count, around = len(rings.places), len(flat)
        numbers = self._new((rings.places[:, None] + offsets).reshape(-1, 3)).reshape(count, around)
        below = numbers if run.is_closed else numbers[:-1]
        above = np.roll(numbers, -1, axis=0) if run.is_closed else numbers[1:]
        quads = np.stack((below, np.roll(below, -1, axis=1), np.roll(above, -1, axis=1), above), axis=-1)
        self._add_faces(quads.reshape(-1, 4), of_joint=False)
        if run.is_closed:
            return
        for last, joint in ((False, run.start), (True, run.end)):
            k = -1 if last else 0
            if joint >= 0:
                self.rings[number, last] = (numbers[k], rings.places[k] + offsets[k], rings.places[k])
            else:
                self.loose += 1
                self._add_cap(numbers[k], rings.places[k] + offsets[k], last=last)

    def _add_cap(self, ring: Ints, square: Floats, *, last: bool) -> None:
        """Close a loose end by a grid of quads within its ring."""
        parts = 2**self.shape.halvings
        corners = square[::parts]
        shares = np.linspace(0, 1, parts + 1)
        u, v = np.meshgrid(shares, shares, indexing="ij")
        a, b, c, d = corners
        grid = (
            ((1 - u) * (1 - v))[..., None] * a
            + (u * (1 - v))[..., None] * b
            + (u * v)[..., None] * c
            + ((1 - u) * v)[..., None] * d
        )
        numbers = np.full((parts + 1, parts + 1), -1)
        numbers[:, 0], numbers[-1, :] = ring[: parts + 1], ring[parts : 2 * parts + 1]
        numbers[:, -1] = ring[2 * parts : 3 * parts + 1][::-1]
        numbers[0, :] = np.append(ring[3 * parts :], ring[0])[::-1]
        inner = self._new(grid[1:-1, 1:-1].reshape(-1, 3))
        numbers[1:-1, 1:-1] = inner.reshape(parts - 1, parts - 1)
        quads = np.stack((numbers[:-1, :-1], numbers[1:, :-1], numbers[1:, 1:], numbers[:-1, 1:]), axis=-1).reshape(-1, 4)
        self._add_faces(quads if last else quads[:, ::-1], of_joint=False)

    def add_joints(self) -> None:
        """Add the skins between the rings that meet at joints; round wires are taken at those corners that give the best."""
        if not len(self.runs.joints):
            return
        parts = 2**self.shape.halvings
        shifts = (0, parts // 2) if self.shape.is_round else (0,)
        joints, cages, chords, around = [], [], [], []
        for number in range(len(self.runs.joints)):
            made: list[tuple[float, int, Joint, Cage]] = []
            for flat in FLATS:
                whole = [(shift, self._joint(number, shift)) for shift in shifts]
                found = [(shift, joint, joint.cage(flat)) for shift, joint in whole]
                made += [(cage.worst, shift, joint, cage) for shift, joint, cage in found if cage is not None]
                if made and max(one[0] for one in made) > GOOD:
                    break
            if not made:
                raise self._too_close(number)
            _, shift, joint, cage = max(made, key=lambda one: one[0])
            joints.append(joint)
            cages.append(cage)
            rings = [self.rings[end] for end in self.runs.ends[number]]
            chords.append(_chords(joint.squares, parts, shift))
            around.append(np.concatenate([ring for ring, _, _ in rings]))
        skins = joint_skins(joints, cages, self.shape.halvings)
        topology = skins.mesh.topology
        rim = np.flatnonzero(topology.on_boundary)
        away, near = scipy.spatial.cKDTree(np.concatenate(chords)).query(skins.mesh.positions[rim])
        wanted = np.array([len(own) for own in around])
        missed = np.bincount(skins.joint[rim], minlength=len(joints)) != wanted
        missed[skins.joint[rim[away > 1e-6 * self.shape.reach]]] = True
        if missed.any():
            raise self._too_close(int(np.flatnonzero(missed)[0]))
        numbers = np.full(skins.mesh.point_count, -1)
        numbers[rim] = np.concatenate(around)[near]
        free = np.flatnonzero((skins.joint >= 0) & (numbers < 0))
        numbers[free] = self._new(skins.mesh.positions[free])
        self._add_faces(numbers[topology.face_corners.reshape(-1, 4)], of_joint=True)

    def _joint(self, number: int, shift: int) -> Joint:
        """Return a joint whose wires have their corners at every so many places of a ring from a shift on."""
        shape, middle = self.shape, self.runs.joints[number]
        rings = [self.rings[end] for end in self.runs.ends[number]]
        squares = np.array([places[shift :: 2**shape.halvings] for _, places, _ in rings])
        ways = directions(np.array([centre for _, _, centre in rings]) - middle)
        return Joint(middle, squares, ways, shape.reach, shape.thin, shape.is_round)

    def _too_close(self, number: int) -> TooThick:
        return TooThick(
            f"At {place_text(self.runs.joints[number])} wires leave a joint so close to each other that no skin lies "
            "between them.",
            0.5,
        )

    def done(self) -> Wirework:
        """Return the skin."""
        mesh = make_mesh(np.concatenate(self.points), np.concatenate(self.faces))
        return Wirework(mesh, np.array(self.of_joint), self.runs, self.loose, _tightest(self.runs, self.shape.reach))


def _chords(squares: Floats, parts: int, shift: int) -> Floats:
    """Return the places (n, 3) on the sides of squares (k, 4, 3) that stand for those of their rings, ring by ring."""
    shares = np.arange(parts)[:, None] / parts
    sides = (np.roll(squares, -1, axis=1) - squares)[:, :, None]
    return np.roll((squares[:, :, None] + shares * sides).reshape(len(squares), -1, 3), shift, axis=1).reshape(-1, 3)


def _tightest(runs: WireRuns, reach: float) -> tuple[Floats, float] | None:
    """Return the place and radius in mm of the tightest bend, None where it is wider than the reach."""
    found: tuple[Floats, float] | None = None
    for run in runs.runs:
        for piece in run.pieces:
            params = span_params(piece.curve, BENDS)
            bends = curve_curvature(piece.curve, params)
            k = int(bends.argmax())
            if bends[k] * (reach if found is None else found[1]) > 1:
                found = curve_points(piece.curve, params[[k]])[0], float(1 / bends[k])
    return found
