"""Polygon meshes from surfaces."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Ints
from glass_spoon.kernel.errors import CountImpossible, KernelError, TooManyFaces
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.chord_counts import counts_for_turn
from glass_spoon.kernel.meshing.count_plan import CountRule
from glass_spoon.kernel.meshing.cut_set import has_long_flat_end
from glass_spoon.kernel.meshing.divide_length import count_for_chord, count_for_edge_length, make_guide
from glass_spoon.kernel.meshing.explain_valences import explain_valences, valence_sentence
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.subdivision.fit_smoothed import fit_smoothed
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.split_to_meet import split_to_meet
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, gather_sets, one_as_set
from glass_spoon.sheet.fields import (
    EVERY,
    ChoiceSpec,
    ItemName,
    NameSpec,
    Number,
    NumberSpec,
    ReferenceSpec,
)
from glass_spoon.sheet.items import Item, MeshItem, SurfacesItem, TrimmedItem
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import length_text, made_findings, noted_findings, several
from glass_spoon.sheet.lines.mesh_work.mesh_search import (
    bends_stepped_over,
    gap_findings,
    length_within,
    mesh_near_count,
    one_length_for_faces,
    set_length_for_faces,
)
from glass_spoon.sheet.lines.mesh_work.mesh_trimmed import mesh_of_faces, step_wish
from glass_spoon.sheet.lines.mesh_work.surface_pieces import surface_pieces
from glass_spoon.sheet.mesh_item import FACE_LIMIT, Piece
from glass_spoon.sheet.phrase import Phrase

CAP_STEP = 8
"""Counts round that are chosen here close a pole in steps of this, so that the core has a vertex on the pole itself."""

CLOSED_LEAST = 3
"""Fewest edges round a closed direction."""

MEETING = 0.01
"""Distance in mm within which edges of surfaces that are meshed together are shared."""

MOST_EXPLAINED = 60_000
"""Largest mesh whose unusual points are told."""

FIT_SHARE = 1e-5
"""Share of the size of a part to which the smoothed shape is brought to the surface."""

Sizing = Literal["counts", "edge length", "chord", "faces", "tolerance", "another mesh"]
Counting = Literal["any", "even", "odd", "multiples"]
CHORD_MIDDLE = " {sizing}: at most {chord} off the surface, turning at most {turn} an edge"


class MeshSurface(Line):
    """A quad mesh of a surface."""

    chapter = "Mesh"
    summary = "Make an even quad mesh of a surface."
    words = ("quads", "polygons", "faces", "convert", "tessellate", "divide", "even quads")
    phrases = (
        Phrase(r"{round} (?:by|x|×|times) {along}", {"sizing": "counts"}),
        Phrase(
            r"{round} (?:faces |quads |edges )?(?:a?round|about)(?: it)?(?: and| by|,)? {along} (?:faces |quads |edges )?(?:along|up|high)",
            {"sizing": "counts"},
            finds=False,
        ),
        Phrase(r"(?:about |around |some )?{faces} (?:even )?(?:quads|faces|polygons)", {"sizing": "faces"}),
        Phrase(r"(?:face count|faces)(?: of| about)? {faces}", {"sizing": "faces"}),
        Phrase(r"edges?(?: length)?(?: of| about)? {edge_length}", {"sizing": "edge length"}),
        Phrase(r"{edge_length} edges", {"sizing": "edge length"}),
        Phrase(r"chord(?: tolerance| error)?(?: of)? {chord}", {"sizing": "chord"}),
        Phrase(r"(?:smoothed |loosest |tolerance )*(?:within|tolerance)(?: of)? {tolerance}", {"sizing": "tolerance"}),
        Phrase(r"(?:as many as|counts? of|counts? like|like)", {"sizing": "another mesh"}),
        Phrase(r"multiples? of {step}", {"counting": "multiples"}),
        Phrase(r"denser (?:at|where it) bends?", {"spaced": "denser at bends"}),
    )
    sentence = (
        "**Mesh** {surface} by[ {sizing}:] {round} round and {along} along[, {counting} counts][, spaced {spaced}]"
        "[, poles closed with {poles}][, sharp points {sharp}][, {lying} on the surface], giving {gives}."
    )
    gives_kind = "mesh"
    signs = True
    results = 6  # patches whose grids would be slanted or uneven are meshed as one

    verb: Literal["mesh"] = "mesh"
    surface: Annotated[
        str,
        ReferenceSpec(
            "The surface, surfaces that meet, trimmed ones, or every surface so far.",
            "surface",
            also=("surfaces", "trimmed"),
            every=True,
        ),
    ] = ""
    sizing: Annotated[
        Sizing,
        ChoiceSpec(
            "What decides the counts: numbers, an edge length, a distance and an angle, a count of faces, the loosest that keeps"
            " the smoothed shape within a tolerance, or those of another mesh.",
            ("counts", "edge length", "chord", "faces", "tolerance", "another mesh"),
            ("counts", "edge length", "chord", "face count", "smoothed tolerance", "another mesh"),
        ),
    ] = "counts"
    round: Annotated[Number, NumberSpec("Edges round.", label="count round", least=1, most=1e9, whole=True, step=4)] = 48
    along: Annotated[Number, NumberSpec("Edges along the profile.", label="count along", least=1, most=1e9, whole=True)] = 26
    edge_length: Annotated[Number, NumberSpec("Wanted length of the edges.", "length", least=1e-3, most=1e6)] = "8 mm"
    chord: Annotated[
        Number,
        NumberSpec(
            "Most that an edge may stand off the surface.",
            "length",
            label="chord tolerance",
            least=1e-5,
            most=1e6,
            step=0.05,
        ),
    ] = "0.2 mm"
    turn: Annotated[
        Number,
        NumberSpec(
            "Most that the surface may turn by over an edge.",
            "angle",
            label="angle of an edge",
            least=0,
            above=True,
            most=np.pi,
            step=5,
        ),
    ] = "180°"
    faces: Annotated[
        Number, NumberSpec("About so many faces.", label="count of faces", least=6, most=4e6, whole=True, step=100)
    ] = 1000
    tolerance: Annotated[
        Number, NumberSpec("Most that the smoothed shape may be off the surface.", "length", least=1e-4, most=1e5, step=0.05)
    ] = "0.1 mm"
    like: Annotated[str, ReferenceSpec("The mesh whose counts are taken.", "mesh")] = ""
    counting: Annotated[
        Counting,
        ChoiceSpec("Which counts are allowed.", ("any", "even", "odd", "multiples"), ("any", "even", "odd", "multiples of")),
    ] = "any"
    step: Annotated[
        Number, NumberSpec("Counts are multiples of this.", label="step of the counts", least=2, most=1000, whole=True)
    ] = 4
    spaced: Annotated[
        Literal["evenly", "denser at bends", "by parameter"],
        ChoiceSpec(
            "By true arc length, denser where it bends, or by the surface's own parameter.",
            ("evenly", "denser at bends", "by parameter"),
        ),
    ] = "evenly"
    strength: Annotated[
        Number,
        NumberSpec(
            "How much denser at bends: at a mean bend so many times more than where it is straight.",
            label="strength at bends",
            least=0,
            most=20,
            step=0.5,
        ),
    ] = 1
    poles: Annotated[
        Literal["quads", "fan"],
        ChoiceSpec(
            "How the mesh closes where the profile touches the axis: a core of quads, or triangles.", ("quads", "fan")
        ),
    ] = "quads"
    sharp: Annotated[
        Literal["kept", "softened"],
        ChoiceSpec("Whether smoothing keeps the sharp points of the profile as creases.", ("kept", "softened")),
    ] = "kept"
    lying: Annotated[
        Literal["points", "smoothed"],
        ChoiceSpec(
            "What lies on the surface: the points of the mesh, or the shape that smoothing makes of it.",
            ("points", "smoothed"),
            ("its points", "its smoothed shape"),
        ),
    ] = "points"
    gives: Annotated[ItemName, NameSpec("Name of the mesh.")] = "mesh"

    def sentence_now(self) -> str:
        """Show the fields that the sizing and the spacing use."""
        middle = {
            "counts": "[ {sizing}:] {round} round and {along} along",
            "edge length": " {sizing}: edges of {edge_length}",
            "chord": CHORD_MIDDLE,
            "faces": " {sizing}: about {faces}",
            "tolerance": " {sizing}: the loosest within {tolerance}",
            "another mesh": " {sizing}: as many as {like}",
        }[self.sizing]
        counting = (
            ""
            if self.sizing == "another mesh"
            else ", {counting} {step}"
            if self.counting == "multiples"
            else "[, {counting} counts]"
        )
        spaced = "spaced {spaced} with strength {strength}" if self.spaced == "denser at bends" else "spaced {spaced}"
        text = self.sentence.replace("[ {sizing}:] {round} round and {along} along[, {counting} counts]", middle + counting)
        return text.replace("spaced {spaced}", spaced)

    def deciding_fields(self) -> list[str]:
        """Leave out the fields that the sentence does not show."""
        now = set(self.used_fields())
        return [name for name in super().deciding_fields() if name in now]

    def rule(self, given: Given) -> CountRule:
        """Return which counts are allowed."""
        plain = {"any": CountRule(), "even": CountRule(2), "odd": CountRule(2, 1)}
        if self.sizing == "another mesh":
            return CountRule()
        return plain[self.counting] if self.counting in plain else CountRule(given.count("step"))

    def bend(self, given: Given) -> float:
        """Return how much denser edges lie at bends."""
        return given.number("strength") if self.spaced == "denser at bends" else 0.0

    def wish(self, given: Given, length: float | None = None) -> Wish:
        """Return what the counts of a set should come near to; `length` in mm where it was searched for."""
        common = Wish(rule=self.rule(given), bend=self.bend(given))
        if length is not None:
            return replace(common, lengths=(length, length))
        if self.sizing == "counts":
            return replace(common, counts=(given.count("round"), given.count("along")))
        if self.sizing == "another mesh":
            return replace(common, counts=_counts_of(given.mesh("like")))
        if self.sizing == "edge length":
            return replace(common, lengths=(given.number("edge_length"),) * 2)
        return replace(common, chord=given.number("chord"), turn=_turn(given))

    def counts(self, surface: NurbsSurface, given: Given, length: float | None = None) -> tuple[int, int]:
        """Return the counts round and along of one surface."""
        wish = self.wish(given, length)
        if wish.counts is not None:
            found = wish.counts
            if self.sizing == "counts" and wish.rule.step == 1:
                return self._possible_counts(surface, *found)
        else:
            guides = make_guide(surface, 0), make_guide(surface, 1)
            if wish.chord:
                turns = counts_for_turn((surface,), wish.turn)[0] if wish.turn else np.ones(2)
                found = tuple(  # type: ignore[assignment]  # two counts
                    max(count_for_chord(guide, wish.chord), int(np.ceil(turns[axis] - 1e-6)))
                    for axis, guide in enumerate(guides)
                )
            else:
                found = tuple(count_for_edge_length(guide, wish.lengths[0]) for guide in guides)  # type: ignore[assignment]  # two
        return self._closing_counts(surface, wish.rule, *found)

    def _possible_counts(self, surface: NurbsSurface, around: int, along: int) -> tuple[int, int]:
        """Return the counts nearest above that give a mesh: even where quads close a pole, an edge for each smooth run."""
        poles = [surface.is_pole(1, end, 1e-6) for end in (0, -1)]
        closed = [surface.is_closed(axis, 1e-6) for axis in (0, 1)]
        guides = make_guide(surface, 0), make_guide(surface, 1)
        least = [max(len(guide.sizes), CLOSED_LEAST if ring else 1) for guide, ring in zip(guides, closed, strict=True)]
        around = max(around, least[0])
        if any(poles) and self.poles == "quads":
            around = max(around + around % 2, CLOSED_LEAST + 1 if closed[0] else 2)
        return around, max(along, least[1], sum(poles))

    def _counts_told(self, counts: tuple[int, int] | None, given: Given) -> str:
        """Say which counts were taken in place of those asked for, and why."""
        if counts is None or self.sizing != "counts" or self.counting != "any":
            return ""
        asked = given.count("round"), given.count("along")
        told = []
        if counts[0] != asked[0]:
            why = "a pole closed with quads needs an even count" if asked[0] % 2 else "the shape needs as many"
            told.append(f"{counts[0]} round in place of {asked[0]}: {why}.")
        if counts[1] != asked[1]:
            told.append(f"{counts[1]} along in place of {asked[1]}: every run between sharp points needs an edge.")
        return " ".join(told)

    def _bends_told(self, shape: NurbsSurface | SurfaceSet, given: Given, length: float | None) -> str:
        """Say which bends got an edge at both ends and in the middle, as even edges would step over them."""
        wish = self._set_wish(given, shape, length) if self.spaced == "evenly" else None
        found = bends_stepped_over(shape, wish) if wish is not None else ()
        if not found:
            return ""
        sizes = length_text(min(found)) + (f" to {length_text(max(found))}" if max(found) > 1.01 * min(found) else "")
        return f"Bends {sizes} long are finer than the edges: each keeps its ends and a middle."

    def _closing_counts(self, surface: NurbsSurface, rule: CountRule, around: int, along: int) -> tuple[int, int]:
        """Return counts that the rule allows and that close the surface and its poles."""
        least = [CLOSED_LEAST if surface.is_closed(axis, 1e-6) else 1 for axis in (0, 1)]
        has_pole = surface.is_pole(1, 0, 1e-6) or surface.is_pole(1, -1, 1e-6)
        if has_pole:
            least[1] = max(least[1], 2)
        if has_pole and self.poles == "quads":
            if rule.step == 1:
                around = CAP_STEP * max(1, -(-around // CAP_STEP))
            else:
                rule = rule.and_even()
        return rule.nearest(around, max(least[0], around if rule.step == 1 else 0)), self.rule_along(rule, along, least[1])

    def rule_along(self, rule: CountRule, along: int, least: int) -> int:
        """Return the count along that the rule allows."""
        own = CountRule() if rule.step == 1 else CountRule(rule.step, rule.rest)
        return own.nearest(along, max(least, along if own.step == 1 else 0))

    def predict_faces(self, given: Given) -> int:
        """Return the product of the counts; caps, sets and what is searched for count when laid out, before memory is taken."""
        if (
            self.surface == EVERY
            or isinstance(given.items["surface"], SurfacesItem | TrimmedItem)
            or self.sizing in ("faces", "tolerance")
        ):
            return 0
        around, along = self.counts(given.surface("surface").surface, given)
        return around * along

    def build(self, given: Given) -> MeshItem:
        """Mesh the surface, or the set as one piece."""
        if self.surface != EVERY and isinstance(given.items["surface"], TrimmedItem):
            return self._of_faces(given, given.items["surface"])
        shape, parents = self._shape(given)
        told = ""
        length = None
        if self.sizing == "faces":
            mesh, length = mesh_near_count(
                given.count("faces"),
                lambda count: self._length_for_faces(given, shape, count),
                lambda length: self._meshed(given, shape, length),
            )
            told = f"{several(mesh.face_count, 'face')}, with edges of about {length_text(length)}."
        else:
            if self.sizing == "tolerance":
                length, told = length_within(
                    given.number("tolerance"),
                    shape,
                    lambda length: self._meshed(given, shape, length),
                    lambda mesh: self._fitted(mesh, shape)[0],
                )
            mesh = self._meshed(given, shape, length)
        mesh, more = self._fitted(mesh, shape)
        counts = None if isinstance(shape, SurfaceSet) else self.counts(shape, given, length)
        host = shape if isinstance(shape, SurfaceSet) else one_as_set(shape)
        explained = explain_valences(mesh, len(host.surfaces), host.regions) if mesh.face_count <= MOST_EXPLAINED else {}
        odd = valence_sentence(explained)
        fine = self._bends_told(shape, given, length)
        told = " ".join(part for part in (self._counts_told(counts, given), told, fine, more, odd) if part)
        return MeshItem(mesh, shape, (), told, counts, self._pieces(given, parents))

    def _of_faces(self, given: Given, item: TrimmedItem) -> MeshItem:
        """Mesh trimmed surfaces; counts ask for about as many faces as they would make."""
        wish = step_wish(self.sizing, self.wish(given) if self.sizing not in ("faces", "tolerance") else None, given)
        kept = self.sharp == "kept"
        mesh, host, told = mesh_of_faces(
            item.shape, wish, lambda mesh: self._fitted(mesh, SurfaceSet(()))[0], crease_sharp=kept
        )
        mesh, more = self._fitted(mesh, host)
        return MeshItem(mesh, host, (), " ".join(part for part in (told, more) if part), None, self._pieces(given, None))

    def _pieces(self, given: Given, parents: Ints | None) -> tuple[Piece, ...]:
        """Return what each piece was made of: the surfaces in the order of the set; parents: whose part each is, if cut."""
        found = []
        for name, item in given.items.items():
            if name.partition(".")[0] == "surface":
                found += surface_pieces(item, (given.ids[name], given.ids[""]))
        return tuple(found if parents is None else [found[parent] for parent in parents])

    def _shape(self, given: Given) -> tuple[NurbsSurface | SurfaceSet, Ints | None]:
        """Return the surface, the set, or all surfaces so far as one set that is cut where edges meet; whose part each is."""
        if self.surface == EVERY:
            return split_to_meet(gather_sets(given.every_set("surface"), MEETING))
        item = given.items["surface"]
        return (item.shape if isinstance(item, SurfacesItem) else given.surface("surface").surface), None

    def _meshed(self, given: Given, shape: NurbsSurface | SurfaceSet, length: float | None) -> Mesh:
        """Return the mesh with the counts wished, or with edges of a length in mm."""
        kept = self.sharp == "kept"
        wish = self._set_wish(given, shape, length)
        if wish is not None:
            whole = shape if isinstance(shape, SurfaceSet) else one_as_set(shape)
            return mesh_set(whole, wish, self.poles, crease_sharp=kept, face_limit=FACE_LIMIT)
        assert not isinstance(shape, SurfaceSet)
        around, along = self.counts(shape, given, length)
        by_parameter = self.spaced == "by parameter"
        spaced: Literal["evenly", "by parameter"] = "by parameter" if by_parameter else "evenly"
        return mesh_surface(
            shape,
            around,
            along,
            spaced,
            self.poles,
            crease_sharp=kept,
            face_limit=FACE_LIMIT,
            bend=0.0 if by_parameter else self.bend(given),
        )

    def _set_wish(self, given: Given, shape: NurbsSurface | SurfaceSet, length: float | None) -> Wish | None:
        """Return the wish for what is meshed as a set: sets, flat ends that are no circles, bends finer than the edges."""
        wish = self.wish(given, length)
        if isinstance(shape, SurfaceSet):
            return wish
        if self.poles == "quads" and self.spaced != "by parameter" and has_long_flat_end(shape):
            counts = self.counts(shape, given, length)
            lengths = [make_guide(shape, axis).arc.length / count for axis, count in enumerate(counts)]
            return replace(wish, counts=None, lengths=(lengths[0], lengths[1]), chord=0.0, turn=0.0)
        return wish if self.spaced == "evenly" and bends_stepped_over(shape, wish) else None

    def _length_for_faces(self, given: Given, shape: NurbsSurface | SurfaceSet, wanted: int) -> float:
        """Return the edge length whose grids come nearest to a count of faces."""
        if isinstance(shape, SurfaceSet):
            return set_length_for_faces(shape, lambda length: self.wish(given, length), self.poles, wanted)
        return one_length_for_faces(shape, lambda length: self.counts(shape, given, length), self.poles, wanted)

    def _fitted(self, mesh: Mesh, shape: NurbsSurface | SurfaceSet) -> tuple[Mesh, str]:
        """Return the mesh with its smoothed shape on the surface where that is asked for, and what is left."""
        if self.lying == "points":
            return mesh, ""
        if not mesh.topology.is_quads:
            raise KernelError("Only a mesh of quads can be fitted to its smoothed shape. Close the poles with quads.")
        size = float(np.ptp(mesh.positions, axis=0).max())
        fitted, left = fit_smoothed(mesh, FIT_SHARE * size)
        return fitted, f"Smoothed, its points lie within {length_text(max(left, 1e-6))} of the surface."

    def inspect(self, item: Item) -> list[Finding]:
        """Say what was worth a note, and point at faces, edges and vertices that no good mesh has."""
        if not isinstance(item, MeshItem):
            return []
        return [*noted_findings(item), *made_findings(item.mesh), *gap_findings(item, MEETING)]

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the nearest counts that work."""
        if isinstance(error, CountImpossible):
            name = "along" if "along" in str(error) else "round"
            offers = tuple(Action(f"Try {count}", name, str(count)) for count in error.nearest)
            return (*offers, Action("Close with a fan", "poles", "fan")) if name == "round" else offers
        if isinstance(error, TooManyFaces) and self.sizing == "counts":
            return (Action("Back to 48 round", "round", "48"),)
        return ()


def _turn(given: Given) -> float:
    """Return the largest turn of an edge in rad, 0 where a half turn says that it does not count."""
    turn = given.number("turn")
    return 0.0 if turn >= np.pi - 1e-9 else turn


def _counts_of(item: MeshItem) -> tuple[int, int]:
    """Return how many edges lie round and along a mesh."""
    if item.counts is None:
        raise KernelError("That mesh has no counts to take: it is not the grid of one surface. Use counts.")
    return item.counts
