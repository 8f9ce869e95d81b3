"""Seams rounded by a ball that rolls along them: where it touches both skins, and the arcs between.

The ball's middle keeps the radius from both skins: Newton's steps of least length from the seam (Barnhill, Farin and Chen,
Constant-radius blending of parametric surfaces, 1993, on the rolling ball). A seam that two bodies leave open is filled, one
along which they end is taken off.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, lengths
from glass_spoon.kernel.errors import KernelError, RadiusTooLarge, place_text
from glass_spoon.kernel.imprint.rebuild import Rebuild
from glass_spoon.kernel.imprint.seam_line import SeamLine
from glass_spoon.kernel.imprint.skins import Skin, Surfaces, foot_on
from glass_spoon.kernel.imprint.solids import Share
from glass_spoon.kernel.meshes.mesh import Mesh

STEPS = 20
"""Newton's steps of the ball's middle."""

STILL = 1e-9
"""The ball's middle has come to rest where it moves by less than this share of the radius."""

EVENED = 12
"""Rounds in which lines on skins of flat faces are evened out."""

NEAR, FACETED = 1e-5, 0.05
"""The ball touches where its middle is off by no more than this share of the radius; and on a skin of flat faces."""

BACK = 0.05
"""Where it touches it must not run back by more than this share of its way along the seam."""

HALVINGS = 14
"""How often the radius is halved in on to find the largest that fits."""

FEWEST = 1e-3
"""Where not even this share of the radius fits, none does."""

ROUND = "round"
"""The role of faces that round a seam."""


@dataclass(frozen=True, eq=False)
class Rolled:
    """A ball rolled along a seam, place for place. middle: of the ball; touching: where it touches both skins."""

    middle: SeamLine
    touching: tuple[SeamLine, SeamLine]


Skins = tuple[tuple[Surfaces, Skin], tuple[Surfaces, Skin]]
"""The skins of two bodies, with the surfaces that their points belong on."""


def roll_ball(seams: list[SeamLine], skins: Skins, radius: float) -> list[Rolled]:
    """Return a ball rolled along closed seams: of a radius in mm, over both skins; below zero under them.

    Raises RadiusTooLarge, with the largest that fits, where the ball does not reach both.
    """
    path = _Path.of(seams)
    rolled, bad = _rolled(path, skins, radius)
    if not bad.any():
        return path.parted(rolled)
    place = path.places[int(np.flatnonzero(bad)[0])]
    low, high = 0.0, abs(radius)
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        if _rolled(path, skins, np.copysign(middle, radius))[1].any():
            high = middle
        else:
            low = middle
    if low < FEWEST * abs(radius):
        raise KernelError(
            f"No ball rolls along the seam at {place_text(place)}: it has a corner, or faces are too coarse. Leave it sharp."
        )
    raise RadiusTooLarge(abs(radius), low, place)


@dataclass(frozen=True, eq=False)
class _Path:
    """The places (n, 3) of all seams one after another, and for each the number (n,) of the one that follows it."""

    places: Floats
    ahead: Ints
    starts: Ints

    @classmethod
    def of(cls, seams: list[SeamLine]) -> _Path:
        sizes = np.array([len(seam.places) for seam in seams])
        starts = np.concatenate(([0], np.cumsum(sizes)))
        ahead = np.arange(starts[-1]) + 1
        ahead[starts[1:] - 1] = starts[:-1]
        return cls(np.concatenate([seam.places for seam in seams]), ahead, starts)

    def calmed(self, places: Floats) -> Floats:
        """Return places (n, 3) along the path with the steps taken out that flat faces make in it, not its bends (Taubin,
        Curve and surface smoothing without shrinkage, 1995).
        """
        behind = np.argsort(self.ahead)
        for _ in range(EVENED):
            for share in (0.5, -0.52):
                places = places + share * ((places[behind] + places[self.ahead]) / 2 - places)
        return places

    def parted(self, rolled: tuple[Floats, Floats, Floats]) -> list[Rolled]:
        """Return the ball's middles and where it touches, seam by seam."""
        parts = [slice(a, b) for a, b in pairwise(self.starts.tolist())]
        return [Rolled(SeamLine(rolled[0][part]), (SeamLine(rolled[1][part]), SeamLine(rolled[2][part]))) for part in parts]


def _rolled(path: _Path, skins: Skins, radius: float) -> tuple[tuple[Floats, Floats, Floats], Bools]:
    """Return a ball rolled along seams, its middles and where it touches, and the places (n,) where it does not."""
    starts = [_outward(*skin, path.places)[1] for skin in skins]
    between = starts[0] + starts[1]
    middle = path.places + radius * between / np.maximum(np.einsum("ni,ni->n", *starts) + 1, 0.05)[:, None]
    for _ in range(STEPS):
        gaps, ways = [], []
        for skin in skins:
            foot, normal = _outward(*skin, middle)
            off = middle - foot
            side = np.where(np.einsum("ni,ni->n", off, normal) < 0, -1.0, 1.0)
            away = lengths(off)
            # On a skin of flat faces the ball often rests on an edge: away from there is where it is pushed.
            ways.append(np.where((away > 1e-9 * abs(radius))[:, None], directions(off) * side[:, None], normal))
            gaps.append(radius - side * away)
        step = np.einsum("nij,nj->ni", np.linalg.pinv(np.stack(ways, axis=1), rcond=1e-2), np.stack(gaps, axis=1))
        middle = middle + step
        if float(np.abs(step).max(initial=0.0)) < STILL * abs(radius):
            break
    exact = all(surfaces for surfaces, _ in skins)
    middle = middle if exact else path.calmed(middle)
    feet = []
    for surfaces, faces in skins:
        foot = foot_on(surfaces, faces, middle)[0]
        feet.append(foot if surfaces else foot_on(surfaces, faces, path.calmed(foot))[0])
    bad = np.zeros(len(middle), dtype=bool)
    along = path.places[path.ahead] - path.places
    for foot in feet:
        bad |= np.abs(lengths(middle - foot) - abs(radius)) > (NEAR if exact else FACETED) * abs(radius)
        bad |= np.einsum("ni,ni->n", foot[path.ahead] - foot, along) < -BACK * np.einsum("ni,ni->n", along, along)
    return (middle, feet[0], feet[1]), bad


def _outward(surfaces: Surfaces, skin: Skin, points: Floats) -> tuple[Floats, Floats]:
    """Return the nearest places (n, 3) on a skin, and the normals (n, 3) there, out of the body as its faces look."""
    foot, normal = foot_on(surfaces, skin, points)
    if surfaces:
        looks = skin.near.mesh.face_normals[skin.near.ask(foot)[1]]
        normal = normal * np.where(np.einsum("ni,ni->n", looks, normal) < 0, -1.0, 1.0)[:, None]
    return foot, normal


def beyond_lines(mesh: Mesh, own: Bools, share: Share, lines: tuple[SeamLine, ...], spacing: float) -> Share:
    """Return what stays of a body that ends on lines beside its seams: what lies between is gone as well.

    own (f,): its faces in the mesh; spacing: how closely in mm the lines are followed.
    """
    skin = Skin.of(mesh, own)
    hit = np.zeros(mesh.face_count, dtype=bool)
    for line in lines:
        hit[skin.faces[skin.near.ask(line.refined(spacing).places)[1]]] = True
    gone = own & ~share.whole & ~hit
    pair = mesh.topology.neighbours
    open_pair = pair[own[pair].all(axis=1) & ~hit[pair].any(axis=1)]
    while True:
        more = np.zeros(mesh.face_count, dtype=bool)
        more[open_pair[gone[open_pair[:, 1]], 0]] = True
        more[open_pair[gone[open_pair[:, 0]], 1]] = True
        if not (more & ~gone).any():
            break
        gone |= more
    stays = np.zeros(mesh.point_count, dtype=bool)
    corners = mesh.topology.face_corners
    stays[corners[(own & ~gone & ~hit)[mesh.topology.face_of_corner]]] = True
    return Share(own & ~gone & ~hit, gone, stays)


def fill_arcs(build: Rebuild, rings: tuple[Ints, Ints], middle: Floats, steps: int, skin: Skin) -> None:
    """Add rows of quads in arcs between two rings (n,) of as many points about the ball's middles (n, 3)."""
    places = build.places
    first, second = (places[ring] - middle for ring in rings)
    size = [lengths(part)[:, None] for part in (first, second)]
    a, b = directions(first), directions(second)
    angle = np.arccos(np.clip(np.einsum("ni,ni->n", a, b), -1, 1))[:, None]
    rows = [rings[0]]
    for step in range(1, steps):
        share = step / steps
        way = (np.sin((1 - share) * angle) * a + np.sin(share * angle) * b) / np.maximum(np.sin(angle), 1e-12)
        rows.append(build.add_points(middle + ((1 - share) * size[0] + share * size[1]) * directions(way)))
    rows.append(rings[1])
    table = np.stack(rows)
    ahead = np.roll(table, -1, axis=1)
    quads = np.stack((ahead[:-1], table[:-1], table[1:], ahead[1:]), axis=-1)
    build.add_quads(quads.reshape(-1, 4), ROUND, skin)
