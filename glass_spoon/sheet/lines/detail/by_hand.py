"""Marked places moved."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, first_least, lengths, owned
from glass_spoon.kernel.curves.alter.frame import Frame
from glass_spoon.kernel.detail.shift import distances, fading, frame_of, opposite_points, shift
from glass_spoon.kernel.mesh_edits.clean_mesh import reverse_faces
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked, same_elements
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.handle import Handle, ItemOf, angle_handle, length_handle, turned_back, vector_handle
from glass_spoon.sheet.items import Done, Item, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import (
    OTHER_SIDE,
    DetailWork,
    FadeLaw,
    FadeThrough,
    MarkedAny,
    Mirrored,
    Reach,
    mirror_turn,
    worked_place,
)
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.lines.place.fields import SAID_WAYS, X, Y, Z
from glass_spoon.sheet.phrase import Phrase

_FADE = "[, {mirrored}][, fading over {reach}]"


class Nudge(DetailWork):
    """Marked places moved, turned, scaled or pushed, with a falloff."""

    summary = "Nudge marked places of a mesh: move, push, turn or scale them, with a falloff to what is about them."
    words = (
        "move points",
        "move faces",
        "soft move",
        "falloff",
        "proportional",
        "push",
        "soft",
        "dent",
        "bulge",
        "sculpt",
        "turn points",
        "scale points",
    )
    phrases = (
        Phrase(
            r"{out} (?:outwards?|along (?:the |their )?normals?)|(?:push(?:ed)?|out) (?:by )?{out}",
            {"how": "pushed"},
            finds=False,
        ),
        Phrase(r"turn(?:ed)? (?:by )?{angle}", {"how": "turned"}, finds=False),
        Phrase(r"scaled? (?:by |to )?{factor}", {"how": "scaled"}, finds=False),
        Phrase(r"turn(?:ed)?|rotated?", {"how": "turned"}, finds=False),
        Phrase(r"scaled?", {"how": "scaled"}, finds=False),
        Phrase(r"(?:fading|falloff|fade|soft) (?:of |over )?{reach}", finds=False),
        Phrase(SAID_WAYS.pattern, {**SAID_WAYS.sets, "how": "moved"}, finds=False),
    )
    sentence = f"**Nudge** {{marks}} of {{mesh}}, {{how}} by x {{x}}, y {{y}}, z {{z}}{_FADE}."
    wording_field = "how"
    wordings = {
        "pushed": f"**Nudge** {{marks}} of {{mesh}}, {{how}} out by {{out}}{_FADE}.",
        "turned": f"**Nudge** {{marks}} of {{mesh}}, {{how}} by {{angle}} about {{about}}{_FADE}.",
        "scaled": f"**Nudge** {{marks}} of {{mesh}}, {{how}} by {{factor}} from their middle{_FADE}.",
    }

    acts_on = ("face", "edge", "point")
    act_key = "N"

    verb: Literal["nudge"] = "nudge"
    marks: MarkedAny = []
    how: Annotated[
        Literal["moved", "pushed", "turned", "scaled"],
        ChoiceSpec("What is done to them; pushed: each along its own normal.", ("moved", "pushed", "turned", "scaled")),
    ] = "moved"
    x: X = "0 mm"
    y: Y = "0 mm"
    z: Z = "5 mm"
    out: Annotated[Number, NumberSpec("How far out each goes; below zero in.", "length", least=-1e5, most=1e5)] = "2 mm"
    angle: Annotated[Number, NumberSpec("The angle.", "angle", least=-100, most=100)] = "15°"
    about: Annotated[
        Literal["their normal", "upright", "left-right", "front-back"],
        ChoiceSpec(
            "The axis through their middle.",
            ("their normal", "upright", "left-right", "front-back"),
            ("their own normal", "an upright axis", "an axis from left to right", "an axis from front to back"),
        ),
    ] = "their normal"
    factor: Annotated[Number, NumberSpec("The factor.", least=0, most=100, step=0.1)] = 1.2
    mirrored: Mirrored = "this side alone"
    reach: Reach = "0 mm"
    law: FadeLaw = "1 to 0 eased"
    through: FadeThrough = "along the mesh"

    def sentence_now(self) -> str:
        """Ask for the law of a falloff that there is."""
        text = super().sentence_now()
        return text if str(self.reach).strip() in ("0", "0 mm") else text.replace(_FADE, f"{_FADE} {{through}} as {{law}}")

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Nudge, and tell how many went, and how far."""
        mesh, marked = item.mesh, self.points_of(given, item)
        there, weights = self._nudged(given, mesh, marked)
        if self.mirrored in OTHER_SIDE:
            turn = mirror_turn(self.mirrored)
            other = opposite_points(mesh, marked, turn)
            # Seen in the mirror the faces run the other way round, and normals look inwards until they are turned.
            image = reverse_faces(mesh, np.arange(mesh.face_count)).mesh.moved(owned(mesh.positions * turn))
            over, more = self._nudged(given, image, other)
            both = weights + more
            total = (there - mesh.positions) + (over * turn - mesh.positions)
            places = mesh.positions + total / np.maximum(both, 1.0)[:, None]
            marked = marked | other
        else:
            places = there
        far = np.linalg.norm(places - mesh.positions, axis=1)
        told = f"{several(int((far > 0).sum()), 'point')} went, by {length_text(float(far.max()))} at most."
        done = Reworked(mesh.moved(owned(places)), same_elements(mesh.topology))
        return Worked(done, told, done=Done("point", np.flatnonzero(marked)), stands=False)

    def _nudged(self, given: Given, mesh: Mesh, marked: Bools) -> tuple[Floats, Floats]:
        """Return where points (n, 3) go by the marked ones (n,), and by which weights (n,)."""
        reach = given.number("reach")
        weights = fading(distances(mesh, marked, reach, along=self.through == "along the mesh"), reach, given.law("law").at)
        if self.how == "pushed":
            return mesh.positions + weights[:, None] * given.number("out") * mesh.vertex_normals, weights
        frame = frame_of(mesh, marked)
        return shift(mesh, weights, lambda points: self._moved(given, frame, points)), weights

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return where the marked places go, at their middle."""
        found = worked_place(item_of("mesh"))
        if found is None:
            return []
        middle, normal = found
        if self.how == "moved":
            return [vector_handle(values, "xyz", middle - [values[axis] for axis in "xyz"], "nudged to")]
        if self.how == "pushed":
            return [length_handle("out", values["out"], middle - values["out"] * normal, normal)]
        out, far = _farthest(item_of("mesh"), middle, None if self.how == "scaled" else self._axis(normal))
        if not far > 0:
            return []
        if self.how == "scaled":
            before = far / max(float(values["factor"]), 1e-9)
            return [length_handle("factor", float(values["factor"]), middle, out / far, before)]
        axis = self._axis(normal)
        angle = float(values["angle"])
        return [angle_handle("angle", angle, middle, axis, turned_back(axis, out, angle), far)]

    def _axis(self, normal: Floats) -> Floats:
        """Return the axis (3,) of a turn, where the marks' own normal is `normal`."""
        axes = {"upright": (0, 0, 1), "left-right": (1, 0, 0), "front-back": (0, 1, 0)}
        return normal if self.about == "their normal" else np.array(axes[self.about], dtype=np.float64)

    def _moved(self, given: Given, frame: Frame, points: Floats) -> Floats:
        """Return where points (k, 3) go that are wholly marked."""
        if self.how == "moved":
            return points + np.array([given.number(axis) for axis in "xyz"])
        if self.how == "scaled":
            return frame.origin + given.number("factor") * (points - frame.origin)
        axis = self._axis(frame.axes[2])
        out, c, s = points - frame.origin, np.cos(given.number("angle")), np.sin(given.number("angle"))
        turned: Floats = c * out + s * np.cross(axis, out) + (1 - c) * (out @ axis)[:, None] * axis
        return frame.origin + turned


def _farthest(item: Item | None, middle: Floats, axis: Floats | None) -> tuple[Floats, float]:
    """Return the way (3,) from a middle, square to an axis where one is given, to the marked point that is farthest that way,
    and how far that is in mm.
    """
    if not isinstance(item, MeshItem) or item.done is None:
        return np.zeros(3), 0.0
    away = item.mesh.positions[item.done.elements] - middle
    if axis is not None:
        away = away - (away @ axis)[:, None] * axis
    far = lengths(away)
    best = int(first_least(-far))
    return away[best], float(far[best])
