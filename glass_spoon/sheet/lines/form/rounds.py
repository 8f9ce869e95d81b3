"""Sharp edges of surfaces rounded, or chamfered, by a rolling ball."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.trims.changing_ball import BallSize
from glass_spoon.kernel.trims.round_edges import largest_ball, round_edges, sharp_edges, turn_of
from glass_spoon.kernel.trims.round_ends import BallTooLarge
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.sheet.fields import ChoiceSpec, LawSpec, LawText, Number, NumberSpec
from glass_spoon.sheet.items import Item, TrimmedItem
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.form.alter_surfaces import X, Y, Z
from glass_spoon.sheet.lines.form.fields import noted
from glass_spoon.sheet.lines.form.trims import OneShape, TrimmedName
from glass_spoon.sheet.lines.mesh_work.fields import several
from glass_spoon.sheet.phrase import Phrase


class RadiusUnfit(KernelError):
    """A ball does not fit; one of `fits` does, as it is typed, where that is not empty."""

    def __init__(self, sentence: str, fits: str) -> None:
        """Take the sentence, and the radius that fits, as it is typed."""
        super().__init__(sentence)
        self.fits = fits


class RoundEdges(Line):
    """Sharp edges of surfaces rounded by a ball."""

    chapter = "Form"
    summary = (
        "Round the sharp edges of surfaces and bodies by a rolling ball, which may change on its way; corners are closed."
    )
    words = ("fillet", "rolling ball", "soften edges", "chamfer edges")
    phrases = (
        Phrase(
            r"(?:those |the )?(?:outer|outside|convex|standing out)(?: (?:edges|ones))?",
            {"which": "standing out"},
            finds=False,
        ),
        Phrase(r"(?:those |the )?(?:inner|inside|concave|lying in)(?: (?:edges|ones))?", {"which": "lying in"}, finds=False),
        Phrase(r"fillet\w* (?:the |all |every )*(?:sharp |outer |inner )?edges?"),
        Phrase(r"the edge(?!s| nearest)(?: of)?", {"which": "nearest"}, finds=False),
        Phrase(
            r"(?:measured )?(?:from contact to contact|(?:by|as) (?:the |its )?(?:chord|width))",
            {"measure": "chord"},
            finds=False,
        ),
        Phrase(r"(?:and )?(?:(?:with )?(?:all )?(?:its |the )?corners )?set back (?:by )?{setback}", finds=False),
        Phrase(r"(?:with )?(?:a )?setback (?:of )?{setback}", finds=False),
    )
    sentence = (
        "**Round edges** of {shape} by a ball of {radius}[, {measure}][, {profile}]: {which}[, over {angle}]"
        "[, corners set back by {setback}], giving {gives}."
    )
    wording_field = "which"
    wordings = {
        "nearest": (
            "**Round edges** of {shape} by a ball of {radius}[, {measure}][, {profile}]: {which} x {x}, y {y}, z {z}"
            "[, corners set back by {setback}], giving {gives}."
        )
    }
    gives_kind = "trimmed"
    results = 4  # a finer patch at a corner has twice the spans
    uses_up = ("shape",)

    verb: Literal["round_edges"] = "round_edges"
    shape: OneShape = ""
    radius: Annotated[
        LawText,
        LawSpec(
            "The radius of the ball: 2 mm, or 2 mm to 5 mm along an edge, from its lower end on, else from its front, else from "
            "its left.",
            "length",
            least=1e-5,
            said=("ball of", "ball", "rounded by", "edges by", "by a radius"),
        ),
    ] = "2 mm"
    measure: Annotated[
        Literal["radius", "chord"],
        ChoiceSpec(
            "What is measured: the ball's radius, or how far its contacts are from each other.",
            ("radius", "chord"),
            ("measured as its radius", "measured from contact to contact"),
        ),
    ] = "radius"
    profile: Annotated[
        Literal["round", "flat"],
        ChoiceSpec(
            "Round as the ball leaves it, or straight from where it touches to where it touches: a chamfer.",
            ("round", "flat"),
            ("rounded", "chamfered"),
        ),
    ] = "round"
    which: Annotated[
        Literal["every", "standing out", "lying in", "nearest"],
        ChoiceSpec(
            "Which edges: every sharp one, those that stand out, those that lie in, or the one nearest to a place.",
            ("every", "standing out", "lying in", "nearest"),
            ("every sharp edge", "those standing out", "those lying in", "the edge nearest to"),
        ),
    ] = "every"
    angle: Annotated[
        Number,
        NumberSpec("Edges that turn by less stay.", "angle", label="least turn", least=0.01, most=np.pi, step=5),
    ] = "20°"
    x: X = "0 mm"
    y: Y = "0 mm"
    z: Z = "0 mm"
    setback: Annotated[
        Number,
        NumberSpec(
            "How far rounds stop before corners, which patches then fill; 0 for balls where they close a corner.",
            "length",
            least=0,
            most=1e5,
        ),
    ] = "0 mm"
    gives: TrimmedName = "rounded"

    def build(self, given: Given) -> TrimmedItem:
        """Round them."""
        shape = given.faces("shape")
        edges, sharp = sharp_edges(shape, 1e-3 if self.which == "nearest" else given.number("angle"))
        if self.which == "nearest":
            place = np.array([given.number(axis) for axis in "xyz"])
            away = [float(lengths(edges.uses[edges.first[edge]].places - place).min()) for edge in sharp]
            chosen = sharp[[int(np.argmin(away))]] if away else sharp
        else:
            turns = np.array([turn_of(shape, edges, int(edge)) for edge in sharp])
            sides = {"every": turns != 0, "standing out": turns > 0, "lying in": turns < 0}
            chosen = sharp[sides[self.which]]
        if not len(chosen):
            raise KernelError("No edge of two faces is as sharp as that: allow a smaller turn, or choose others.")
        size = BallSize(given.law("radius"), self.measure == "chord", self.profile == "flat")
        setback = given.number("setback") or None
        try:
            made = round_edges(shape, edges, chosen, size, setback)
        except BallTooLarge as error:
            raise _unfit(error, size, largest_ball(shape, edges, chosen, size, setback)) from error
        open_uses = find_edges(made.shape).open_uses
        before = len(edges.open_uses)
        notes: tuple[str, ...] = ()
        if len(open_uses) > before and not before:
            use = find_edges(made.shape).uses[int(open_uses[0])]
            notes = (
                f"It is open at {place_text(use.places[len(use.places) // 2])} now: use another radius, or round more edges.",
            )
        balls = f", {several(made.balls, 'corner')} closed" if made.balls else ""
        if made.filled:
            balls += (
                f", {several(made.filled, 'corner')} filled, at most {np.degrees(made.kink):.2g}° from going on smoothly"
            )
        told = f"{several(made.rounds, 'edge')} {'rounded' if self.profile == 'round' else 'chamfered'}{balls}; at most {max(made.off, 1e-9):.1g} mm off the ball."
        return TrimmedItem(made.shape, notes, told)

    def inspect(self, item: Item) -> list[Finding]:
        """Say where it is open."""
        return noted(item, "round")

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the radius that fits."""
        fits = error.fits if isinstance(error, RadiusUnfit) else ""
        return (Action(f"Use {fits}", "radius", fits),) if fits else ()


def _unfit(error: BallTooLarge, size: BallSize, share: float) -> RadiusUnfit:
    """Return the error with a ball that fits, about a share of the one that does not."""
    law = size.law
    if not share:
        return RadiusUnfit(str(error), "")
    if law.between:
        between = [f"{_below(share * value):g} mm at {place:g}" for place, value in law.between]
        ends = [f"{_below(share * value):g} mm" for value in (law.start, law.end)]
        fits = ", ".join([ends[0], *between, ends[1]])
        return RadiusUnfit(f"{error} About {fits} fits.", fits)
    values = [_below(share * value) for value in ((law.start,) if law.is_constant else (law.start, law.end))]
    way = "" if law.way == "evenly" else f" {law.way}"
    bias = "" if law.bias == 0.5 else f", bias {law.bias:g}"
    fits = " to ".join(f"{value:g} mm" for value in values) + (way + bias if len(values) > 1 else "")
    return RadiusUnfit(f"{error} About {fits} fits.", fits)


def _below(value: float) -> float:
    """Return a value of two digits that is not above another."""
    found = float(f"{value:.2g}")
    return found if found <= value else float(f"{value * 0.95:.2g}")
