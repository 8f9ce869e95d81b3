"""Small pictures of a part, drawn by the server: thumbnails, and meshes seen from several sides."""

from __future__ import annotations

import io
import logging
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageDraw

from glass_spoon.kernel.arrays import Floats, directions
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.models import Part
from glass_spoon.studio.see.scene import shown_curves, shown_items

log = logging.getLogger(__name__)

WIDTH, HEIGHT, SCALE = 320, 220, 2
PAPER, GLASS, INK = (237, 239, 233), (150, 183, 177), (58, 84, 82)
LIGHT = directions(np.array([-0.5, 0.45, 0.75]))
"""Where the light comes from, as the eye sees it: right, up and towards the eye."""

MOST_FACES = 20_000
"""Most faces of a mesh on a thumbnail."""

MOST_SEEN = 60_000
"""Most faces of a picture from one side; edges are left out above a quarter of them."""

MOST_CURVES = 200
_TURN, _TILT = np.radians(28.0), np.radians(20.0)


@dataclass(frozen=True)
class Frame:
    """A picture's size in pixels and how many times finer it is drawn at first; zoom: pixels to a mm, None to fill it.

    paper: the colour of what is left free.
    """

    width: int = WIDTH
    height: int = HEIGHT
    scale: int = SCALE
    zoom: float | None = None
    paper: tuple[int, int, int] = PAPER

    @property
    def drawn(self) -> tuple[int, int]:
        """The size at which it is drawn."""
        return self.width * self.scale, self.height * self.scale

    def saved(self, image: Image.Image) -> bytes:
        """Return the picture at its size as PNG."""
        data = io.BytesIO()
        image.resize((self.width, self.height), Image.Resampling.LANCZOS).save(data, "PNG", optimize=True)
        return data.getvalue()


SIDES: dict[str, Floats] = {
    "front": np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
    "side": np.array([[0, 1.0, 0], [0, 0, 1], [1, 0, 0]]),
    "plan": np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, 1]]),
}
"""Rows right, up and towards the eye (3, 3) of the drawing views."""


def view_rows(view: str) -> Floats:
    """Return the rows right, up and towards the eye (3, 3) of a view; the picture from the front left for other names."""
    return SIDES.get(view, _view())


def part_picture(part: Part) -> bytes:
    """Return a PNG of a part as it stands; plain paper where it cannot be drawn."""
    try:
        build = finished_build(part.sheet())
        return draw_thumbnail([item.drawn for item in shown_items(build, 0)], shown_curves(build))
    except Exception:  # a picture may fail, the page of a project must not
        log.exception("The picture of part %s could not be drawn.", part.pk)
        return draw_thumbnail([], [])


def draw_thumbnail(meshes: list[Mesh], curves: list[NurbsCurve]) -> bytes:
    """Return a PNG of meshes seen from the front left and above, far faces first; of curves where there is no mesh."""
    frame = Frame()
    image = Image.new("RGB", frame.drawn, frame.paper)
    meshes = [mesh for mesh in meshes if 0 < mesh.face_count <= MOST_FACES]
    if meshes:
        _draw(ImageDraw.Draw(image), meshes, _view(), frame, np.concatenate([mesh.positions for mesh in meshes]))
    elif curves:
        _draw_curves(ImageDraw.Draw(image), curves[:MOST_CURVES], frame)
    return frame.saved(image)


def draw_meshes(meshes: list[Mesh], view: str, frame: Frame, around: Floats) -> bytes:
    """Return a PNG of meshes in a view, placed so that all places `around` (n, 3) in mm are on it; one camera for several.

    Meshes of more than MOST_SEEN faces are left out.
    """
    image = Image.new("RGB", frame.drawn, frame.paper)
    seen = [mesh for mesh in meshes if 0 < mesh.face_count <= MOST_SEEN]
    if seen:
        _draw(ImageDraw.Draw(image), seen, view_rows(view), frame, around)
    return frame.saved(image)


def _view() -> Floats:
    """Return the rows right, up and towards the eye (3, 3)."""
    right = np.array([np.cos(_TURN), np.sin(_TURN), 0.0])
    ahead = np.array([-np.sin(_TURN), np.cos(_TURN), 0.0])
    up = np.array([0.0, 0.0, np.cos(_TILT)]) + np.sin(_TILT) * ahead
    return np.array([right, up, np.cross(right, up)])


def _draw_curves(pen: ImageDraw.ImageDraw, curves: list[NurbsCurve], frame: Frame) -> None:
    """Draw the curves as lines."""
    view = _view()
    paths = [curve_points(curve, span_params(curve, 12)) @ view.T for curve in curves]
    place = _placing(np.concatenate(paths), frame)
    for path in paths:
        pen.line([tuple(point) for point in place(path).tolist()], fill=INK, width=2 * SCALE, joint="curve")


def _placing(seen: Floats, frame: Frame) -> Callable[[Floats], Floats]:
    """Return what takes seen points (n, 3) to pixels (n, 2), so that all of `seen` is on the picture."""
    low, high = seen.min(axis=0), seen.max(axis=0)
    size = np.maximum(high - low, 1e-9)
    width, height = frame.drawn
    zoom = 0.84 * min(width / size[0], height / size[1]) if frame.zoom is None else frame.zoom * frame.scale
    middle = (low + high) / 2
    return lambda points: (points[:, :2] - middle[:2]) * [zoom, -zoom] + [width / 2, height / 2]


def _draw(pen: ImageDraw.ImageDraw, meshes: list[Mesh], view: Floats, frame: Frame, around: Floats) -> None:
    """Paint the faces, far ones first."""
    seen = [mesh.positions @ view.T for mesh in meshes]
    place = _placing(around @ view.T, frame)
    plain = sum(mesh.face_count for mesh in meshes) > MOST_SEEN // 4
    jobs: list[tuple[float, list[tuple[float, float]], float]] = []
    for mesh, points in zip(meshes, seen, strict=True):
        flat = place(points)
        depth = (mesh.face_centers @ view.T)[:, 2]
        normals = mesh.face_normals * np.where((mesh.face_normals @ view[2]) < 0, -1.0, 1.0)[:, None]
        light = 0.55 + 0.5 * np.clip(normals @ (LIGHT @ view), -0.4, 1.0)
        offsets, corners = mesh.topology.face_offsets, mesh.topology.face_corners
        jobs.extend(
            (depth[i], [tuple(p) for p in flat[corners[offsets[i] : offsets[i + 1]]].tolist()], light[i])
            for i in range(mesh.face_count)
        )
    for _, outline, shade in sorted(jobs, key=lambda job: job[0]):
        fill = tuple(int(min(255, channel * shade)) for channel in GLASS)
        edge = tuple(int(min(255, a * shade * 0.72 + b * 0.1)) for a, b in zip(GLASS, INK, strict=True))
        pen.polygon(outline, fill=fill, outline=fill if plain else edge)
