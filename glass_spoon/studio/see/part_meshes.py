"""The part as a list of its meshes: faces, tint and how each stands with its gauges; the budget over all of them."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass

from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.sheet.evaluate import Build
from glass_spoon.studio.flows.watched_work import Working
from glass_spoon.studio.see.scene import Shown, known_readings, watched_readings
from glass_spoon.studio.see.tints import tints_of

log = logging.getLogger(__name__)

AT_ONCE = 2
"""Meshes whose gauges are begun at one asking, so that those of the chosen one do not wait behind many."""


@dataclass(frozen=True)
class PartMesh:
    """A mesh of the part. state: good, look, or "" while its gauges were not read. chosen: its own gauges are shown."""

    item_id: str
    name: str
    faces: int
    tint: int
    state: str
    chosen: bool
    line: int

    @property
    def faces_text(self) -> str:
        """The faces with commas between thousands."""
        return f"{self.faces:,}"

    @property
    def state_words(self) -> str:
        """The state in words."""
        return {"good": "all within its limits", "look": "needs a look", "unknown": "could not be read"}.get(
            self.state, "not read yet"
        )


@dataclass(frozen=True)
class PartFaces:
    """The faces of the whole part against its budget; share: of the bar, 0 to 1."""

    faces: int
    budget: int

    @property
    def text(self) -> str:
        """The faces, and what there may be."""
        return f"{self.faces:,} of {self.budget:,}"

    @property
    def percent(self) -> int:
        """The share of the budget in whole percent, at most 100."""
        return min(100, round(100 * self.faces / self.budget))

    @property
    def is_over(self) -> bool:
        """Whether the budget is passed."""
        return self.faces > self.budget


def part_meshes(build: Build, meshes: Sequence[Shown], chosen: Shown | None, *, begin: bool) -> list[PartMesh]:
    """Return a row for each mesh that is shown; begin: the gauges of some that were not read yet are begun."""
    limits, tints = build.document.limits.for_gauges(), tints_of(build.document)
    rows, begun = [], 0
    for mesh in meshes:
        is_chosen = chosen is not None and chosen.item_id == mesh.item_id
        state = _state(known_readings(mesh, limits))
        if not state and begin and not is_chosen and begun < AT_ONCE:
            state, begun = _begun(mesh, limits), begun + 1
        faces = mesh.copies * mesh.mesh.face_count
        number = build.document.number_of(mesh.item_id)
        rows.append(PartMesh(mesh.item_id, mesh.name, faces, tints.get(mesh.item_id, 0), state, is_chosen, number))
    return rows


def _state(readings: Sequence[Reading] | None) -> str:
    """Return how a mesh stands with its readings, "" where there are none."""
    if readings is None:
        return ""
    return "good" if all(reading.is_good for reading in readings) else "look"


def _begun(mesh: Shown, limits: Limits) -> str:
    """Begin the readings of a mesh, and return how it stands where they are there at once."""
    try:
        readings = watched_readings(mesh, limits, 0.0)
    except Exception:  # of native libraries too: one mesh may fail to be read, the list stands
        log.exception("The gauges of %s could not be read.", mesh.key)
        return "unknown"
    return "" if isinstance(readings, Working) else _state(readings)


def part_faces(rows: Sequence[PartMesh], budget: int) -> PartFaces:
    """Return the faces of all meshes against the budget."""
    return PartFaces(sum(row.faces for row in rows), budget)
