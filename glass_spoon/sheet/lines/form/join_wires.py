"""Wires along curves that meet, in one skin with joints."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.errors import place_text
from glass_spoon.kernel.wires.join_wires import Wirework, fitting_share, fitting_tolerance, join_wires
from glass_spoon.kernel.wires.wire_shape import TooThick, WireShape
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.items import Item, MeshItem, Note, Piece
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.form.patches import Ends
from glass_spoon.sheet.lines.mesh_work.fields import MeshName, length_text, mesh_findings, several
from glass_spoon.sheet.phrase import Phrase

ROUNDS: dict[str, int] = {"8": 1, "16": 2, "32": 3}
"""Halvings of the four sides of a wire, by its faces round."""
_REST = "[, {around} faces round][, in edges of {edge}][, meeting within {within}], giving {gives}."


class WiresUnfit(TooThick):
    """Wires do not fit; those of `fits` mm do, and these where ends meet within `within` mm; 0 for none."""

    def __init__(self, error: TooThick, fits: float, within: float) -> None:
        """Take the error, and what fits."""
        ways = [f"Use thinner wires, such as {fits:g} mm"] if fits else []
        ways += [f"{'let' if ways else 'Let'} curves meet within {within:g} mm"] if within else []
        super().__init__(f"{error} {', or '.join(ways) or 'Use much thinner wires, or longer ones'}.", error.share)
        self.fits, self.within = fits, within


class JoinWires(Line):
    """Wires along curves as one skin."""

    chapter = "Form"
    summary = "Make wires along curves one skin of quads, with joints where they cross or meet: cages, guards, frames, nets."
    words = (
        "wire cage",
        "wire frame",
        "cage",
        "truss",
        "frame of wires",
        "joints",
        "struts",
        "guard",
        "skin of wires",
        "basket",
    )
    phrases = (
        Phrase(r"^\W*(?:join|weld|fuse|unite|merge)(?: the)? wires?(?: along| of| over)?"),
        Phrase(r"^\W*(?:an? |the )?(?:wire (?:cage|frame|basket|guard|grille)|truss|frame of (?:wires?|struts|rods))"),
        Phrase(r"(?:wires?|rods?|struts) of {width}(?: thick)?", finds=False),
        Phrase(r"(?:of |with )?(?:a )?radius (?:of )?{width}", {"width": "2 * {width}"}, finds=False),
    )
    sentence = f"**Join wires** along {{curves}}, {{section}}, {{width}} thick{_REST}"
    wording_field = "section"
    wordings = {"rectangular": f"**Join wires** along {{curves}}, {{section}}, {{width}} by {{height}}{_REST}"}
    gives_kind = "mesh"
    signs = True

    verb: Literal["join_wires"] = "join_wires"
    curves: Annotated[
        Items,
        ReferencesSpec(
            "The curves, in any order and way; where they cross or meet there is a joint.", "curve", also=("curves",)
        ),
    ] = []
    section: Annotated[
        Literal["round", "square", "rectangular"],
        ChoiceSpec("The shape of a wire's section.", ("round", "square", "rectangular")),
    ] = "round"
    width: Annotated[
        Number, NumberSpec("How thick wires are, or how wide.", "length", label="thickness", least=0, above=True, most=1e5)
    ] = "4 mm"
    height: Annotated[Number, NumberSpec("How high a rectangular wire is.", "length", least=0, above=True, most=1e5)] = (
        "2 mm"
    )
    around: Annotated[Literal["8", "16", "32"], ChoiceSpec("How many faces go round a wire.", ("8", "16", "32"))] = "16"
    edge: Annotated[
        Number,
        NumberSpec("About how long faces are along a wire.", "length", label="edge length", least=0, above=True, most=1e5),
    ] = "4 mm"
    within: Ends = "0.1 mm"
    gives: MeshName = "wirework"

    def predict_faces(self, given: Given) -> int:
        """Estimate the faces by the legs of the curves' nets."""
        whole = sum(float(lengths(np.diff(curve.control_points, axis=0)).sum()) for curve in given.every_curve("curves"))
        return int(whole / given.number("edge") * 4 * 2 ** ROUNDS[self.around])

    def build(self, given: Given) -> MeshItem:
        """Make the skin."""
        width = given.number("width")
        height = given.number("height") if self.section == "rectangular" else width
        shape = WireShape(width, height, self.section == "round", ROUNDS[self.around], given.number("edge"))
        curves, within = given.every_curve("curves"), given.number("within")
        try:
            made = join_wires(curves, shape, within)
        except TooThick as error:
            fits = float(f"{width * fitting_share(curves, shape, within, error.share):.3g}")
            raise WiresUnfit(error, fits, fitting_tolerance(curves, shape, error.near)) from error
        mesh = replace(made.mesh, faces={"piece": made.of_joint.astype(np.int32)})
        pieces = tuple(Piece((given.ids[""],), name) for name in ("wires", "joints")[: 1 + int(made.of_joint.any())])
        return MeshItem(mesh, None, _notes(made), _told(made), pieces=pieces)

    def inspect(self, item: Item) -> list[Finding]:
        """Tell of bends too tight for the wire, and point at folded faces."""
        return mesh_findings(item)

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer wires that fit."""
        if not isinstance(error, WiresUnfit):
            return ()
        thinner = (Action(f"Use {error.fits:g} mm", "width", f"{error.fits:g} mm"),) if error.fits else ()
        near = f"{error.within:g} mm"
        return thinner + ((Action(f"Let them meet within {near}", "within", near),) if error.within else ())


def _notes(made: Wirework) -> tuple[Note, ...]:
    """Tell where a curve bends more tightly than its wire is thick."""
    if made.tight is None:
        return ()
    place, radius = made.tight
    return (
        Note(
            "tight",
            f"At {place_text(place)} a wire bends to a radius of {length_text(radius)}, tighter than half its thickness: it runs "
            "into itself there. Use a thinner wire, or a wider bend.",
        ),
    )


def _told(made: Wirework) -> str:
    """Say what there is."""
    runs = made.runs
    said = [f"{several(len(runs.runs), 'wire')}, {several(len(runs.joints), 'joint')}"]
    if made.loose:
        said.append(f"{several(made.loose, 'loose end')} closed")
    if runs.gap > 1e-6:
        said.append(f"meetings up to {length_text(runs.gap)} apart brought together")
    return "; ".join(said) + "."
