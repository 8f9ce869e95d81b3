"""Marks as the board shows them, and what a pick on the board may mean."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.meshes import marked
from glass_spoon.kernel.meshes.marked import Mark, MarkKind
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.mesh_loops import nearest_edge
from glass_spoon.kernel.subdivision.refine_mark import refine_mark
from glass_spoon.sheet.edit import dependents
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import MarkItem, MeshItem
from glass_spoon.sheet.picks import sign_rows
from glass_spoon.studio.see.scene import drawn_as
from glass_spoon.studio.sentences import Refused

MOST_SHOWN = 60_000
"""Most elements of a mark that are shown."""

MOST_PICKED = 500
"""Most single picks that a mark keeps as places; more are better marked by a rule."""

MOST_STOPS = 40
"""Most places that a path goes through."""

LEVEL = 1e-3
"""A loop is level when its heights differ by less than this share of its size."""

SIDES: tuple[tuple[marked.SurfaceSide, str], ...] = (
    ("start", "at the start of the surface"),
    ("end", "at the end of the surface"),
    ("first", "on the first side of the surface"),
    ("last", "on the last side of the surface"),
)

GESTURES = ("point", "edge", "face", "loop", "ring", "strip", "path")


def marks_shown(build: Build, level: int) -> list[dict[str, Any]]:
    """Return the marks that are not hidden, on the meshes as they stand, at a smoothing level; used: by another line."""
    found = []
    for name, state in build.named("mark"):
        item = state.item
        if (
            not isinstance(item, MarkItem)
            or build.document.is_hidden(state.item_id)
            or build.document.is_hidden(item.mesh_id)
        ):
            continue
        mesh = build.items.get(item.mesh_id)
        drawn, places = (None, None) if mesh is None else drawn_as(mesh.item)
        if drawn is None or places is not None:
            continue
        try:
            mark = item.on(drawn)
        except InvalidInput:
            continue
        count = len(mark)
        fine = refine_mark(mark, level)
        found.append(
            {
                "id": state.item_id,
                "name": name,
                "mesh": item.mesh_id,
                "kind": fine.kind,
                "count": count,
                "used": bool(dependents(build.document, state.item_id)),
                "indices": fine.indices[:MOST_SHOWN].tolist(),
            }
        )
    return found


def pick(build: Build, asked: Mapping[str, Any]) -> dict[str, Any]:
    """Return what a gesture at a place picks on a mesh: kind, elements, and the lines that would mark it, in words."""
    state = build.items.get(str(asked.get("mesh", "")))
    gesture = str(asked.get("gesture", ""))
    item, places = (None, None) if state is None else drawn_as(state.item)
    if item is None or gesture not in GESTURES:
        raise Refused("Pick on a mesh. Load the page again if it is not there.", 400)
    if places is not None:
        raise Refused(
            f"These are {len(places):,} bodies, drawn from one mesh. Mark that mesh before the line that repeats it, or "
            "choose “as one mesh” there."
        )
    if "known" in asked:
        return {"picks": sign_rows(item, *_elements(item.mesh, asked.get("kind"), asked["known"]))}
    if "grow" in asked:
        return _grown(item.mesh, asked)
    if gesture == "path":
        return _path(item, asked.get("places"))
    place = _place(asked.get("place"))
    mesh = item.mesh
    mark = _found(mesh, gesture, place)
    offers = [_by_place(item, gesture, place)] if gesture in ("loop", "ring", "strip") else []
    offers += _rules(build, item, mark, gesture)
    middles = marked.element_middles(mesh, mark.kind)[mark.indices[:1]]
    return {
        "kind": mark.kind,
        "indices": mark.indices[:MOST_SHOWN].tolist(),
        "place": np.round(middles[0], 4).tolist() if len(middles) and gesture in ("point", "edge", "face") else None,
        "offers": offers,
    }


def _path(item: MeshItem, raw: Any) -> dict[str, Any]:
    """Return the edges of a path through places, and the line that finds it."""
    if not isinstance(raw, list) or not 1 <= len(raw) <= MOST_STOPS:
        raise Refused(f"A path goes through 2 to {MOST_STOPS} places. Mark this one, and begin another.", 400)
    mesh, places = item.mesh, np.array([_place(one) for one in raw])
    if len(places) == 1:
        mark = marked.mark_nearest(mesh, places, "point")
        return {"kind": "point", "indices": mark.indices.tolist(), "place": None, "offers": []}
    mark = marked.mark_path(mesh, places)
    picks = sign_rows(item, "point", marked.nearest_elements(mesh, places, "point"))
    offers = [{"words": "this path", "values": {"what": "path", "picks": picks}}]
    return {"kind": "edge", "indices": mark.indices[:MOST_SHOWN].tolist(), "place": None, "offers": offers}


def _grown(mesh: Mesh, asked: Mapping[str, Any]) -> dict[str, Any]:
    """Return what is picked grown by a ring of neighbours, or without its outermost."""
    by = asked.get("grow")
    kind, indices = _elements(mesh, asked.get("kind"), asked.get("indices"))
    if by not in (1, -1):
        raise Refused("The pick could not be read. Pick again.", 400)
    mark = marked.grow(marked.make_mark(kind, mesh, indices), int(by))
    return {"kind": mark.kind, "indices": mark.indices[:MOST_SHOWN].tolist(), "place": None, "offers": []}


def _elements(mesh: Mesh, kind: Any, raw: Any) -> tuple[MarkKind, Ints]:
    """Return the kind and the numbers (k,) of elements that were sent; Refused for what the mesh has not."""
    count = {"point": mesh.point_count, "edge": len(mesh.topology.edges.ends), "face": mesh.face_count}.get(str(kind), 0)
    try:
        indices = np.array([int(one) for one in raw or []], dtype=np.int64)
    except (TypeError, ValueError) as error:
        raise Refused("The pick could not be read.", 400) from error
    if not len(indices) or indices.min() < 0 or indices.max() >= count:
        raise Refused("The pick could not be read. Pick again.", 400)
    return "point" if kind == "point" else "edge" if kind == "edge" else "face", indices


def _place(raw: Any) -> Floats:
    """Return a place (3,) in mm; Refused for anything else."""
    try:
        place = np.array([float(value) for value in raw], dtype=np.float64)
    except (TypeError, ValueError) as error:
        raise Refused("The place could not be read.", 400) from error
    if place.shape != (3,) or not np.isfinite(place).all():
        raise Refused("The place could not be read.", 400)
    return place


def _found(mesh: Mesh, gesture: str, place: Floats) -> Mark:
    """Return what a gesture picks."""
    if gesture in ("loop", "ring", "strip"):
        return {"loop": marked.mark_loop, "ring": marked.mark_ring, "strip": marked.mark_strip}[gesture](mesh, place)
    kind: MarkKind = "point" if gesture == "point" else "edge" if gesture == "edge" else "face"
    return marked.mark_nearest(mesh, place[None], kind)


def _by_place(item: MeshItem, gesture: str, place: Floats) -> dict[str, Any]:
    """Return the line that finds a loop, a ring or a strip by the edge at the place."""
    picks = sign_rows(item, "edge", np.array([nearest_edge(item.mesh, place)]))
    typed = {axis: f"{picks[0][axis]:g} mm" for axis in "xyz"}
    picks[0] |= typed
    return {"words": f"this {gesture}", "values": {"what": gesture, **typed, "picks": picks}}


def _rules(build: Build, item: MeshItem, mark: Mark, gesture: str) -> list[dict[str, Any]]:
    """Return rules that hold what was picked: its height, its sharpness, its rim, its piece, what made it."""
    mesh = item.mesh
    found = _edge_rules(mesh, mark, gesture) if mark.kind == "edge" and len(mark) else []
    if mark.kind == "face" and len(mark) and "piece" in mesh.faces:
        pieces = np.unique(mesh.faces["piece"][mark.indices]).astype(int)
        if len(pieces) == 1 and mesh.faces["piece"].max() > 0:
            found += _piece_rules(build, item, int(pieces[0]))
    return found + _maker_rules(build, item, mark)


def _maker_rules(build: Build, item: MeshItem, mark: Mark) -> list[dict[str, Any]]:
    """Return rules that hold all that one line made: of the role that was picked, and of any."""
    place = {"face": item.mesh.faces, "edge": item.mesh.edges}.get(mark.kind, {})
    if not len(mark) or "maker" not in place:
        return []
    makers = np.unique(place["maker"][mark.indices])
    if len(makers) != 1 or makers[0] <= 0:
        return []
    maker, noun = item.makers[int(makers[0]) - 1], f"{mark.kind}s"
    line, what = build.document.number_of(maker.line), f"{noun} made by"
    found = [{"words": f"all {noun} made by line {line}", "values": {"what": what, "maker": maker.line}}]
    if maker.role:
        values = {"what": what, "maker": maker.line, "role": maker.role}
        found.append({"words": f"the {maker.role}s of line {line}", "values": values})
    return found


def _edge_rules(mesh: Mesh, mark: Mark, gesture: str) -> list[dict[str, Any]]:
    """Return rules that hold some edges: their height, the rim, the side of the surface, their sharpness."""
    found: list[dict[str, Any]] = []
    points = mesh.positions[mesh.topology.edges.ends[mark.indices].ravel()]
    size = float(np.ptp(mesh.positions, axis=0).max()) or 1.0
    if gesture == "loop" and np.ptp(points[:, 2]) < LEVEL * size:
        height = float(points[:, 2].mean())
        values = {"what": "edges at a height", "low": f"{height:.4g} mm", "reach": f"{LEVEL * size:.3g} mm"}
        found.append({"words": f"the edges at height {height:.4g} mm", "values": values})
    if (mesh.topology.edge_face_counts[mark.indices] == 1).all():
        found.append({"words": "the open rim", "values": {"what": "rim"}})
    for side, words in SIDES:
        if np.isin(mark.indices, marked.mark_surface_edges(mesh, side).indices).all():
            values = {"what": "edges of the surface", "side": side}
            found.append({"words": f"the edges {words}", "values": values})
    angle = _least_turn(mesh, mark)
    if angle > np.radians(20):
        degrees = max(5, int(np.degrees(angle) // 5 * 5) - 5)
        words = f"all edges sharper than {degrees}°"
        found.append({"words": words, "values": {"what": "sharp edges", "angle": f"{degrees}°"}})
    return found


def _piece_rules(build: Build, item: MeshItem, number: int) -> list[dict[str, Any]]:
    """Return the rule that finds all faces of a piece: by its name, by the surface it came from, else by its number."""
    pieces = item.every_piece
    piece = pieces[number]
    if piece.name and sum(other.name.casefold() == piece.name.casefold() for other in pieces) == 1:
        return [{"words": f"all faces of {piece.name}", "values": {"what": "faces named", "named": piece.name}}]
    document = build.document
    for maker in piece.made_by:
        if document.item_name(maker) and sum(maker in other.made_by for other in pieces) == 1:
            words = f"all faces of {document.item_name(maker)}"
            return [{"words": words, "values": {"what": "faces made by", "maker": maker}}]
    values = {"what": "faces of pieces", "pieces": [{"piece": number + 1}]}
    return [{"words": f"all faces of piece {number + 1}", "values": values}]


def _least_turn(mesh: Mesh, mark: Mark) -> float:
    """Return the least angle in rad by which faces turn at the edges of a mark; 0 where one has a single face."""
    pair = mesh.topology.edge_faces[mark.indices]
    if (pair < 0).any():
        return 0.0
    facing = np.einsum("ij,ij->i", mesh.face_normals[pair[:, 0]], mesh.face_normals[pair[:, 1]])
    return float(np.arccos(np.clip(facing, -1, 1)).min())
