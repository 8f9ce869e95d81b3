"""Two states of a part side by side: as it is now, as a version kept it, or as it stood after a line."""

from __future__ import annotations

import re
from dataclasses import dataclass
from difflib import SequenceMatcher

import numpy as np

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.text_form.marks import without_marks
from glass_spoon.sheet.text_form.write_text import write_text
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.history import state_at
from glass_spoon.studio.models import Part
from glass_spoon.studio.see.gauge_rows import FIRST, MORE, gauge_rows
from glass_spoon.studio.see.scene import Shown, gauged, gauged_meshes, known_readings, readings_of, shown_items
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.shelf import read_stored

_NUMBER = re.compile(r"^\d+\. ")

COMPARED = (*FIRST, "face_budget", *MORE)
MOST_READ = 30_000
"""Most faces of a mesh whose gauges are read for a comparison if not known yet: larger ones keep the page waiting."""

LEVELS = 4
"""Smoothing levels whose counts are compared."""


@dataclass(frozen=True)
class State:
    """A state of a part: what it is called, its sheet, and the line up to which it is looked at, None for all."""

    token: str
    title: str
    document: SheetDocument
    after: str | None = None


@dataclass(frozen=True)
class ComparedFigure:
    """One figure of two states."""

    title: str
    then: str
    now: str

    @property
    def differs(self) -> bool:
        """True when the two read differently."""
        return self.then != self.now


def find_state(part: Part, token: str) -> State:
    """Return the state that a token names: "now", "v" and a version's number, "c" and that of a change, "l-" and a line's
    id; Refused for others.
    """
    document = part.sheet()
    if token == "now":
        return State(token, "now", document)
    number = whole_number(token[1:]) if token.startswith("v") else None
    if number is not None:
        version = part.versions.filter(id=number).first()
        if version is not None:
            return State(token, version.name, read_stored(version.document))
    change = whole_number(token[1:]) if token.startswith("c") else None
    if change is not None:
        kept = state_at(part, change)
        if kept is not None:
            return State(token, f"after change {change}", kept)
    if token.startswith("l-") and document.has(token[2:]):
        return State(token, f"after line {document.number_of(token[2:])}", document, token[2:])
    raise Refused("This state is no longer here. Choose another to compare with.", 404)


def choices(part: Part, *chosen: State) -> list[tuple[str, str]]:
    """Return the tokens and titles of all states of a part, and of those that are chosen."""
    document = part.sheet()
    versions = [(f"v{version.id}", version.name) for version in part.versions.all()]
    lines = [
        (f"l-{line.id}", f"after line {document.number_of(line.id)}: {line.verb_name.replace('_', ' ')}")
        for line in document.lines
        if not isinstance(line, Size)
    ]
    return list(dict.fromkeys([("now", "now"), *((state.token, state.title) for state in chosen), *versions, *lines]))


def shown_state(state: State) -> list[Shown]:
    """Return what the board would show of a state."""
    return shown_items(finished_build(state.document, state.after), 0)


def figures_now(part: Part) -> dict[str, str]:
    """Return the figures of a part as it is."""
    return figures_of(State("now", "now", part.sheet()))


def figures_of(state: State) -> dict[str, str]:
    """Return the printed figures of a state's last mesh, by title, and the number of lines."""
    item = gauged(shown_state(state))
    readings: list[Reading] = readings_of(item, state.document.limits.for_gauges()) if item else []
    lines = [line.id for line in state.document.lines]
    looked_at = lines if state.after is None else lines[: lines.index(state.after) + 1]
    figures = {"Lines": str(max((state.document.number_of(line) for line in looked_at), default=0))}
    if item:
        figures["Size"] = "×".join(f"{value:.1f}" for value in item.extent) + " mm"
        for level, faces in enumerate(item.level_counts[:LEVELS]):
            figures["Faces of the cage" if level == 0 else f"Faces smoothed ×{level}"] = f"{faces:,}"
    return figures | {row.title: row.text for row in gauge_rows(readings, COMPARED)}


def compare(left: State, right: State, kept: dict[str, str] | None = None) -> list[ComparedFigure]:
    """Return the figures of two states; `kept`: those that a version already has."""
    first, second = kept or figures_of(left), figures_of(right)
    titles = list(dict.fromkeys([*second, *first]))
    return [ComparedFigure(title, first.get(title, "—"), second.get(title, "—")) for title in titles]


@dataclass(frozen=True)
class ComparedMesh:
    """A mesh of two states: its faces and how it stands in each, "—" where it is not there."""

    name: str
    then: str
    now: str

    @property
    def differs(self) -> bool:
        """True when the two read differently."""
        return self.then != self.now


def compare_meshes(left: State, right: State) -> list[ComparedMesh]:
    """Return every mesh of two states by name, in the order of the second one."""
    first, second = _meshes_told(left), _meshes_told(right)
    return [ComparedMesh(name, first.get(name, "—"), second.get(name, "—")) for name in dict.fromkeys([*second, *first])]


def _meshes_told(state: State) -> dict[str, str]:
    """Return the faces of each mesh of a state and whether its gauges keep their limits, by name."""
    limits = state.document.limits.for_gauges()
    told = {}
    for item in gauged_meshes(shown_state(state)):
        faces = item.copies * item.mesh.face_count
        readings = known_readings(item, limits)
        if readings is None and faces > MOST_READ:
            told[item.name] = f"{faces:,} faces, gauges not read"
            continue
        over = [row.title.lower() for row in gauge_rows(readings or readings_of(item, limits), COMPARED) if not row.good]
        told[item.name] = f"{faces:,} faces" + (f", over its limit: {', '.join(over)}" if over else "")
    return told


@dataclass(frozen=True)
class TextChange:
    """A row of a sheet in plain words that is in one state alone. sign: "−" of the first, "+" of the second."""

    sign: str
    text: str


def text_changes(left: State, right: State) -> list[TextChange]:
    """Return what changed in the words of two sheets, row by row; numbers of lines do not count."""
    first, second = (write_text(state.document).split("\n") for state in (left, right))
    matcher = SequenceMatcher(None, _unnumbered(first), _unnumbered(second), autojunk=False)
    changes: list[TextChange] = []
    for what, a, b, c, d in matcher.get_opcodes():
        if what != "equal":
            changes += [TextChange("−", without_marks(row)) for row in first[a:b] if row.strip()]
            changes += [TextChange("+", without_marks(row)) for row in second[c:d] if row.strip()]
    return changes


def _unnumbered(rows: list[str]) -> list[str]:
    """Return the rows of a text without the numbers of its lines."""
    return [_NUMBER.sub("", row) for row in rows]


def meshes_of(state: State) -> list[Mesh]:
    """Return all meshes and stand-ins of a state."""
    return [item.drawn for item in shown_state(state)]


def places_of(meshes: list[Mesh]) -> Floats:
    """Return the corners (8 k, 3) in mm of the boxes of meshes: what a camera for all of them has to see."""
    boxes = [np.stack((mesh.positions.min(axis=0), mesh.positions.max(axis=0))) for mesh in meshes if mesh.point_count]
    if not boxes:
        return np.zeros((1, 3))
    pick = np.array([[k & 1, (k >> 1) & 1, (k >> 2) & 1] for k in range(8)])
    return np.concatenate([box[pick, np.arange(3)] for box in boxes])
