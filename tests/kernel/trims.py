"""Surfaces and bodies that the tests of faces work on."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.place_curve import Placement, moving, turning
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface, reverse_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, make_surface
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from glass_spoon.kernel.trims.face import FaceSet, make_face_set, whole_face

TO_X = turning((0, 0, 0), (0, 1, 0), np.pi / 2)
"""The turn that lays what stands upright along left-right."""


def tube(radius: float, half: float) -> NurbsSurface:
    """Return an upright cylinder from -half to half mm."""
    ends = np.array([[radius, 0.0, -half], [radius, 0.0, half]])
    return revolve_curve(make_polyline(ends), (0, 0, 0), (0, 0, 1), 2 * np.pi)


def ball(radius: float, middle: tuple[float, float, float] = (0, 0, 0)) -> NurbsSurface:
    """Return a sphere."""
    arc = make_arc(middle, (radius, 0, 0), (0, 0, radius), -np.pi / 2, np.pi / 2)
    return revolve_curve(arc, middle, (0, 0, 1), 2 * np.pi)


def ring(radius: float, wire: float) -> NurbsSurface:
    """Return a torus about the upright axis."""
    circle = make_arc((radius, 0, 0), (wire, 0, 0), (0, 0, wire), 0.0, 2 * np.pi)
    return revolve_curve(circle, (0, 0, 0), (0, 0, 1), 2 * np.pi)


def plane(half: float, height: float = 0.0) -> NurbsSurface:
    """Return a level square."""
    net = [[[-half, -half, height], [-half, half, height]], [[half, -half, height], [half, half, height]]]
    return make_surface((1, 1), ([0, 0, 1, 1], [0, 0, 1, 1]), np.array(net))


def _disc(radius: float, height: float) -> NurbsSurface:
    spoke = make_polyline(np.array([[0.0, 0.0, height], [radius, 0.0, height]]))
    return revolve_curve(spoke, (0, 0, 0), (0, 0, 1), 2 * np.pi)


def _outwards(surface: NurbsSurface) -> NurbsSurface:
    middle = [np.array([np.mean(surface.domain(axis))]) for axis in (0, 1)]
    place, normal = surface_points_normals(surface, *middle)
    return surface if float((place * normal).sum()) > 0 else reverse_surface(surface, 0)


def can(radius: float, half: float, placed: Placement | None = None) -> FaceSet:
    """Return a closed cylinder about the origin, or placed."""
    parts = [_outwards(part) for part in (tube(radius, half), _disc(radius, half), _disc(radius, -half))]
    return make_face_set([whole_face(place_surface(part, placed) if placed else part) for part in parts])


def block(sizes: tuple[float, float, float]) -> FaceSet:
    """Return a box about the origin as six faces."""
    faces = []
    for axis in range(3):
        for side in (-1.0, 1.0):
            out = side * sizes[axis] / 2 * np.eye(3)[axis]
            one, other = (k for k in range(3) if k != axis)
            if (side > 0) != (axis != 1):
                one, other = other, one
            u, v = sizes[one] / 2 * np.eye(3)[one], sizes[other] / 2 * np.eye(3)[other]
            net = np.array([[out - u - v, out - u + v], [out + u - v, out + u + v]])
            faces.append(whole_face(make_surface((1, 1), ([0, 0, 1, 1], [0, 0, 1, 1]), net)))
    return make_face_set(faces)


def pearl(radius: float, middle: tuple[float, float, float] = (0, 0, 0)) -> FaceSet:
    """Return a closed ball."""
    placed = place_surface(_outwards(ball(radius)), moving(middle))
    return make_face_set([whole_face(placed)])


def corners_of(mesh: Mesh) -> Floats:
    """Return the corners (4 f,) of a mesh of quads in degrees."""
    places = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)]
    ahead, back = np.roll(places, -1, axis=1) - places, np.roll(places, 1, axis=1) - places
    cosines = (ahead * back).sum(axis=2) / (lengths(ahead) * lengths(back))
    return np.degrees(np.arccos(np.clip(cosines, -1, 1))).ravel()


def volume_of(mesh: Mesh) -> float:
    """Return the volume in mm^3 inside a closed mesh of quads."""
    a, b, c, d = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)].swapaxes(0, 1)
    halves = np.einsum("ij,ij->i", a, np.cross(b, c)) + np.einsum("ij,ij->i", a, np.cross(c, d))
    return float(halves.sum() / 6)


def area_of_mesh(mesh: Mesh) -> float:
    """Return the area in mm^2 of a mesh of quads."""
    a, b, c, d = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)].swapaxes(0, 1)
    return float(lengths(np.cross(c - a, d - b)).sum() / 2)
