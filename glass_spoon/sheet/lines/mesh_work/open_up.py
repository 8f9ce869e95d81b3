"""Openings in a mesh along curves."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.open_along import open_along
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.sheet.fields import ChoiceSpec, Items, ReferencesSpec
from glass_spoon.sheet.items import Done, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked
from glass_spoon.sheet.phrase import Phrase

SAMPLES = 480
"""Places on an outline by which it is followed, shared among its smooth runs."""

KINK = np.radians(5)
"""A curve has a corner where its direction turns by more."""

_WAYS = {
    "from above": (0, 0, -1),
    "from below": (0, 0, 1),
    "from the front": (0, 1, 0),
    "from the back": (0, -1, 0),
    "from the right": (-1, 0, 0),
    "from the left": (1, 0, 0),
}


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
        Phrase(r"(?:seen |as seen |projected )?from (?:the )?(?:top|above)", {"laid": "from above"}, finds=False),
        Phrase(r"(?:seen |as seen |projected )?from (?:the )?(?:bottom|below)", {"laid": "from below"}, finds=False),
    )
    sentence = "**Open** {mesh} along {curves}, {laid}."

    verb: Literal["open"] = "open"
    curves: Annotated[
        Items,
        ReferencesSpec("Closed curves, or sets of them; what they hold is taken out.", "curve", also=("curves",), least=1),
    ] = []
    laid: Annotated[
        Literal[
            "as they lie", "from above", "from below", "from the front", "from the back", "from the right", "from the left"
        ],
        ChoiceSpec(
            "Whether the curves lie on the mesh already, or are laid on the side that is seen first from somewhere.",
            ("as they lie", *_WAYS),
        ),
    ] = "as they lie"

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: a band of a few rows round each opening comes."""
        return given.mesh("mesh").mesh.face_count + 4 * SAMPLES * len(given.every_curve("curves"))

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Lay the curves on the mesh, and open along each."""
        curves = given.every_curve("curves")
        outlines = [outline_of(curve, number, len(curves)) for number, curve in enumerate(curves, 1)]
        if self.laid != "as they lie":
            seen, way = NearestOnMesh(item.mesh), np.array(_WAYS[self.laid], dtype=np.float64)
            outlines = [_laid_on(seen, outline, way) for outline in outlines]
        done = open_along(item.mesh, outlines, item.surface)
        told = f"{several(done.rims, 'opening')}; edges of their rims come within {length_text(done.off)} of the curves."
        if len(done.odd):
            told += f" {several(len(done.odd), 'point')} about them {'has' if len(done.odd) == 1 else 'have'} other than four edges."
        roles = done.origin.edge_roles
        on_rim = np.zeros(0) if roles is None else roles == done.origin.roles.index("rim")
        return Worked(done, told, done=Done("edge", np.flatnonzero(on_rim)))


def outline_of(curve: NurbsCurve, number: int, count: int) -> Floats:
    """Return places (n, 3) along a closed curve, its corners among them; KernelError for an open one."""
    if not curve.is_closed(1e-6 * max(float(np.ptp(curve.control_points, axis=0).max()), 1e-9)):
        which = f"Curve {number}" if count > 1 else "The curve"
        raise KernelError(f"{which} is open: an opening needs a closed one. Join its ends first.")
    stops = np.unique(np.concatenate((curve.domain, find_kinks(curve, KINK))))
    each = max(16, SAMPLES // (len(stops) - 1))
    params = np.concatenate([np.linspace(a, b, each, endpoint=False) for a, b in pairwise(stops)])
    return curve_points(curve, params)


def _laid_on(mesh: NearestOnMesh, outline: Floats, way: Floats) -> Floats:
    """Return an outline laid on a mesh along a way; KernelError where it misses it."""
    places, faces = mesh.seen(outline, way)
    if (faces < 0).any():
        raise KernelError("A curve reaches past the mesh, seen so: move it in, or look from another side.")
    return places
