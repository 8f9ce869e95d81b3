"""A part on paper: one large picture with its sizes, and front, side and plan to scale, laid out in mm of the sheet."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import product

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.sheet.expressions import UNITS
from glass_spoon.studio.see.thumbnail import view_rows
from glass_spoon.studio.shown_unit import active_unit, dimension


@dataclass(frozen=True)
class Paper:
    """A sheet of paper on its side; width and height in mm within its margins: ISO 216 less 10 mm all round."""

    name: str
    width: float
    height: float


PAPERS = {"a4": Paper("A4", 277.0, 190.0), "a3": Paper("A3", 400.0, 277.0)}

STEPS = (1.0, 2.0, 2.5, 4.0, 5.0)
"""Scales within each power of ten, as in 1:20 and 5:1: those of ISO 5455 (1, 2, 5) and the two usual ones between."""

ROOM = 13.0
"""Mm beside a view for its dimension."""
HEAD = 31.0
"""Mm of the first sheet that its heading takes."""
GAP, WITNESS, DOT = 9.0, 7.0, 1.2
DENSITY = 6.0
"""Pixels of a picture to a mm of paper."""
EDGE = 6
"""Pixels around what a picture shows."""


@dataclass(frozen=True)
class Dimension:
    """A dimension line with its witness lines as a path in mm, and its words where they stand, turned by degrees."""

    path: str
    text: str
    x: float
    y: float
    turn: float = 0.0

    @property
    def placed(self) -> str:
        """Where its words stand, as a transform."""
        return f"translate({self.x:.2f} {self.y:.2f}) rotate({self.turn:.1f})"


@dataclass(frozen=True)
class PlacedView:
    """A view on the paper: what it shows and where it lies, mm; zoom: pixels of its picture to a mm of the part."""

    view: str
    title: str
    x: float
    y: float
    width: float
    height: float
    zoom: float
    dimensions: tuple[Dimension, ...] = ()

    @property
    def image(self) -> dict[str, str]:
        """Where its picture lies, mm as text: whole pixels, with those around what it shows."""
        wide, high = ((np.ceil(size * DENSITY - 1e-6) + 2 * EDGE) / DENSITY for size in (self.width, self.height))
        x, y = self.x + (self.width - wide) / 2, self.y + (self.height - high) / 2
        return {"x": f"{x:.3f}", "y": f"{y:.3f}", "width": f"{wide:.3f}", "height": f"{high:.3f}"}

    @property
    def query(self) -> str:
        """The zoom as an address has it."""
        return f"{self.zoom:.10g}"

    @property
    def title_at(self) -> str:
        """Where its title stands."""
        return f"{self.x:.2f} {self.y - 1.8:.2f}"


@dataclass(frozen=True)
class Drawing:
    """Views on one sheet. scale: as it is said; bar: length of the scale bar in mm of paper, and what it stands for."""

    width: float
    height: float
    views: tuple[PlacedView, ...]
    scale: str
    bar: tuple[float, str]
    foot: tuple[float, float]

    @property
    def box(self) -> tuple[str, str]:
        """Width and height in mm as text."""
        return f"{self.width:.2f}", f"{self.height:.2f}"

    @property
    def foot_at(self) -> str:
        """Where the scale bar stands."""
        return f"{self.foot[0]:.2f} {self.foot[1]:.2f}"

    @property
    def bar_path(self) -> str:
        """The scale bar."""
        return f"M0 -1.6v1.6h{self.bar[0]:.3f}v-1.6"


def draw_part(places: Floats, paper: Paper) -> Drawing:
    """Lay out the first sheet of a part with points (n, 3) in mm: the picture large, three views beside it to one scale."""
    height, wide = paper.height - HEAD, 0.64 * paper.width
    picture = _picture(places, wide, height)
    left, room = wide + GAP, paper.width - wide - GAP
    sizes = np.ptp(places, axis=0)
    across, tall = max(sizes[0], sizes[1]), 2 * sizes[2] + sizes[1]
    zoom = _scale_below(min((room - ROOM) / max(across, 1e-9), (height - 3 * ROOM - 3 * GAP) / max(tall, 1e-9)))
    views, down = [], 5.5
    for view, title, told in (("plan", "Plan", "left"), ("front", "Front", "left below"), ("side", "Side", "below")):
        placed = _view(places, view, title, (left + ROOM, down), zoom, told)
        views.append(placed)
        down += placed.height + (ROOM if "below" in told else 0.0) + GAP
    return Drawing(paper.width, height, (picture, *views), _said(zoom), _bar(zoom, room), (left, height - 5.0))


def draw_mesh(places: Floats, paper: Paper) -> Drawing:
    """Lay out a mesh with points (n, 3) in mm: front, side and plan in a row, to one scale."""
    sizes = np.ptp(places, axis=0)
    most = 0.4 * paper.height
    across = 2 * sizes[0] + sizes[1]
    room = paper.width - 3 * ROOM - 2 * GAP
    zoom = _scale_below(min(room / max(across, 1e-9), (most - ROOM - GAP) / max(sizes[2], sizes[1], 1e-9)))
    views, right = [], ROOM
    for view, title, told in (("front", "Front", "left below"), ("side", "Side", "below"), ("plan", "Plan", "left")):
        placed = _view(places, view, title, (right, 5.0), zoom, told)
        views.append(placed)
        right += placed.width + ROOM + GAP
    height = max(view.height for view in views) + ROOM + GAP + 4.0
    return Drawing(paper.width, height, tuple(views), _said(zoom), _bar(zoom, 60.0), (0.0, height - 5.0))


def _picture(places: Floats, wide: float, high: float) -> PlacedView:
    """Return the picture from the front left, as large as it fits, with the three sizes along edges of its box."""
    rows = view_rows("picture")[:2]
    seen, box = places @ rows.T, _box(places) @ rows.T
    low, around = box.min(axis=0), np.ptp(box, axis=0)
    zoom = float(min((wide - 2 * ROOM) / max(around[0], 1e-9), (high - 2 * ROOM) / max(around[1], 1e-9)))
    corner = np.array([(wide - around[0] * zoom) / 2, (high + around[1] * zoom) / 2])

    def on_paper(place: Floats) -> Floats:
        return corner + (rows @ place - low) * [zoom, -zoom]

    x, y = corner + (np.array([seen[:, 0].min(), seen[:, 1].max()]) - low) * [zoom, -zoom]
    width, height = np.ptp(seen, axis=0) * zoom
    middle = corner + around * [zoom / 2, -zoom / 2]
    dimensions = tuple(_box_dimensions(places, view_rows("picture"), on_paper, middle))
    return PlacedView("picture", "", float(x), float(y), float(width), float(height), zoom * DENSITY, dimensions)


def _box(places: Floats) -> Floats:
    """Return the corners (8, 3) of the box around points."""
    ends = np.stack((places.min(axis=0), places.max(axis=0)))
    return np.array([[ends[i, 0], ends[j, 1], ends[k, 2]] for i, j, k in product((0, 1), repeat=3)])


def _box_dimensions(
    places: Floats, rows: Floats, on_paper: Callable[[Floats], Floats], middle: Floats
) -> Iterator[Dimension]:
    """Yield the sizes along the box's edges at the foot that face the eye, and along its leftmost upright edge."""
    ends = np.stack((places.min(axis=0), places.max(axis=0)))
    near = [int(rows[2][axis] > 0) for axis in range(3)]
    corners = [np.array([ends[i, 0], ends[j, 1], ends[0, 2]]) for i, j in product((0, 1), repeat=2)]
    leftmost = min(corners, key=lambda corner: float(rows[0] @ corner))
    for axis in range(3):
        a = leftmost.copy() if axis == 2 else np.array([ends[near[0], 0], ends[near[1], 1], ends[0, 2]])
        b = a.copy()
        a[axis], b[axis] = ends[0, axis], ends[1, axis]
        if ends[1, axis] - ends[0, axis] > 1e-9:
            yield _dimension(on_paper(a), on_paper(b), middle, dimension(float(ends[1, axis] - ends[0, axis])))


def _dimension(a: Floats, b: Floats, middle: Floats, text: str) -> Dimension:
    """Return a dimension beside the stretch from a to b, on the side away from the middle."""
    along = (b - a) / max(float(np.linalg.norm(b - a)), 1e-9)
    out = np.array([-along[1], along[0]])
    out = out if (a + b) @ out / 2 >= middle @ out else -out
    start, end = a + out * WITNESS, b + out * WITNESS
    witness = "".join(f"M{_at(p + out * 1.2)}L{_at(p + out * (WITNESS + 1.2))}" for p in (a, b))
    turn = float(np.degrees(np.arctan2(along[1], along[0])))
    turn = turn - 180 if turn >= 89.999 else turn + 180 if turn < -90 else turn
    place = (start + end) / 2 + out * 1.6
    below = out @ np.array([-np.sin(np.radians(turn)), np.cos(np.radians(turn))]) > 0
    shift = np.array([-np.sin(np.radians(turn)), np.cos(np.radians(turn))]) * (2.6 if below else 0.0)
    place = place + shift
    return Dimension(
        f"{witness}M{_at(start)}L{_at(end)}", text, round(float(place[0]), 2), round(float(place[1]), 2), round(turn, 1)
    )


def _view(places: Floats, view: str, title: str, at: tuple[float, float], zoom: float, told: str) -> PlacedView:
    """Return a view to scale with its upper left corner at a place; its sizes are told on the sides that are named."""
    rows = view_rows(view)[:2]
    sizes = np.ptp(places @ rows.T, axis=0)
    width, height = (float(size) * zoom for size in sizes)
    x, y = at
    corners = np.array([[x, y + height], [x + width, y + height], [x, y]])
    middle = np.array([x + width / 2, y + height / 2])
    dimensions = []
    if "left" in told and sizes[1] > 1e-9:
        dimensions.append(_dimension(corners[0], corners[2], middle, dimension(sizes[1])))
    if "below" in told and sizes[0] > 1e-9:
        dimensions.append(_dimension(corners[0], corners[1], middle, dimension(sizes[0])))
    return PlacedView(view, title, x, y, width, height, zoom * DENSITY, tuple(dimensions))


def _scale_below(zoom: float) -> float:
    """Return the largest usual scale (mm of paper to a mm of the part) that is not above one."""
    power = 10.0 ** np.arange(-7, 8)
    usual = np.concatenate([power * step for step in STEPS] + [power / step for step in STEPS])
    fitting = usual[usual <= zoom * (1 + 1e-9)]
    return float(fitting.max()) if len(fitting) else float(usual.min())


def _said(zoom: float) -> str:
    return f"1:{1 / zoom:.6g}" if zoom < 1 else f"{zoom:.6g}:1"


def _bar(zoom: float, room: float) -> tuple[float, str]:
    """Return a scale bar of a round length: mm of paper, and the length of the part that it stands for."""
    millimetres = UNITS[active_unit()][0]
    wanted = 0.45 * room / zoom / millimetres
    power = 10.0 ** np.floor(np.log10(wanted))
    length = power * max(step for step in (1, 2, 5) if step * power <= wanted)
    return float(length * millimetres * zoom), f"{length:.6g} {active_unit()}"


def _at(place: Floats) -> str:
    return f"{place[0]:.2f} {place[1]:.2f}"
