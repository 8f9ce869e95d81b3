"""A surface brought up to another along an edge."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.patches.blend_edges import nearest_borders
from glass_spoon.kernel.patches.match_edge import Matched, match_edge
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Item, SurfaceItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.form.alter_surfaces import ChangedSurface
from glass_spoon.sheet.lines.form.edges import EdgeChoice, borders_of, edge_field, edge_phrases
from glass_spoon.sheet.lines.form.fields import noted
from glass_spoon.sheet.lines.form.patches import GRADES, Meeting, angle_text
from glass_spoon.sheet.phrase import Phrase

MOST_KINK = 0.1
"""Degrees up to which two surfaces run into one another smoothly."""

FAR = 1e-4
"""Share of its size by which an edge may be off before that is worth a look."""


class Match(Line):
    """A surface changed near an edge so that it meets another."""

    chapter = "Form"
    summary = (
        "Bring an edge of a surface onto an edge of another, or a curve, and let it run on from there without a crease."
    )
    words = ("align edge", "continuity", "tangent", "close gap", "meet", "smooth to", "crease", "curvature")
    phrases = (
        *edge_phrases("onto_edge", "to |onto |with "),
        *edge_phrases("edge"),
        Phrase(
            r"(?:running )?where(?:ver)? (?:it|they|both|each) (?:is|are|lies?|comes?) nearest|nearest to nearest",
            {"paired": "where it is nearest"},
            finds=False,
        ),
        Phrase(
            r"(?:with )?(?:its |the same )?(?:curvature(?: continuous(?:ly)?)?|g ?2)",
            {"meeting": "with its curvature"},
            finds=False,
        ),
        Phrase(r"(?:tangent(?:ly|ial(?:ly)?)?|smooth(?:ly)?|without a crease|g ?1)", {"meeting": "smoothly"}, finds=False),
        Phrase(r"(?:in place(?: only)?|in place alone|g ?0)", {"meeting": "in place"}, finds=False),
    )
    sentence = (
        "**Match** {surface}[, at its {edge} edge], to {onto}[, at the {onto_edge} edge], {meeting}"
        "[, changing {share} of the way across][, running {paired}]."
    )

    led = {"onto": r"(?:to|onto|with|against) (?:the |an? )?(?:(?:(?:start|end) (?:along|round) )?edge of (?:the )?)?"}

    verb: Literal["match"] = "match"
    surface: ChangedSurface = ""
    edge: Annotated[EdgeChoice, edge_field("surface")] = "nearest"
    onto: Annotated[
        str, ReferenceSpec("What it is brought to, which stays as it is.", "surface", also=("surfaces", "curve"))
    ] = ""
    onto_edge: Annotated[EdgeChoice, edge_field("other")] = "nearest"
    meeting: Annotated[
        Meeting,
        ChoiceSpec("How they meet: only in the same place, in the same planes, or with the same curvature.", tuple(GRADES)),
    ] = "smoothly"
    share: Annotated[
        Number,
        NumberSpec(
            "How much of the surface changes: a share of the way from this edge to the one across. All beyond stays.",
            least=0.02,
            most=1,
            step=0.05,
        ),
    ] = 0.5
    paired: Annotated[
        Literal["end to end", "where it is nearest"],
        ChoiceSpec(
            "Which places meet: both edges from end to end, or each place and the nearest one of the other.",
            ("end to end", "where it is nearest"),
        ),
    ] = "end to end"

    def build(self, given: Given) -> SurfaceItem:
        """Change it near the edge."""
        first, second = nearest_borders(borders_of(given, "surface", "edge"), borders_of(given, "onto", "onto_edge"))
        grade = GRADES[self.meeting] if second.surface is not None else 0
        made = match_edge(
            first, replace(second, grade=grade), given.number("share"), nearest=self.paired == "where it is nearest"
        )
        size = max(made.surface.size, 1e-12)
        return SurfaceItem(made.surface, tuple(self._notes(made, size, grade)), self._told(made))

    def _notes(self, made: Matched, size: float, grade: int) -> list[str]:
        """Return what is worth a look."""
        found = []
        if made.off > FAR * size or (np.isfinite(made.kink) and np.degrees(made.kink) > MOST_KINK):
            angle = f" with a crease of {angle_text(made.kink)}" if np.isfinite(made.kink) else ""
            found.append(
                f"The edge is up to {made.off:.2g} mm off{angle}: what it meets turns too suddenly to be followed. "
                "Rebuild that with softer bends."
            )
        if made.folds:
            found.append("It runs back on itself. Change more of the way across, or move it nearer first.")
        if grade < GRADES[self.meeting]:
            found.append("A curve has no planes to go on in: it is met in place. Match to a surface for a smooth meeting.")
        return found

    def _told(self, made: Matched) -> str:
        """Say how it meets the other, and how far it went."""
        said = [f"its edge is at most {max(made.off, 1e-9):.1g} mm off"]
        if np.isfinite(made.kink):
            said.append(f"the planes agree within {angle_text(made.kink)}")
        if np.isfinite(made.bend):
            said.append(f"the curvatures within {max(made.bend, 1e-9):.1g} per mm")
        said.append(f"it moved by up to {made.moved:.3g} mm")
        return "; ".join(said).capitalize() + "."

    def inspect(self, item: Item) -> list[Finding]:
        """Tell of creases and folds."""
        return noted(item, "match")
