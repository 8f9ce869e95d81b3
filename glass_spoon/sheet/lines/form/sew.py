"""Surfaces, sets and trimmed ones taken together as one."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from glass_spoon.kernel.errors import place_text
from glass_spoon.kernel.trims.sew_faces import Sewn, near_misses, sew_faces
from glass_spoon.sheet.fields import Items, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.items import Item, TrimmedItem
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import noted
from glass_spoon.sheet.lines.form.trims import FACES, TrimmedName
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.phrase import Phrase

MOST_TOLERANCE = 10.0
"""The largest distance in mm that edges may lie apart."""


class Sew(Line):
    """Trimmed surfaces and whole ones taken together as one."""

    chapter = "Form"
    summary = (
        "Sew surfaces, sets and trimmed ones that meet at edges: they share them, face alike and are meshed as one piece."
    )
    words = ("stitch", "gather", "join faces", "one skin of faces", "close up", "watertight", "together")
    phrases = (Phrase(r"(?:stitch|sew)\w*(?: up)?|(?:make )?watertight|together|(?:in)?to one(?: skin| piece)?"),)
    sentence = "**Sew** {items} where edges lie within {tolerance}, giving {gives}."
    gives_kind = "trimmed"
    uses_up = ("items",)

    verb: Literal["sew"] = "sew"
    items: Annotated[Items, ReferencesSpec("The surfaces, sets, or trimmed ones.", "surface", also=FACES, least=1)] = []
    tolerance: Annotated[
        Number, NumberSpec("How far apart shared edges may lie.", "length", least=1e-6, most=MOST_TOLERANCE, step=0.01)
    ] = "0.01 mm"
    gives: TrimmedName = "sewn"

    def build(self, given: Given) -> TrimmedItem:
        """Put them together."""
        keys = [key for key in given.items if key.partition(".")[0] == "items"]
        sewn = sew_faces([given.faces(key) for key in keys], given.number("tolerance"))
        told = f"{several(len(sewn.shape.faces), 'face')}, {'closed' if not sewn.open_edges else 'open'}"
        if sewn.open_edges:
            told += f" at {several(sewn.open_edges, 'edge')}"
        if sewn.turned:
            told += f"; {several(sewn.turned, 'face')} turned over"
        return TrimmedItem(sewn.shape, tuple(_notes(sewn)), told + ".")

    def inspect(self, item: Item) -> list[Finding]:
        """Say what stays open, and offer the distance that closes it."""
        found = noted(item, "apart")
        if not isinstance(item, TrimmedItem) or not any("nearly meet" in finding.sentence for finding in found):
            return found
        wanted = float(f"{1.05 * near_misses(item.shape)[0].gap:.2g}")
        ways = (Action(f"Allow {wanted:g} mm", "tolerance", f"{wanted:g} mm"),) if wanted <= MOST_TOLERANCE else ()
        return [replace(one, actions=ways) if "nearly meet" in one.sentence else one for one in found]


def _notes(sewn: Sewn) -> list[str]:
    """Return what is worth a look."""
    notes = []
    if sewn.misses:
        first = sewn.misses[0]
        more = f"; {several(len(sewn.misses) - 1, 'other edge')} like it" if len(sewn.misses) > 1 else ""
        notes.append(
            f"Edges nearly meet and stay open: {length_text(first.gap)} apart at {place_text(first.place)}{more}. Bring them "
            "together, or allow a larger distance."
        )
    if len(sewn.crowded):
        notes.append(
            f"{several(len(sewn.crowded), 'edge')} of more than two faces, the first at {place_text(sewn.crowded[0])}: leave out "
            "what is taken twice or lies inside."
        )
    if sewn.parts > 1:
        notes.append(f"They make {sewn.parts} parts that share no edge: trim or lengthen them to meet, or sew them apart.")
    if sewn.one_sided:
        notes.append("They meet like a band with half a twist: they cannot all face out.")
    return notes
