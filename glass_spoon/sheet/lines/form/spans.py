"""One surface through crossing curves, between two edges, or through scattered points."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.blend_edges import Blend, Border, blend_edges, nearest_borders
from glass_spoon.kernel.patches.fit_cloud import fit_cloud
from glass_spoon.kernel.patches.gordon import gordon_surface
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import Item, SurfaceItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.form.edges import EdgeChoice, borders_of, edge_field, edge_phrases
from glass_spoon.sheet.lines.form.fields import SurfaceName, Within, noted
from glass_spoon.sheet.lines.form.patches import GRADES, Ends, Meeting, angle_text
from glass_spoon.sheet.lines.mesh_work.fields import HeldMarks

FAR = 1e-3
"""Share of its size by which a surface may miss its curves before that is worth a look."""
PLACES = 16
"""Places a span of a curve that a surface is fitted to."""
MOST_KINK = 0.1
"""Degrees up to which a blend counts as smooth."""


class Span(Line):
    """One surface through curves of two ways."""

    chapter = "Form"
    summary = "Span one surface through curves of two ways that all cross each other: panels, sails, hulls, seats."
    words = ("gordon", "coons", "network surface", "crossing curves", "grid of curves", "four edges", "skin")
    sentence = "**Span** a surface through {curves}[, crossings meeting within {within}], giving {gives}."
    gives_kind = "surface"

    verb: Literal["span"] = "span"
    curves: Annotated[
        Items,
        ReferencesSpec(
            "The curves of both ways, in any order: each of one way crosses each of the other once.",
            "curve",
            also=("curves",),
        ),
    ] = []
    within: Ends = "0.1 mm"
    gives: SurfaceName = "panel"

    def build(self, given: Given) -> SurfaceItem:
        """Blend both ways."""
        made = gordon_surface(given.every_curve("curves"), given.number("within"))
        told = [f"{made.counts[0]} curves one way, {made.counts[1]} the other"]
        if made.gap > 1e-6:
            told.append(f"crossings up to {made.gap:.2g} mm apart brought together")
        if made.over > given.number("within"):
            told.append(f"it ends at the outermost crossings, up to {made.over:.3g} mm of the curves run on past them")
        told.append(f"at most {max(made.off, 1e-9):.1g} mm off the curves")
        far = made.off > FAR * made.surface.size + made.gap
        note = (
            f"The surface lies up to {made.off:.2g} mm off the curves, which bend too suddenly for it. Give them softer bends, "
            "or fill them with Net."
        )
        return SurfaceItem(made.surface, (note,) if far else (), "; ".join(told) + ".")

    def inspect(self, item: Item) -> list[Finding]:
        """Tell where it leaves its curves."""
        return noted(item, "off")


Bulge = Annotated[
    Number, NumberSpec("How far it runs on straight before it turns: 1 as usual.", least=0.05, most=10, step=0.1)
]


class BlendSurfaces(Line):
    """A surface from an edge to an edge."""

    chapter = "Form"
    summary = "Blend from an edge of a surface to an edge of another, or to a curve, as smoothly as each side asks."
    words = ("bridge surfaces", "transition", "connect edges", "fillet", "between", "tangent")
    sentence = (
        "**Blend surfaces** from {first}[, at its {first_edge} edge], leaving {first_meeting}[ with a bulge of {first_bulge}], "
        "to {second}[, at the {second_edge} edge], arriving {second_meeting}[ with a last bulge of {second_bulge}], giving {gives}."
    )
    gives_kind = "surface"
    phrases = (*edge_phrases("second_edge", "to |and "), *edge_phrases("first_edge"))

    verb: Literal["blend_surfaces"] = "blend_surfaces"
    first: Annotated[str, ReferenceSpec("What it starts from.", "surface", also=("surfaces", "curve"))] = ""
    first_edge: Annotated[EdgeChoice, edge_field("first")] = "nearest"
    first_meeting: Annotated[Meeting, ChoiceSpec("How it leaves the first.", tuple(GRADES))] = "smoothly"
    first_bulge: Bulge = 1
    second: Annotated[str, ReferenceSpec("What it comes to.", "surface", also=("surfaces", "curve"))] = ""
    second_edge: Annotated[EdgeChoice, edge_field("second")] = "nearest"
    second_meeting: Annotated[Meeting, ChoiceSpec("How it comes to the second.", tuple(GRADES))] = "smoothly"
    second_bulge: Bulge = 1
    gives: SurfaceName = "blend"

    def build(self, given: Given) -> SurfaceItem:
        """Blend between both edges."""
        first, second = nearest_borders(borders_of(given, "first", "first_edge"), borders_of(given, "second", "second_edge"))
        made = blend_edges(self._asked(given, first, "first"), self._asked(given, second, "second"))
        return SurfaceItem(made.surface, tuple(self._notes(made)), self._told(made))

    def _asked(self, given: Given, border: Border, name: str) -> Border:
        """Return a border with what is asked of it; a curve can only be met in place."""
        grade = GRADES[given.word(f"{name}_meeting")] if border.surface is not None else 0
        return replace(border, grade=grade, bulge=given.number(f"{name}_bulge"))

    def _notes(self, made: Blend) -> list[str]:
        """Return what is worth a look."""
        found = []
        kinks = [kink for kink in made.kinks if np.isfinite(kink)]
        if kinks and np.degrees(max(kinks)) > MOST_KINK:
            found.append(
                f"It meets what is beside it with up to {angle_text(max(kinks))}: the edges bend too suddenly to be followed. "
                "Rebuild them with softer bends."
            )
        if made.folds:
            found.append("It runs back on itself. Take less bulge, or the other edge.")
        return found

    def _told(self, made: Blend) -> str:
        """Say how it meets both sides."""
        said = [
            f"meets the {name} within {angle_text(kink)}"
            for name, kink in zip(("first", "second"), made.kinks, strict=True)
            if np.isfinite(kink)
        ]
        said.append(f"edges at most {max(made.off, 1e-9):.1g} mm off")
        return "; ".join(said).capitalize() + "."

    def inspect(self, item: Item) -> list[Finding]:
        """Tell of creases and folds."""
        return noted(item, "blend")


class FitSurface(Line):
    """A surface fitted to points."""

    chapter = "Form"
    summary = "Fit one smooth surface to the points of meshes and curves: scans, terrain, a region to be made anew."
    words = ("points", "cloud", "scan", "height field", "approximate", "reverse", "remodel", "through points")
    sentence = "**Fit** a surface to {items}[, only what {marks} hold], within {within}, giving {gives}."
    gives_kind = "surface"

    verb: Literal["fit_surface"] = "fit_surface"
    items: Annotated[
        Items,
        ReferencesSpec("Meshes, whose points it passes, and curves.", "mesh", also=("curve", "curves"), least=1),
    ] = []
    marks: HeldMarks = []
    within: Within = "0.05 mm"
    gives: SurfaceName = "sheet"

    def build(self, given: Given) -> SurfaceItem:
        """Fit it, with more spans until it is near enough."""
        within = given.number("within")
        points = self._points(given)
        made = fit_cloud(points, within, given.progress)
        told = (
            f"{len(points):,} points, {made.spans[0]} by {made.spans[1]} spans; at most {max(made.off, 1e-9):.2g} mm off, "
            f"{max(made.middling, 1e-9):.2g} mm in the mean."
        )
        note = (
            f"A point lies {made.off:.3g} mm off the surface, more than the {within:.3g} mm asked for: the points scatter, have "
            "an edge, or turn round too far for one sheet. Allow more, or fit marked parts of it one by one."
        )
        return SurfaceItem(made.surface, (note,) if made.off > within else (), told)

    def _points(self, given: Given) -> np.ndarray:
        """Return all points (n, 3), of meshes the marked ones where there are marks."""
        marks = given.marks("marks")
        keys = [key for key in given.items if key.rpartition(".")[0] == "items"]
        meshes = [given.mesh(key) for key in keys if given.items[key].kind not in ("curve", "curves")]
        if marks and len(meshes) != 1:
            raise KernelError(
                f"Marks hold for one mesh, but {len(meshes)} are named. Fit the meshes one by one, or all of them."
            )
        found = [curve_points(curve, span_params(curve, PLACES)) for curve in self._curves(given, keys)]
        for mesh in meshes:
            held = [mark.on(mesh).points() for mark in marks]
            chosen = np.logical_or.reduce(held) if held else np.ones(mesh.mesh.point_count, dtype=bool)
            found.append(mesh.mesh.positions[chosen])
        points = np.concatenate(found)
        if not len(points):
            raise KernelError("The marks hold nothing on these meshes. Mark some of their faces or points.")
        return points

    def _curves(self, given: Given, keys: list[str]) -> list[NurbsCurve]:
        """Return the curves among the items."""
        return [curve for key in keys if given.items[key].kind in ("curve", "curves") for curve in given.curves(key)]

    def inspect(self, item: Item) -> list[Finding]:
        """Tell what is farther off."""
        return noted(item, "off")
