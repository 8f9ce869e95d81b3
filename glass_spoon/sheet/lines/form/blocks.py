"""Boxes, balls and capsules, as quads at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from math import pi
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import owned
from glass_spoon.kernel.curves.alter.place_curve import moving
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
from glass_spoon.kernel.surfaces.sets.surface_set import place_set
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.handle import SPACE, Handle, ItemOf, length_handle
from glass_spoon.sheet.items import Item, MeshItem, Piece
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import a_place
from glass_spoon.sheet.lines.mesh_work.fields import MeshName, mesh_findings
from glass_spoon.sheet.mesh_item import FACE_LIMIT
from glass_spoon.sheet.phrase import Phrase

MOST = 2000
"""Most faces along an edge."""

_STANDS = "[, standing at x {x}, y {y}, z {z}], giving {gives}."
_EDGES = "{sizing} {edge}"
_COUNTS = {
    "box": "{sizing} {across}, {deep} and {high}",
    "ball": "{sizing} {across} to a side",
    "capsule": "{sizing} {across} to a side and {high} along",
}


def _count(help_text: str, label: str) -> NumberSpec:
    return NumberSpec(help_text, label=label, least=1, most=MOST, whole=True)


def _size(help_text: str, label: str = "", *, zero: bool = False) -> NumberSpec:
    return NumberSpec(help_text, "length", label=label, least=0, above=not zero, most=1e6)


class Block(Line):
    """A box, a ball or a capsule of quads."""

    chapter = "Form"
    summary = (
        "Make a box with sharp or rounded edges, a ball of six square sides, or a capsule: exact, all quads, at once a mesh."
    )
    words = ("box", "cube", "cuboid", "solid", "ball", "capsule", "brick", "pill", "rounded", "block", "quad ball")
    phrases = (
        Phrase(r"cube (?:of )?{width}(?! (?:by|x|×|wide|deep|high|tall))", {"depth": "{width}", "height": "{width}"}),
        Phrase(r"{width} cube", {"depth": "{width}", "height": "{width}"}, finds=False),
        Phrase(r"^\W*(?:an? |the |rounded |block )*(?:box|cube|brick)", {"form": "box"}),
        Phrase(r"^\W*(?:an? |the )?ball of (?:six|6) (?:square )?sides|(?:quad|square|block) ball", {"form": "ball"}),
        Phrase(r"^\W*(?:an? |the |block )*(?:capsule|pill)", {"form": "capsule"}),
        Phrase(r"{width} (?:by|x|×) {depth} (?:by|x|×) {height}"),
        Phrase(
            r"^\W*(?:an? |the )?(?:flat )?(?:plate|slab|board|plank|bar) (?:of )?{width} (?:by|x|×) {depth}(?:,? (?:and )?(?:{height} "
            r"(?:thick|high)|thickness (?:of )?{height}))?",
            {"form": "box"},
        ),
        Phrase(r"counts? deep (?:of )?{deep}", {"sizing": "counts"}, finds=False),
        Phrase(r"counts? high (?:of )?{high}", {"sizing": "counts"}, finds=False),
        Phrase(r"{steps} steps|steps (?:over half an edge )?{steps}", {"sizing": "counts"}, finds=False),
        Phrase(r"(?:edges )?rounded (?:by |with )?{rounding}", finds=False),
        Phrase(r"edges?(?: length)?(?: of| about)? {edge}|{edge} edges", {"sizing": "edge length"}, finds=False),
    )
    sentence = f"**Block** {{form}} {{width}} wide, {{depth}} deep and {{height}} high[, edges rounded {{rounding}}], {_EDGES}{_STANDS}"
    wording_field = "form"
    wordings = {
        "ball": f"**Block** {{form}} of radius {{radius}}, {_EDGES}[, about x {{x}}, y {{y}}, z {{z}}], giving {{gives}}.",
        "capsule": f"**Block** {{form}} of radius {{radius}}, {{height}} high, {_EDGES}{_STANDS}",
    }
    gives_kind = "mesh"
    signs = True

    verb: Literal["block"] = "block"
    form: Annotated[
        Literal["box", "ball", "capsule"],
        ChoiceSpec(
            "Which body: a box, a ball whose six sides are square, or a rod with round ends.", ("box", "ball", "capsule")
        ),
    ] = "box"
    width: Annotated[Number, _size("From left to right.")] = "60 mm"
    depth: Annotated[Number, _size("From front to back.")] = "40 mm"
    height: Annotated[Number, _size("From below to above, round ends included.")] = "30 mm"
    radius: Annotated[Number, _size("Radius of the ball, or of the ends of the capsule.")] = "12 mm"
    rounding: Annotated[Number, _size("Radius of the edges; 0 leaves them sharp.", "rounding", zero=True)] = "0 mm"
    sizing: Annotated[
        Literal["edge length", "counts"],
        ChoiceSpec(
            "Whether faces are sized by the length of their edges, or counted along each edge.",
            ("edge length", "counts"),
            ("by edges of", "by counts of"),
        ),
    ] = "edge length"
    edge: Annotated[Number, _size("About how long the edges of faces are.", "edge length")] = "5 mm"
    across: Annotated[Number, _count("Faces from left to right, or along a side of the ball.", "count across")] = 8
    deep: Annotated[Number, _count("Faces from front to back.", "count deep")] = 8
    high: Annotated[Number, _count("Faces from below to above, along what is flat.", "count high")] = 6
    steps: Annotated[Number, _count("Faces over half of a rounded edge.", "steps over half an edge")] = 2
    x: Annotated[Number, a_place("x", "The place, along left-right.", named=True)] = "0 mm"
    y: Annotated[Number, a_place("y", "The place, along front-back.", named=True)] = "0 mm"
    z: Annotated[Number, a_place("z", "The place, upwards: of the foot, or of the middle of a ball.", named=True)] = "0 mm"
    gives: MeshName = "block"

    def sentence_now(self) -> str:
        """Ask for counts where they are given, and for the steps over rounded edges."""
        text = super().sentence_now()
        if self.sizing == "edge length":
            return text
        rounded = (
            ", {steps} over half a rounded edge" if self.form == "box" and str(self.rounding).strip() not in _NONE else ""
        )
        return text.replace(_EDGES, _COUNTS[self.form] + rounded)

    def predict_faces(self, given: Given) -> int:
        """Count the faces."""
        return self._body(given).face_count

    def build(self, given: Given) -> MeshItem:
        """Make it about the origin and set it down."""
        made = mesh_six_sides(self._body(given), FACE_LIMIT)
        place = np.array([given.number(name) for name in "xyz"])
        if self.form != "ball":
            place[2] += given.number("height") / 2
        mesh = replace(made.mesh, positions=owned(made.mesh.positions + place))
        shape = place_set(made.shape, moving(place))
        return MeshItem(mesh, shape, pieces=tuple(Piece((given.ids[""],), name) for name in made.names))

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return mesh_findings(item)

    def _body(self, given: Given) -> SixSides:
        """Return the inner box and the ball over it, with the counts of faces."""
        if self.form == "box":
            sizes = np.array([given.number(name) for name in ("width", "depth", "height")])
            radius = given.number("rounding")
        else:
            radius = given.number("radius")
            high = given.number("height") if self.form == "capsule" else 2 * radius
            sizes = np.array([2 * radius, 2 * radius, high])
        half = sizes / 2 - radius
        half[np.abs(half) <= 1e-9 * sizes.max()] = 0.0
        if half.min() < 0:
            if self.form == "capsule":
                raise InvalidInput(
                    "The height of a capsule", f"at least {2 * radius:.4g} mm, twice its radius", f"{sizes[2]:.4g} mm"
                )
            raise InvalidInput(
                "The rounding of the edges", f"at most {sizes.min() / 2:.4g} mm, half the smallest size", f"{radius:.4g} mm"
            )
        x, y, z = half.tolist()
        if self.sizing == "counts":
            across, high_count = given.count("across"), given.count("high")
            counts = (across, given.count("deep") if self.form == "box" else across, high_count)
            steps = given.count("steps") if self.form == "box" else max(1, round(across / 2))
            return SixSides((x, y, z), radius, counts, steps, across)
        edge = given.number("edge")
        along = [int(np.clip(round(2 * length / edge), 1, MOST)) for length in half]
        turns = int(np.clip(round(radius * pi / 2 / edge), 2, MOST))
        steps = int(np.clip(round(radius * pi / 4 / edge), 1, MOST))
        return SixSides((x, y, z), radius, (along[0], along[1], along[2]), steps, turns)

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return its place and its sizes."""
        place = np.array([values[name] for name in "xyz"])
        used = self.used_fields()
        found = super().handles(values, item_of)
        for field, axis, share in (("width", "x", 0.5), ("depth", "y", 0.5), ("height", "z", 1.0), ("radius", "x", 1.0)):
            if field in used:
                found.append(length_handle(field, values[field], place, SPACE[axis], share, self.spec(field).label))
        return found


_NONE = ("0", "0 mm", "0.0", "0.0 mm")
"""How no rounding is written."""
