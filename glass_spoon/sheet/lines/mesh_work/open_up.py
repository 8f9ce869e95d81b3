"""Openings in a mesh along curves."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, cross, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.errors import KernelError, RadiusTooLarge
from glass_spoon.kernel.imprint.join_solids import Rounding
from glass_spoon.kernel.imprint.keep_inside import keep_inside
from glass_spoon.kernel.imprint.tunnel import tunnel
from glass_spoon.kernel.mesh_edits.open_along import Opened, open_along
from glass_spoon.kernel.mesh_edits.roll_rim import LIP, roll_rim
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.make.curtain import KINK
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.items import Done, MeshItem, Piece
from glass_spoon.sheet.line import Action, Given
from glass_spoon.sheet.lines.mesh_work.fields import fitting_text, length_text, several
from glass_spoon.sheet.lines.mesh_work.finer import FINER_SAID, HALVED, Finer, finer_item, finer_ways
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked
from glass_spoon.sheet.phrase import Phrase

SAMPLES = 480
"""Places on an outline by which it is followed, shared among its smooth runs."""

_WAYS = {
    "from above": (0, 0, -1),
    "from below": (0, 0, 1),
    "from the front": (0, 1, 0),
    "from the back": (0, -1, 0),
    "from the right": (-1, 0, 0),
    "from the left": (1, 0, 0),
}

THIN = 1e-4
"""A curve whose area, seen so, is less than this share of the square of its length shows nothing but a line."""

Laid = Annotated[
    Literal["as they lie", "from above", "from below", "from the front", "from the back", "from the right", "from the left"],
    ChoiceSpec(
        "Whether the curves lie on the mesh already, or are laid on the side that is seen first from somewhere.",
        ("as they lie", *_WAYS),
    ),
]


class Open(MeshWork):
    """Openings in a mesh along curves."""

    summary = "Open a skin along closed curves, all quads kept: holes, slots, windows, vents; they follow their curves."
    words = (
        "hole",
        "holes",
        "cut out",
        "cutout",
        "opening",
        "window",
        "vent",
        "slot",
        "pierce",
        "punch",
        "perforate",
        "trim",
    )
    phrases = (
        Phrase(r"(?:make|cut|punch) (?:an? |some )?(?:holes?|openings?|windows?)(?: in(?:to)?| through)"),
        Phrase(r"(?:seen |as seen |projected )?from (?:the )?(?:top|above)", {"laid": "from above"}, finds=False),
        Phrase(r"(?:seen |as seen |projected )?from (?:the )?(?:bottom|below)", {"laid": "from below"}, finds=False),
        Phrase(r"(?:keep(?:ing)? |what is )*inside|cut(?:ting)? (?:it |them )?out", {"rim": "kept inside"}, finds=False),
        Phrase(
            r"(?:walled )?(?:right |all the way )?through(?: and through)?|(?:with )?(?:a )?walls?",
            {"rim": "walled right through"},
            finds=False,
        ),
        FINER_SAID,
        Phrase(r"(?:rims? )?roll(?:ed|ing)?(?: over| in)?(?: by {radius})?", {"rim": "rim rolled"}, finds=False),
    )
    sentence = "**Open** {mesh} along {curves}[, {laid}], {rim}[, faces {finer}]."
    wording_field = "rim"
    wordings = {
        "walled right through": "**Open** {mesh} along {curves}[, {laid}], {rim}, rims rounded by {round} in {steps} steps[, faces {finer}].",
        "rim rolled": "**Open** {mesh} along {curves}[, {laid}], {rim} by {radius} in {steps} steps, {towards}[, faces {finer}].",
    }

    results = 3  # no vertex of a fill comes up to another
    verb: Literal["open"] = "open"
    curves: Annotated[
        Items,
        ReferencesSpec("Closed curves, or sets of them; what they hold is taken out.", "curve", also=("curves",), least=1),
    ] = []
    laid: Laid = "as they lie"
    rim: Annotated[
        Literal["rim plain", "walled right through", "rim rolled", "kept inside"],
        ChoiceSpec(
            "What is made of the rim: nothing; walls right through a closed body; a lip rolled over; or what the curves hold "
            "is kept in place of the rest.",
            ("rim plain", "walled right through", "rim rolled", "kept inside"),
            ("the rim plain", "walled right through", "the rim rolled over", "what they hold kept"),
        ),
    ] = "rim plain"
    round: Annotated[
        Number,
        NumberSpec("The radius by which the rims of walls are rounded; 0 leaves them sharp.", "length", least=0, most=1e5),
    ] = "0 mm"
    radius: Annotated[
        Number,
        NumberSpec(
            "The radius of the rolled rim, which reaches as far into the opening.", "length", least=0, above=True, most=1e5
        ),
    ] = "2 mm"
    steps: Annotated[Number, NumberSpec("Faces over the round.", label="steps", least=1, most=64, whole=True)] = 3
    towards: Annotated[
        Literal["to the back", "over the front"],
        ChoiceSpec(
            "To which side of the skin the rim is rolled; its front is where its faces look.",
            ("to the back", "over the front"),
        ),
    ] = "to the back"
    finer: Finer = "as they are"

    def roles_after(self) -> tuple[str, str]:
        """Return those of the faces about the openings, and of their rims."""
        return "band", "seam" if self.rim in ("walled right through", "kept inside") else "rim"

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: a band of a few rows round each opening comes."""
        rows = 4 + (given.count("steps") if self.rim in self.wordings else 0)
        return HALVED[self.finer].faces * given.mesh("mesh").mesh.face_count + rows * SAMPLES * len(
            given.every_curve("curves")
        )

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Lay the curves on the mesh, and open along each."""
        item = finer_item(item, self.finer)
        curves = given.every_curve("curves")
        if self.rim == "walled right through":
            return self._walled(given, item, list(curves))
        outlines = laid_outlines(item.mesh, curves, self.laid)
        if self.rim == "kept inside":
            return _kept(item, outlines)
        done = open_along(item.mesh, outlines, item.surface)
        told = f"{several(done.rims, 'opening')}; edges of their rims come within {length_text(done.off)} of the curves."
        if len(done.odd):
            told += f" {several(len(done.odd), 'point')} about them {'has' if len(done.odd) == 1 else 'have'} other than four edges."
        on_rim = done.edges_in("rim")
        if self.rim == "rim rolled":
            return self._rolled(given, done, on_rim, told)
        return Worked(done, told, done=Done("edge", np.flatnonzero(on_rim)))

    def _rolled(self, given: Given, done: Opened, on_rim: Bools, told: str) -> Worked:
        """Roll the rims over."""
        radius, steps = given.number("radius"), given.count("steps")
        lipped = done.then(roll_rim(done.mesh, on_rim, radius, steps, over=self.towards == "over the front"))
        told = f"{told} Their rims are rolled over by {length_text(radius)}: the openings are as much smaller all round."
        return Worked(lipped, told, done=Done("face", np.flatnonzero(lipped.origin.faces_in(LIP))), stands=False)

    def _walled(self, given: Given, item: MeshItem, curves: list[NurbsCurve]) -> Worked:
        """Take the outlines out right through a closed body."""
        for number, curve in enumerate(curves, 1):
            outline_of(curve, number, len(curves))
        way = np.array(_WAYS[self.laid], dtype=np.float64) if self.laid in _WAYS else _square_to(curves)
        radius = given.number("round")
        rounding = Rounding(radius, given.count("steps")) if radius > 0 else None
        made = tunnel(item.mesh, curves, way, item.surface, rounding)
        if not made.seams:
            raise KernelError("The curves lie off the body, seen so: move them over it, or look from another side.")
        told = (
            f"{several(len(curves), 'opening')} right through, {several(made.seams, 'rim')}; corners beside them of "
            f"{np.degrees(made.narrowest):.0f}° or more."
        )
        if made.seams < 2 * len(curves):
            told += f" {'It breaks' if len(curves) == 1 else 'Some break'} out at the side of the body."
        pieces = (*item.every_piece, *(Piece((given.ids[""],), key=f"{given.ids['']} {k}") for k in range(len(curves))))
        seam = made.edges_in("seam")
        return Worked(made, told, done=Done("edge", np.flatnonzero(seam)), pieces=pieces, stands=False)

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the radius that fits, or smaller faces."""
        if not isinstance(error, RadiusTooLarge):
            return finer_ways(error, self.finer)
        fits = fitting_text(error.largest)
        return (Action(f"Use a radius of {fits}", "radius" if self.rim == "rim rolled" else "round", fits),)


def _kept(item: MeshItem, outlines: list[Floats]) -> Worked:
    """Keep what the outlines hold."""
    done, off = keep_inside(item.mesh, outlines, item.surface)
    told = f"What {several(len(outlines), 'curve')} {'holds' if len(outlines) == 1 else 'hold'} is kept; its rims come within {length_text(off)} of them."
    return Worked(done, told, done=Done("edge", np.flatnonzero(done.edges_in("seam"))))


def _square_to(curves: list[NurbsCurve]) -> Floats:
    """Return the way (3,) square to the plane of the first curve."""
    places = curve_points(curves[0], np.linspace(*curves[0].domain, 64))
    return np.asarray(np.linalg.svd(places - places.mean(axis=0))[2][2])


def outline_of(curve: NurbsCurve, number: int, count: int) -> Floats:
    """Return places (n, 3) along a closed curve, its corners among them; KernelError for an open one."""
    if not curve.is_closed(1e-6 * max(float(np.ptp(curve.control_points, axis=0).max()), 1e-9)):
        which = f"Curve {number}" if count > 1 else "The curve"
        raise KernelError(f"{which} is open: an opening needs a closed one. Join its ends first.")
    stops = np.unique(np.concatenate((curve.domain, find_kinks(curve, KINK))))
    each = max(16, SAMPLES // (len(stops) - 1))
    params = np.concatenate([np.linspace(a, b, each, endpoint=False) for a, b in pairwise(stops)])
    return curve_points(curve, params)


def laid_outlines(mesh: Mesh, curves: Sequence[NurbsCurve], laid: str) -> list[Floats]:
    """Return places (n, 3) along closed curves, laid on a mesh as the field says; KernelError for open ones."""
    outlines = [outline_of(curve, number, len(curves)) for number, curve in enumerate(curves, 1)]
    if laid == "as they lie":
        return outlines
    seen, way = NearestOnMesh(mesh), np.array(_WAYS[laid], dtype=np.float64)
    for outline in outlines:
        _check_seen(outline, way, laid)
    return [_laid_on(seen, outline, way) for outline in outlines]


def _check_seen(outline: Floats, way: Floats, laid: str) -> None:
    """Raise KernelError for an outline of which nothing but a line is seen along a way."""
    ahead = np.roll(outline, -1, axis=0)
    area = 0.5 * abs(float((cross(outline - outline[0], ahead - outline[0]) @ way).sum()))
    if area < THIN * float(lengths(ahead - outline).sum()) ** 2:
        plane = np.linalg.svd(outline - outline.mean(axis=0))[2][2]
        best = max(_WAYS, key=lambda name: abs(float(np.array(_WAYS[name]) @ plane)))
        raise KernelError(f"Seen {laid} the curve is only a line. Lay it {best}, or turn it.")


def _laid_on(mesh: NearestOnMesh, outline: Floats, way: Floats) -> Floats:
    """Return an outline laid on a mesh along a way; KernelError where it misses it."""
    places, faces = mesh.seen(outline, way)
    if (faces < 0).any():
        raise KernelError("A curve reaches past the mesh, seen so: move it in, or look from another side.")
    return places
