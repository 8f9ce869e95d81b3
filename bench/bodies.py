"""Bodies: ten thousand places of a body of a thousand faces, beside trimesh writing them out; the wall of a mesh."""

from __future__ import annotations

from typing import Any

import numpy as np
import trimesh

from bench.measure import median_seconds
from glass_spoon.formats.gltf import NamedMesh, write_view_glb
from glass_spoon.kernel.gauges.read_bodies import read_bodies
from glass_spoon.kernel.gauges.reading import Limits
from glass_spoon.kernel.mesh_edits.thicken import Wall, thicken
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.repeat.placements import grid_places
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.items import BodiesItem
from glass_spoon.sheet.upgrades import UPGRADES
from tests.zoo import torus

COPIES = 100
"""Copies each way: ten thousand in all."""


def sheet(radius: float) -> dict[str, Any]:
    """Return a sheet with a torus of 1,000 faces at ten thousand places."""
    lines = [
        {"id": "l1", "verb": "simple", "form": "torus", "radius": f"{radius} mm", "second": "2 mm"},
        {"id": "l2", "verb": "mesh", "surface": "l1", "round": 50, "along": 20},
        {"id": "l3", "verb": "grid", "item": "l2", "across": COPIES, "deep": COPIES, "x": "25 mm", "y": "25 mm"},
    ]
    versions = {verb: len(steps) + 1 for verb, steps in UPGRADES.items()}
    return {"format": "glass-spoon/sheet", "version": 1, "verb_versions": versions, "lines": lines}


def change(radius: float) -> BodiesItem:
    """Do what an edit of the body does at the server: read, build, write the model for the board."""
    item = evaluate(read_document(sheet(radius)), ResultCache()).items["l3"].item
    assert isinstance(item, BodiesItem)
    write_view_glb([NamedMesh("l3", item.body.mesh, places=item.places)])
    return item


def run() -> dict[str, Any]:
    """Return seconds and ratios."""
    item = change(8.0)
    whole = median_seconds(lambda: change(8.0), 7)
    body = item.body.mesh
    gauges = median_seconds(lambda: read_bodies(body, None, item.places, Limits()), 5)
    one = trimesh.Trimesh(body.positions, body.topology.face_corners.reshape(-1, 4)[:, :3], process=False)
    few = grid_places(np.diag([25.0, 25.0, 0.0]), [COPIES, COPIES // 10, 1])

    def written_out() -> None:
        trimesh.util.concatenate([one.copy().apply_translation(offset) for offset in few.offsets])

    peer = 10 * median_seconds(written_out, 3)
    mesh = mesh_surface(torus(300, 100), 400, 250)
    wall = Wall(np.zeros(mesh.point_count), np.full(mesh.point_count, 2.0))
    walled = median_seconds(lambda: thicken(mesh, wall), 7)
    return {
        "whole_change_s": round(whole, 4),
        "gauges_s": round(gauges, 4),
        "trimesh_written_out_s": round(peer, 3),
        "change_over_trimesh": round(whole / peer, 4),
        "thicken_100k_s": round(walled, 4),
    }
