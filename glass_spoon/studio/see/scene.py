"""What the board shows of a build: its meshes, and surfaces that no mesh stands for yet."""

from __future__ import annotations

import hashlib
import logging
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.gauges.crossings import read_crossing_others
from glass_spoon.kernel.gauges.read_bodies import of_all_bodies, read_bodies, read_bodies_beside
from glass_spoon.kernel.gauges.read_gauges import read_gauges, read_quick_gauges
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.gauges.whole_mesh import bounding_size, count_levels
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.cut_set import cut_at_kinks
from glass_spoon.kernel.meshing.divide_length import make_guide
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.meshing.set_counts import Wish, planned, predicted_faces
from glass_spoon.kernel.repeat.placements import Placements, boxes_of
from glass_spoon.kernel.repeat.repeat_mesh import repeat_mesh
from glass_spoon.kernel.subdivision.catmull_clark import predict_faces, subdivide
from glass_spoon.kernel.subdivision.limit_surface import settled
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, one_as_set
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.kernel.trims.mesh_faces import mesh_faces
from glass_spoon.sheet.cache import SLOW
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import BodiesItem, CurveItem, CurvesItem, Item, MeshItem, SurfaceItem, SurfacesItem, TrimmedItem
from glass_spoon.sheet.lines.form.alter_surfaces import Gather
from glass_spoon.sheet.lines.mesh_work.mesh_surface import MeshSurface
from glass_spoon.studio.flows.build_part import RESULTS
from glass_spoon.studio.flows.watched_work import PATIENCE, Report, WatchedWork, Working
from glass_spoon.studio.sentences import Refused

log = logging.getLogger(__name__)

SHOWN_FACES = 1_200_000
"""Most faces that the board shows at a smoothing level; files sent out may have more."""

DRAWN_FACES = 200_000
"""Most faces of bodies that a small picture is drawn of."""

WHOLE_FACES = 30_000
"""Most faces with which bodies are shown and measured as one mesh."""

SURFACE_ROUND, SURFACE_RUN = 72, 12
"""Edges round, and along each run between sharp points, of the stand-in that shows a bare surface."""

STAND_INS = ((SURFACE_ROUND, np.radians(25)), (24, np.radians(25)), (12, np.radians(45)))
"""Edges round, and the most in rad that the surface turns by over an edge, that are tried until there are few enough."""

STAND_IN_FACES = 60_000
"""Most faces of a stand-in that follows every bend."""


FACE_RUN = 60
"""Edges along the size of faces, in the stand-in that shows them."""


@dataclass(frozen=True, eq=False)
class Shown:
    """One thing on the board.

    key: names its content. mesh: at the smoothing level shown. is_surface: marks stand-ins of bare surfaces. at_limit: the
    picture has its vertices where smoothing takes them in the end. places: where a body stands that is drawn from one mesh.
    others: the other meshes shown, for the gauges.
    """

    key: str
    item_id: str
    name: str
    mesh: Mesh
    surface: NurbsSurface | SurfaceSet | None
    is_surface: bool
    at_limit: bool = False
    places: Placements | None = None
    others: tuple[Shown, ...] = ()

    @property
    def copies(self) -> int:
        """How often the mesh stands there."""
        return 1 if self.places is None else len(self.places)

    @property
    def extent(self) -> Floats:
        """The extent (3,) in mm of all copies."""
        if self.places is None:
            return bounding_size(self.mesh)
        low, high = boxes_of(self.places, self.mesh.positions)
        return np.asarray(high.max(axis=0) - low.min(axis=0))

    @property
    def level_counts(self) -> list[int]:
        """Faces of all copies at every smoothing level."""
        return [self.copies * count for count in count_levels(self.mesh.topology)]

    @property
    def drawn(self) -> Mesh:
        """The mesh for a small picture: copies written out, of very many some, evenly."""
        if self.places is None:
            return self.mesh
        most = max(1, DRAWN_FACES // max(1, self.mesh.face_count))
        some = np.unique(np.linspace(0, self.copies - 1, min(self.copies, most)).round())
        return repeat_mesh(self.mesh, self.places.take(some))

    @property
    def picture(self) -> Mesh:
        """The mesh as it is drawn: a level of smoothing shows where its vertices end up, with the normals there."""
        if not self.at_limit:
            return self.mesh
        kept = _kept(f"{self.key}:limit", lambda: MeshItem(settled(self.mesh), self.surface))
        return kept.mesh if isinstance(kept, MeshItem) else self.mesh


def shown_items(build: Build, level: int, faults: list[str] | None = None) -> list[Shown]:
    """Return all that the board shows; Refused when a level would be too large to show.

    What cannot be drawn, for a reason that was not foreseen, is left out, and a sentence on it added to `faults`.
    """
    shown: list[Shown] = []
    meshed: set[str] = set()  # by content: a mesh from the store has a surface object of its own
    resting = build.resting
    for name, state in build.visible("mesh", "bodies"):
        item, places = drawn_as(state.item)
        if item is not None and not build.document.is_hidden(state.item_id):
            meshed |= {part.key for part in _parts(item.surface)}
            if state.item_id in resting:
                continue
            mesh = _drawn(name, faults, partial(smoothed, state.key, item, level))
            if mesh is not None:
                shown.append(
                    Shown(
                        f"{state.key}:{level}",
                        state.item_id,
                        name,
                        mesh,
                        item.surface,
                        is_surface=False,
                        at_limit=level > 0,
                        places=places,
                    )
                )
    stood_for = _stood_for(build)
    for name, state in (*build.visible("surface"), *build.visible("surfaces"), *build.visible("trimmed")):
        if state.item_id in resting | stood_for:
            continue
        shape = None if build.document.is_hidden(state.item_id) else bare_shape(state.item)
        own = None if isinstance(shape, FaceSet) else shape  # faces are read by their own edges, not by whole surfaces
        if shape is None or (own is not None and all(part.key in meshed for part in _parts(own))):
            continue
        mesh = _drawn(name, faults, partial(stand_in, state.key, shape))
        if mesh is not None:
            shown.append(Shown(state.key, state.item_id, name, mesh, own, is_surface=True))
    return shown


def bare_shape(item: Item) -> NurbsSurface | SurfaceSet | FaceSet | None:
    """Return what an item of surfaces consists of, None for another."""
    if isinstance(item, SurfaceItem):
        return item.surface
    return item.shape if isinstance(item, SurfacesItem | TrimmedItem) else None


def _stood_for(build: Build) -> set[str]:
    """Return the surfaces that meshes stand for, also where one was moved away since, and those that were gathered."""
    found: set[str] = set()
    for line in build.document.lines:
        if isinstance(line, MeshSurface) and line.id in build.items and not build.document.is_hidden(line.id):
            found.add(line.surface)
        elif isinstance(line, Gather) and line.id in build.items:
            found |= set(line.surfaces)
    return found


def _drawn(name: str, faults: list[str] | None, make: Callable[[], Mesh]) -> Mesh | None:
    """Return what shows an item, None where making it failed for a reason that was not foreseen."""
    try:
        return make()
    except Refused:
        raise
    except Exception:  # of native libraries too: one item may fail, the board must not
        log.exception("%s could not be drawn.", name)
        if faults is not None:
            faults.append(f"{name} could not be drawn, for a reason that was not foreseen. The part itself stands.")
        return None


def _parts(surface: NurbsSurface | SurfaceSet | None) -> tuple[NurbsSurface, ...]:
    """Return the surfaces of a set, or the single one."""
    return surface.surfaces if isinstance(surface, SurfaceSet) else (surface,) if surface is not None else ()


def shown_curves(build: Build) -> list[NurbsCurve]:
    """Return the curves that are not hidden."""
    found: list[NurbsCurve] = []
    for _, state in (*build.visible("curve"), *build.visible("curves")):
        if build.document.is_hidden(state.item_id):
            continue
        if isinstance(state.item, CurveItem):
            found.append(state.item.curve)
        elif isinstance(state.item, CurvesItem):
            found += state.item.curves
    return found


def _kept(key: str, make: object) -> Item:
    """Return an item from the shared results, made when it is not there."""
    what = f"shown {key.rpartition(':')[2]}"
    found = RESULTS.find(key, what)
    if found is None:
        started = time.perf_counter()
        found = (make(), None)  # type: ignore[operator]
        RESULTS.put_made(key, found, what, time.perf_counter() - started)
    return found[0]


def drawn_as(item: Item) -> tuple[MeshItem | None, Placements | None]:
    """Return the mesh that shows an item, and where it stands: few bodies are drawn as one mesh, whose faces may be picked,
    many as one body at many places. None for what is no mesh.
    """
    if isinstance(item, BodiesItem):
        few = item.face_count <= WHOLE_FACES or not item.places.is_similar
        return (item.whole, None) if few else (item.body, item.places)
    return (item, None) if isinstance(item, MeshItem) else (None, None)


def smoothed(key: str, item: MeshItem, level: int) -> Mesh:
    """Return a mesh at a smoothing level; `key` names its content."""
    if level == 0:
        return item.mesh
    faces = predict_faces(item.mesh.topology, level)
    if faces > SHOWN_FACES:
        raise Refused(
            f"Smoothed {level} times this has {faces:,} faces; the board shows up to {SHOWN_FACES:,}. "
            "Send it out at this level."
        )
    kept = _kept(f"{key}:level{level}", lambda: MeshItem(subdivide(item.mesh, level), item.surface))
    return kept.mesh if isinstance(kept, MeshItem) else item.mesh


def stand_in(key: str, surface: NurbsSurface | SurfaceSet | FaceSet) -> Mesh:
    """Return a mesh that shows a bare surface, a set of them, or faces."""

    def make() -> MeshItem:
        if isinstance(surface, FaceSet):
            return MeshItem(mesh_faces(surface, surface.size / FACE_RUN), None)
        whole = surface if isinstance(surface, SurfaceSet) else one_as_set(surface)
        wish, faces = _stand_in_wish(whole)
        if isinstance(surface, SurfaceSet):
            return MeshItem(mesh_set(surface, wish, poles="fan"), surface)
        along = max(24, SURFACE_RUN * len(make_guide(surface, 1).sizes))
        if faces > SURFACE_ROUND * along:
            return MeshItem(mesh_set(whole, wish, poles="fan"), surface)
        return MeshItem(mesh_surface(surface, SURFACE_ROUND, along, poles="fan"), surface)

    kept = _kept(f"{key}:stand-in", make)
    if not isinstance(kept, MeshItem):
        raise TypeError("not a mesh")
    return kept.mesh


def _stand_in_wish(shape: SurfaceSet) -> tuple[Wish, int]:
    """Return what the stand-in of surfaces should come near to, and how many faces it then has.

    A long cord that winds needs more edges along than one that runs straight, and fewer round it where there are many.
    """
    cut = cut_at_kinks(shape)
    for many, turn in STAND_INS:
        wish = Wish(counts=(many, SURFACE_RUN), turn=turn)
        faces = predicted_faces(*planned(cut, wish, "fan"))
        if faces <= STAND_IN_FACES:
            return wish, faces
    return Wish(counts=(SURFACE_ROUND, SURFACE_RUN)), 0


def gauged(shown: list[Shown], item_id: str = "") -> Shown | None:
    """Return the mesh that the gauges read: the one asked for, else the last."""
    meshes = gauged_meshes(shown)
    chosen = [item for item in meshes if item.item_id == item_id]
    return chosen[0] if chosen else (meshes[-1] if meshes else None)


def gauged_meshes(shown: list[Shown]) -> list[Shown]:
    """Return the meshes that are shown, each with the others beside it."""
    meshes = [item for item in shown if not item.is_surface]
    return [replace(item, others=tuple(other for other in meshes if other is not item)) for item in meshes]


_readings: WatchedWork[list[Reading]] = WatchedWork("gauges", threads=2)
_beside: WatchedWork[list[Reading]] = WatchedWork("gauges beside others", threads=1)


def readings_of(item: Shown, limits: Limits) -> list[Reading]:
    """Return all readings of a shown mesh, however long they take."""
    readings = _readings.finished(_readings_key(item, limits), _readings_work(item, limits))
    return readings + (_beside.finished(_beside_key(item), _beside_work(item)) if item.others else [])


def watched_readings(item: Shown, limits: Limits, patience: float = PATIENCE) -> list[Reading] | Working:
    """Return all readings of a shown mesh, or how far they are."""
    readings = _readings.result(_readings_key(item, limits), _readings_work(item, limits), patience)
    if isinstance(readings, Working) or not item.others:
        return readings
    beside = _beside.result(_beside_key(item), _beside_work(item), patience)
    return beside if isinstance(beside, Working) else readings + beside


def stop_readings(item: Shown, limits: Limits) -> str:
    """End the reading of a shown mesh at its next report; return its key."""
    _readings.stop(_readings_key(item, limits))
    _beside.stop(_beside_key(item))
    return readings_key(item, limits)


def readings_key(item: Shown, limits: Limits) -> str:
    """Return the key of all readings of a shown mesh."""
    return f"{_readings_key(item, limits)}|{_beside_key(item)}"


def known_readings(item: Shown, limits: Limits) -> list[Reading] | None:
    """Return all readings of a shown mesh where they were read before, None where they were not."""
    readings = _readings.known(_readings_key(item, limits))
    if readings is None or not item.others:
        return readings
    beside = _beside.known(_beside_key(item))
    return None if beside is None else readings + beside


def quick_readings(item: Shown, limits: Limits, *, distances: bool = True) -> list[Reading]:
    """Return the readings that follow a drag, with `distances` from the surface or without."""
    readings = read_quick_gauges(item.mesh, item.surface if distances else None, limits)
    return readings if item.places is None else of_all_bodies(readings, item.places)


def _beside_key(item: Shown) -> str:
    return "|".join((item.key, *(other.key for other in item.others)))


def _beside_work(item: Shown) -> Callable[[Report], list[Reading]]:
    """Return the reading of what a mesh does to the others as work."""
    others = [(other.mesh, other.places) for other in item.others]
    if item.places is None and all(places is None for _, places in others):
        return lambda report: [read_crossing_others(item.mesh, [mesh for mesh, _ in others])]
    return lambda report: [read_bodies_beside(item.mesh, item.places, others)]


def _readings_key(item: Shown, limits: Limits) -> str:
    return f"{item.key}:{limits}"


def _readings_work(item: Shown, limits: Limits) -> Callable[[Report], list[Reading]]:
    """Return the reading of all gauges as work; readings that took long are kept for every process."""
    key = "readings 2:" + hashlib.blake2b(_readings_key(item, limits).encode(), digest_size=16).hexdigest()

    def work(report: Report) -> list[Reading]:
        kept = RESULTS.store.get(key) if RESULTS.store else None
        if kept is not None:
            return list(kept[0])
        started = time.perf_counter()
        if item.places is None:
            readings = read_gauges(item.mesh, item.surface, limits, progress=report)
        else:
            readings = read_bodies(item.mesh, item.surface, item.places, limits, progress=report)
        if RESULTS.store and time.perf_counter() - started >= SLOW:
            RESULTS.store.put(key, (tuple(readings), None))
        return readings

    return work
