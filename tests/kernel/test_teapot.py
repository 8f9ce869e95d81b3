"""The teapot of Martin Newell (1975), public data that the examples of three carry: 32 bicubic patches.

Read in as surfaces, joined by the edges they share, meshed to quads.
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest

from glass_spoon.kernel.gauges.defects import read_folded
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.meshes.mesh import check_mesh
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, make_surface
from glass_spoon.kernel.surfaces.sets.orient_set import orient_set
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

FILE = Path(__file__).parents[2] / "node_modules" / "three" / "examples" / "jsm" / "geometries" / "TeapotGeometry.js"
CUBIC = [0, 0, 0, 0, 1, 1, 1, 1]
BODIES = {
    "rim and body": range(12),
    "handle": range(12, 16),
    "spout": range(16, 20),
    "lid": range(20, 28),
    "bottom": range(28, 32),
}


def numbers(text: str, name: str) -> np.ndarray:
    """Return the numbers of a list of the file, whose signs may stand apart from them."""
    body = re.sub(r"/\*.*?\*/|//[^\n]*", "", re.search(rf"{name} = \[(.*?)\]", text, re.DOTALL)[1], flags=re.DOTALL)
    return np.array([float(word.replace(" ", "")) for word in re.findall(r"-?\s*\d*\.?\d+", body)])


@pytest.fixture(scope="module")
def patches() -> list[NurbsSurface]:
    text = FILE.read_text()
    indices = numbers(text, "teapotPatches").astype(int).reshape(32, 4, 4)
    vertices = numbers(text, "teapotVertices").reshape(-1, 3) * 20
    return [make_surface((3, 3), (CUBIC, CUBIC), vertices[patch]) for patch in indices]


def test_there_are_32_patches_that_share_their_edges(patches) -> None:
    """The open data set has its patches, and most edges are found shared."""
    shape = SurfaceSet(tuple(patches))
    assert len(patches) == 32
    assert len(shape.shared) >= 40


@pytest.mark.parametrize("body", BODIES)
def test_each_body_becomes_even_quads_without_inner_gaps(patches, body: str) -> None:
    """Bodies mesh in quads with only their own rims open."""
    shape = orient_set(SurfaceSet(tuple(patches[k] for k in BODIES[body]))).shape
    mesh = mesh_set(shape, Wish((4.0, 4.0)))
    check_mesh(mesh)
    assert mesh.topology.is_quads
    assert mesh.topology.edge_face_counts.max() <= 2
    assert not mesh.topology.same_direction.any()
    assert read_folded(figures_of(mesh)).value == 0
    # Open only where the body itself ends: each loop of the rim lies on open edges of the surfaces.
    open_length = sum(float(shape.edges.lengths[shape.edges.number[name]]) for name in shape.open_edges)
    rim = mesh.positions[mesh.topology.edges.ends[mesh.topology.boundary_edges]]
    assert np.linalg.norm(rim[:, 1] - rim[:, 0], axis=1).sum() == pytest.approx(
        open_length, rel=0.04, abs=1e-6
    )  # chords of a few edges
