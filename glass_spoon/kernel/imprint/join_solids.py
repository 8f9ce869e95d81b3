"""Closed bodies united, subtracted from one another, or met: one skin of quads, with edges along the seams."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Ints
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.imprint.along_seams import Body, Joined, along_seams
from glass_spoon.kernel.imprint.rebuild import Rebuild
from glass_spoon.kernel.imprint.round_seam import Rolled, beyond_lines, fill_arcs, roll_ball
from glass_spoon.kernel.imprint.seam_line import SeamLine
from glass_spoon.kernel.imprint.skins import Skin, Surfaces, near_surfaces
from glass_spoon.kernel.imprint.solids import Meeting, Share, meet_solids
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

Shape = NurbsSurface | SurfaceSet | None


@dataclass(frozen=True, eq=False)
class JoinedSolids(Joined):
    """Bodies joined. seams: how many; length: of all seams, in mm; exact: the volume in mm³ of the bodies joined before
    their seams were given quads; sharp: whether these are; gone: whether of the first, and of the second, nothing is left.
    """

    seams: int
    length: float
    exact: float
    sharp: bool
    gone: tuple[bool, bool]


@dataclass(frozen=True)
class Rounding:
    """How seams are rounded: a radius in mm, and faces over the round; one makes a chamfer."""

    radius: float
    steps: int = 3


def join_solids(
    whole: Mesh,
    parts: tuple[Mesh, Mesh],
    how: Meeting,
    shapes: tuple[Shape, Shape] = (None, None),
    rounding: Rounding | None = None,
) -> JoinedSolids:
    """Return two closed bodies joined, of a mesh in which their faces and points follow one another.

    To subtract, the second lies turned over in it. shapes: what each stands for. Raises KernelError where
    they cannot be joined by quads, with what to do; RadiusTooLarge for a round that does not fit.
    """
    met = meet_solids(*parts, how)
    faces, points = parts[0].face_count, parts[0].point_count
    owns = [(np.arange(whole.face_count) < faces) == (number == 0) for number in range(2)]
    places = [np.arange(whole.point_count) < points, np.arange(whole.point_count) >= points]
    shares = [
        Share(*(_laid(values, at) for values, at in ((share.whole, own), (share.gone, own), (share.points, at_own))))
        for share, own, at_own in zip((met.first, met.second), owns, places, strict=True)
    ]
    seams = [SeamLine(line) for line in met.seams]
    nothing = (bool(met.first.gone.all()), bool(met.second.gone.all()))
    surfaces = (near_surfaces(whole, owns[0], shapes[0], seams), near_surfaces(whole, owns[1], shapes[1], seams))
    length = sum(seam.length for seam in seams)
    filling = None
    lines: list[tuple[SeamLine, ...] | None] = [None, None]
    if rounding is not None and seams:
        rolled = _rolled(whole, owns, seams, surfaces, rounding.radius if how == "unite" else -rounding.radius)
        seams = [one.middle for one in rolled]
        lines = [tuple(one.touching[k] for one in rolled) for k in range(2)]
        for k in range(2):
            shares[k] = beyond_lines(whole, owns[k], shares[k], lines[k] or (), rounding.radius / 8)
        filling = _Arcs(rolled, rounding.steps)
    bodies = [Body(own, share, on, line) for own, share, on, line in zip(owns, shares, surfaces, lines, strict=True)]
    done = along_seams(whole, bodies, seams, filling)
    if not done.mesh.face_count:
        raise KernelError("Nothing is left of the bodies.")
    return JoinedSolids(
        done.mesh, done.origin, done.rings, done.narrowest, len(seams), length, met.volume, rounding is None, nothing
    )


def _rolled(
    whole: Mesh, owns: list[Bools], seams: list[SeamLine], surfaces: tuple[Surfaces, Surfaces], radius: float
) -> list[Rolled]:
    """Return a ball rolled along each seam."""
    skins = ((surfaces[0], Skin.of(whole, owns[0])), (surfaces[1], Skin.of(whole, owns[1])))
    return roll_ball([seam.refined(abs(radius) / 4) for seam in seams], skins, radius)


class _Arcs:
    """Fills the arcs of rolled balls."""

    def __init__(self, rolled: list[Rolled], steps: int) -> None:
        self.rolled, self.steps = rolled, steps

    def __call__(self, build: Rebuild, rings: list[list[Ints]], skins: list[Skin]) -> None:
        """Add the arcs of every seam."""
        places = build.places
        for one, (first, second) in zip(self.rolled, rings, strict=True):
            ways, _ = one.touching[0].nearest(places[first])
            middle = one.middle.at(np.interp(ways, one.touching[0].way, one.middle.way))
            fill_arcs(build, (first, second), middle, self.steps, skins[0])


def _laid(values: Bools, at: Bools) -> Bools:
    """Return marks of some elements (those marked by `at`) among all."""
    result = np.zeros(len(at), dtype=bool)
    result[at] = values
    return result
