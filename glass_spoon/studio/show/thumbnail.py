"""A small picture of a part, drawn by the server."""

from __future__ import annotations

import io
from collections.abc import Callable

import numpy as np
from PIL import Image, ImageDraw

from glass_spoon.kernel.arrays import Floats, directions
from glass_spoon.kernel.curves.closest_on_curve import span_params
from glass_spoon.kernel.curves.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate_curve import curve_points
from glass_spoon.kernel.meshes.mesh import Mesh

WIDTH, HEIGHT, SCALE = 320, 220, 2
PAPER, GLASS, INK = (237, 239, 233), (150, 183, 177), (58, 84, 82)
LIGHT = directions(np.array([-0.4, -0.75, 0.6]))
MOST_FACES = 6000
MOST_CURVES = 200
_TURN, _TILT = np.radians(28.0), np.radians(20.0)


def draw_thumbnail(meshes: list[Mesh], curves: list[NurbsCurve]) -> bytes:
    """Return a PNG of meshes seen from the front left and above, far faces first; of curves where there is no mesh."""
    image = Image.new("RGB", (WIDTH * SCALE, HEIGHT * SCALE), PAPER)
    meshes = [mesh for mesh in meshes if 0 < mesh.face_count <= MOST_FACES]
    if meshes:
        _draw(ImageDraw.Draw(image), meshes)
    elif curves:
        _draw_curves(ImageDraw.Draw(image), curves[:MOST_CURVES])
    small = image.resize((WIDTH, HEIGHT), Image.Resampling.LANCZOS)
    data = io.BytesIO()
    small.save(data, "PNG", optimize=True)
    return data.getvalue()


def _view() -> Floats:
    """Return the rows right, up and towards the eye (3, 3)."""
    right = np.array([np.cos(_TURN), np.sin(_TURN), 0.0])
    ahead = np.array([-np.sin(_TURN), np.cos(_TURN), 0.0])
    up = np.array([0.0, 0.0, np.cos(_TILT)]) + np.sin(_TILT) * ahead
    return np.array([right, up, np.cross(right, up)])


def _draw_curves(pen: ImageDraw.ImageDraw, curves: list[NurbsCurve]) -> None:
    """Draw the curves as lines."""
    view = _view()
    paths = [curve_points(curve, span_params(curve, 12)) @ view.T for curve in curves]
    place = _placing(np.concatenate(paths))
    for path in paths:
        pen.line([tuple(point) for point in place(path).tolist()], fill=INK, width=2 * SCALE, joint="curve")


def _placing(seen: Floats) -> Callable[[Floats], Floats]:
    """Return what takes seen points (n, 3) to pixels (n, 2), so that all of `seen` is on the picture."""
    low, high = seen.min(axis=0), seen.max(axis=0)
    size = np.maximum(high - low, 1e-9)
    zoom, middle = 0.84 * min(WIDTH * SCALE / size[0], HEIGHT * SCALE / size[1]), (low + high) / 2
    return lambda points: (points[:, :2] - middle[:2]) * [zoom, -zoom] + [WIDTH * SCALE / 2, HEIGHT * SCALE / 2]


def _draw(pen: ImageDraw.ImageDraw, meshes: list[Mesh]) -> None:
    """Paint the faces."""
    view = _view()
    seen = [mesh.positions @ view.T for mesh in meshes]
    place = _placing(np.concatenate(seen))
    jobs: list[tuple[float, list[tuple[float, float]], float]] = []
    for mesh, points in zip(meshes, seen, strict=True):
        flat = place(points)
        depth = (mesh.face_centers @ view.T)[:, 2]
        normals = mesh.face_normals * np.where((mesh.face_normals @ view[2]) < 0, -1.0, 1.0)[:, None]
        light = 0.55 + 0.5 * np.clip(normals @ LIGHT, -0.4, 1.0)
        offsets, corners = mesh.topology.face_offsets, mesh.topology.face_corners
        jobs.extend(
            (depth[i], [tuple(p) for p in flat[corners[offsets[i] : offsets[i + 1]]].tolist()], light[i])
            for i in range(mesh.face_count)
        )
    for _, outline, light in sorted(jobs, key=lambda job: job[0]):
        fill = tuple(int(min(255, channel * light)) for channel in GLASS)
        edge = tuple(int(min(255, a * light * 0.72 + b * 0.1)) for a, b in zip(GLASS, INK, strict=True))
        pen.polygon(outline, fill=fill, outline=edge)
