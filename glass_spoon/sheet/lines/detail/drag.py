"""Points, edges and faces taken by hand and kept in one line."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, owned
from glass_spoon.kernel.detail.drag import Following, drag, found_near
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.marked import MarkKind, element_middles
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked, same_elements
from glass_spoon.sheet.fields import ChoiceSpec, Column, Rows, TableSpec
from glass_spoon.sheet.handle import Change, Handle, ItemOf, vector_of
from glass_spoon.sheet.items import Done, MeshItem, Note
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import (
    OTHER_SIDE,
    FadeLaw,
    FadeThrough,
    Mirrored,
    Reach,
    mirror_turn,
)
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.picks import SIGN_COLUMNS, found_picks

MOST_HANDLES = 200
"""Most places whose handles are shown."""

LOST = 0.02
"""A place whose element is not known for sure is that of a row within this share of the mesh's size."""

DRAG_COLUMNS = (
    Column("x", "left-right", "length"),
    Column("y", "front-back", "length"),
    Column("z", "up", "length"),
    Column("right", "goes right", "length", blank="0"),
    Column("back", "goes back", "length", blank="0"),
    Column("rise", "goes up", "length", blank="0"),
    *SIGN_COLUMNS,
)
BOX_COLUMNS = (
    Column("x", "from the left", "length"),
    Column("y", "from the front", "length"),
    Column("z", "from below", "length"),
    Column("width", "width", "length"),
    Column("depth", "depth", "length"),
    Column("height", "height", "length"),
)
_GOES = ("right", "back", "rise")
_KINDS: dict[str, MarkKind] = {"points": "point", "edges": "edge", "faces": "face"}
_REACH = "[; what is within {reach} follows]"


class Drag(MeshWork):
    """Points, edges or faces of a mesh dragged by hand."""

    chapter = "Detail"
    summary = "Drag points, edges or faces of a mesh by hand, in any view or typed; what is about them may follow."
    words = (
        "move point",
        "grab",
        "by hand",
        "tweak",
        "vertex",
        "pull point",
        "soft selection",
        "displace",
        "free hand",
        "shape",
    )
    phrases = (
        Phrase(r"(?:within|reach(?:ing)?(?: of)?|falloff(?: of)?) {reach}(?: follow(?:s|ing)?)?", finds=False),
        Phrase(r"mirrored(?! (?:left|front))|symmetric(?:ally)?|both sides", {"mirrored": "left and right"}, finds=False),
    )
    sentence = f"**Drag** {{drags}} by hand: {{what}} of {{mesh}}[, picked within {{box}}][, {{mirrored}}][, along {{axes}}]{_REACH}."

    verb: Literal["drag"] = "drag"
    drags: Annotated[
        Rows,
        TableSpec(
            "Places on the mesh, each of which takes what is nearest to it, and how far that goes.",
            columns=DRAG_COLUMNS,
            noun=("place", "places"),
            said="{x}, {y}, {z} by {right}, {back}, {rise}",
        ),
    ] = []
    what: Annotated[
        Literal["points", "edges", "faces"], ChoiceSpec("What is taken at each place.", ("points", "edges", "faces"))
    ] = "points"
    box: Annotated[
        Rows,
        TableSpec(
            "Where the mesh began and how far it reached when the places were picked: they go along when its size changes.",
            columns=BOX_COLUMNS,
            noun=("box", "boxes"),
            said="{x}, {y}, {z}, {width} by {depth} by {height}",
        ),
    ] = []
    axes: Annotated[
        Literal["space", "own"],
        ChoiceSpec(
            "What right, back and up mean: those of the space, or its own, which turn with it when it is turned as a whole.",
            ("space", "own"),
            ("the axes of the space", "its own axes"),
        ),
    ] = "space"
    mirrored: Mirrored = "this side alone"
    reach: Reach = "0 mm"
    law: FadeLaw = "1 to 0 eased"
    through: FadeThrough = "along the mesh"

    def sentence_now(self) -> str:
        """Ask for the law of a falloff that there is."""
        text = self.sentence
        return text if str(self.reach).strip() in ("0", "0 mm") else text.replace(_REACH, f"{_REACH} {{through}} as {{law}}")

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Drag, and tell what found nothing."""
        rows = _rows(given.values["drags"])
        if not len(rows):
            return Worked(
                Reworked(item.mesh, same_elements(item.mesh.topology)), "Nothing is dragged yet: pick on the mesh (M)."
            )
        elements, moves = self._both_sides(
            item, self._found(item, rows, given.values["box"]), rows[:, 3:6] @ self._axes(item).T
        )
        follow = Following(given.number("reach"), self.through == "along the mesh", given.law("law").at)
        kind = _KINDS[self.what]
        made = drag(item.mesh, kind, elements, moves, follow)
        own = elements[: len(rows)]
        lost = np.flatnonzero(own < 0)
        if len(lost) == len(rows):
            raise KernelError(
                "None of the places lies on the mesh now. Pick anew, or undo what moved the mesh away from them."
            )
        far = float(np.linalg.norm(made.places - item.mesh.positions, axis=1).max())
        told = f"{several(len(rows) - len(lost), 'place')} dragged; points went by {length_text(far)} at most."
        notes: tuple[Note, ...] = ()
        if len(lost):
            numbers = ", ".join(str(number + 1) for number in lost[:5].tolist())
            which = f"Place {numbers} lies" if len(lost) == 1 else f"Places {numbers} lie"
            sentence = (
                f"{which} off the mesh now and {'moves' if len(lost) == 1 else 'move'} nothing: take it out, or pick anew."
            )
            notes = (Note("drag_lost", sentence),)
        done = Reworked(item.mesh.moved(owned(made.places)), same_elements(item.mesh.topology))
        return Worked(done, told, notes, Done(kind, own[own >= 0]), stands=False)

    def _axes(self, item: MeshItem) -> Floats:
        """Return the axes of moves, the columns of (3, 3)."""
        return np.eye(3) if self.axes == "space" or item.pose is None else item.pose.axes

    def _found(self, item: MeshItem, rows: Floats, box: list[list[float]]) -> Ints:
        """Return the element (k,) that each row takes, -1 for none: by its sign, else by its place in the box."""
        kind, found = _KINDS[self.what], np.full(len(rows), -1, dtype=np.int64)
        is_signed = ~np.isnan(rows[:, 6:]).any(axis=1) & ("uv" in item.mesh.corners)
        picks = rows[is_signed][:, [0, 1, 2, 6, 7, 8]].tolist()
        found[is_signed] = found_picks(item, kind, picks)
        found[~is_signed] = found_near(item.mesh, kind, _carried(rows[~is_signed, :3], box, item.mesh))
        return found

    def _both_sides(self, item: MeshItem, elements: Ints, moves: Floats) -> tuple[Ints, Floats]:
        """Return elements (k,) and their moves (k, 3), those across the middle after them."""
        if self.mirrored not in OTHER_SIDE:
            return elements, moves
        turn, kind = mirror_turn(self.mirrored), _KINDS[self.what]
        there = element_middles(item.mesh, kind)[elements] * turn
        across = np.where(elements < 0, -1, found_near(item.mesh, kind, there))
        return np.concatenate((elements, across)), np.concatenate((moves, moves * turn))

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return what is dragged, where it is now."""
        item = item_of("mesh")
        if not isinstance(item, MeshItem) or item.done is None:
            return []
        middles = element_middles(item.mesh, _KINDS[self.what])[item.done.elements]
        rows = _rows(values["drags"])
        axes = self._axes(item)
        rates = np.linalg.inv(axes)
        found = []
        for number, own in enumerate(self._shown(item, rows, values["box"], middles)[:MOST_HANDLES].tolist()):
            if own < 0:
                continue
            goes = rows[number, 3:6]
            changes = tuple(
                Change("drags", vector_of(rate), float(value), name, number)
                for rate, name, value in zip(rates, _GOES, goes, strict=True)
            )
            place, start = (vector_of(np.round(at, 4)) for at in (middles[own], middles[own] - axes @ goes))
            found.append(Handle(f"{self.what[:-1]} {number + 1}", place, changes, None, start))
        return found

    def _shown(self, item: MeshItem, rows: Floats, box: list[list[float]], middles: Floats) -> Ints:
        """Return for each row which of the places (m, 3) of what went is its own, -1 for none."""
        if len(middles) == len(rows):
            return np.arange(len(rows))
        if not len(middles):
            return np.full(len(rows), -1, dtype=np.int64)
        before = _carried(rows[:, :3], box, item.mesh) + rows[:, 3:6] @ self._axes(item).T
        away = np.linalg.norm(middles[None] - before[:, None], axis=2)
        near = away.argmin(axis=1)
        far = away[np.arange(len(rows)), near] > LOST * float(np.ptp(item.mesh.positions, axis=0).max())
        return np.where(far, -1, near)


def _rows(drags: list[list[float | None]]) -> Floats:
    """Return rows (k, 9): place, move, and sign, NaN for none."""
    rows = np.array(drags, dtype=np.float64).reshape(-1, 9)
    rows[:, 3:6] = np.nan_to_num(rows[:, 3:6])
    return rows


def _carried(places: Floats, box: list[list[float]], mesh: Mesh) -> Floats:
    """Return places (k, 3) picked when a mesh lay in a box, low corner and size (6,) in mm, where they lie in it now."""
    if not box:
        return places
    low, size = np.array(box[0][:3], dtype=np.float64), np.array(box[0][3:], dtype=np.float64)
    now = mesh.positions.min(axis=0)
    grown = np.where(size > 0, np.ptp(mesh.positions, axis=0) / np.where(size > 0, size, 1.0), 1.0)
    return np.asarray(now + (places - low) * grown)
