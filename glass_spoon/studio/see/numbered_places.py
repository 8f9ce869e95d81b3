"""Where the numbers stand by which a line counts corners or copies, and what is said while one is picked."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.trims.face import face_trace
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import set_lines
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import BodiesItem, CurveItem, CurvesItem, Item, SurfacesItem, TrimmedItem
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines.draw.alter_curves import CornerWork, corner_places
from glass_spoon.sheet.lines.place.repeated import RepeatedLine
from glass_spoon.studio.flows.build_part import evaluate_trial, finished_build
from glass_spoon.studio.sentences import Refused

MOST_NUMBERS = 400
"""Most numbers that are shown at once."""


def numbered_places(document: SheetDocument, line: Line) -> tuple[Floats, str]:
    """Return the places (k, 3) that a line counts, in that order, and how one is picked; Refused for other lines."""
    if isinstance(line, CornerWork):
        before = document.lines[: document.lines.index(line)]
        state = finished_build(document, before[-1].id).items.get(line.changes or "") if before else None
        places = (
            corner_places(state.item.curve) if state is not None and isinstance(state.item, CurveItem) else np.zeros((0, 3))
        )
        return places, "Type as 1: 5 mm, 3: 0, or click a corner's number on the board."
    if isinstance(line, RepeatedLine):
        trial = evaluate_trial(set_lines(document, {line.id: {"own": "none", "joints": "apart"}}), line.id)
        return _middles(trial, line)[
            :MOST_NUMBERS
        ], "Type as 2: 0, 5: 1.5, or click a copy's number on the board; 0 leaves it out."
    raise Refused("This line counts neither corners nor copies.")


def _middles(build: Build, line: RepeatedLine) -> Floats:
    """Return the middles (k, 3) in mm of the copies that a line makes, none where it makes none."""
    made, item = build.items.get(line.id), build.items.get(line.item)
    if made is None or item is None:
        return np.zeros((0, 3))
    every, own = _parts(made.item), len(_parts(item.item))
    return np.asarray(every.reshape(-1, own, 3).mean(axis=1)) if own and len(every) % own == 0 else np.zeros((0, 3))


def _parts(item: Item) -> Floats:
    """Return the middles (k, 3) of the boxes of the parts of an item."""
    if isinstance(item, BodiesItem):
        points = item.body.mesh.positions
        return item.places.apply((points.min(axis=0, keepdims=True) + points.max(axis=0)) / 2)[:, 0]
    if isinstance(item, CurvesItem):
        nets = [curve.control_points for curve in item.curves]
    elif isinstance(item, SurfacesItem):
        nets = [surface.control_points.reshape(-1, 3) for surface in item.shape.surfaces]
    elif isinstance(item, TrimmedItem):
        nets = [face_trace(face) for face in item.shape.faces]
    else:
        nets = [kind_of(item).places(item)]
    return np.array([(net.min(axis=0) + net.max(axis=0)) / 2 for net in nets]).reshape(-1, 3)
