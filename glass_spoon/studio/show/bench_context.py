"""All that the bench's templates print, for one part and one way of looking at it."""

from __future__ import annotations

import json
import logging
import re
from collections.abc import Mapping
from concurrent.futures import CancelledError
from dataclasses import dataclass
from typing import Any

from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.kernel.gauges.whole_mesh import count_levels, count_sides
from glass_spoon.kernel.meshes.topology import Topology
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import WorkStopped
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.lines.draw.points import Draw
from glass_spoon.studio.access import MAY_EDIT
from glass_spoon.studio.flows.build_part import build_sheet, document_key, stop_build
from glass_spoon.studio.flows.comment_part import open_comments
from glass_spoon.studio.flows.history import history_ends
from glass_spoon.studio.flows.read_files import ReadingStopped, under_way
from glass_spoon.studio.flows.stopped_work import STOPPED
from glass_spoon.studio.flows.watched_work import Working
from glass_spoon.studio.models import Part, Role
from glass_spoon.studio.see.curve_rows import curve_rows
from glass_spoon.studio.see.gauge_causes import gauge_causes
from glass_spoon.studio.see.gauge_findings import offers
from glass_spoon.studio.see.gauge_rows import FIRST, MORE, gauge_rows
from glass_spoon.studio.see.part_meshes import part_faces, part_meshes
from glass_spoon.studio.see.scene import (
    SHOWN_FACES,
    Shown,
    drawn_as,
    gauged,
    gauged_meshes,
    known_readings,
    quick_readings,
    readings_key,
    shown_items,
    stop_readings,
    watched_readings,
)
from glass_spoon.studio.see.view_choice import ViewChoice, read_view
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.show.sheet_rows import ChapterRows, chapters, item_list, rebuilt, size_rows, summary, with_gauges

DISPLAY_MODES = (
    ("edges", "Faces + edges"),
    ("faces", "Faces"),
    ("smooth", "Smooth"),
    ("stripes", "Stripes"),
    ("evenness", "Evenness"),
    ("sides", "Sides"),
)
PICKS = (
    ("face", "Faces", "1"),
    ("edge", "Edges", "2"),
    ("point", "Points", "3"),
    ("loop", "Loops", "4"),
    ("ring", "Rings", "5"),
    ("strip", "Strips", "6"),
    ("path", "Path", "7"),
)


@dataclass(frozen=True)
class Act:
    """A verb that is done at once to what is picked: its name in files and in words, its key, and to which kinds."""

    verb: str
    words: str
    key: str
    kinds: str
    summary: str


ACTS = tuple(
    Act(name, re.findall(r"\*\*(.+?)\*\*", verb.sentence)[0], verb.act_key, " ".join(verb.acts_on), verb.summary)
    for name, verb in VERBS.items()
    if verb.acts_on
)
"""What may be done to picks, in the order of the verbs."""

NOT_READ = "The gauges of this mesh could not be read, for a reason that was not foreseen. The part itself stands."

log = logging.getLogger(__name__)

LEVEL_NAMES = ("cage", "once", "twice", "×3", "×4", "×5", "×6")


def bench_context(part: Part, role: Role, view: Mapping[str, Any], user: Any, *, hurries: bool = False) -> dict[str, Any]:
    """Return the context of the bench; with a long build under way only its progress."""
    document = part.sheet()
    chosen = read_view(view, document)
    asker = _Asker((part.pk, user.pk), view.get("pending") == "1", hurries)
    build = _watched_build(document, chosen, asker)
    can_undo, can_redo = (False, False) if part.by_link else history_ends(part, user)
    context: dict[str, Any] = {
        "part": part,
        "project": part.project,
        "document": document,
        "may_edit": role in MAY_EDIT,
        "view": chosen,
        "can_undo": can_undo,
        "can_redo": can_redo,
        "comments": None if part.by_link else open_comments(part),
        "working": None,
        "modes": DISPLAY_MODES,
        "picks": PICKS,
        "acts": ACTS,
        "after_number": document.number_of(chosen.after) if chosen.after else 0,
    }
    if isinstance(build, Working):
        return context | {"working": build, "doing": "Building the part", "reading": under_way(document)}
    return context | _built(build, chosen, asker)


def _watched_build(document: SheetDocument, chosen: ViewChoice, asker: _Asker) -> Build | Working:
    """Return the build of a sheet, or how far it is; one that was stopped rests until whoever stopped it goes on."""
    if STOPPED.any(asker.key, "build") and STOPPED.has(asker.key, "build", document_key(document, chosen.after)):
        return Working(stopped=True)
    try:
        return build_sheet(document, chosen.after)
    except ReadingStopped:
        raise
    except (WorkStopped, CancelledError):  # by somebody else who looks at the part
        return Working(stopped=True)


@dataclass(frozen=True)
class _Asker:
    """Who looks. waits: for what comes last, changes that would mend what the gauges tell. hurries: an edit is
    answered before its gauges are read; the quick ones stand for them until they are asked for.
    """

    key: tuple[Any, ...]
    waits: bool
    hurries: bool


def _built(build: Build, chosen: ViewChoice, asker: _Asker) -> dict[str, Any]:
    """Return what a finished build gives."""
    context: dict[str, Any] = {
        "chapters": chapters(build, chosen.after),
        "sizes": size_rows(build),
        "items": json.dumps(item_list(build.document)),
        "summary": summary(build),
        "rebuilt": rebuilt(build),
        "is_empty": not build.document.lines,
        "curve_rows": curve_rows(build, chosen.curve),
        "curve_name": build.document.item_name(chosen.curve) if chosen.curve else "",
        "drawn": isinstance(build.document.line(chosen.curve), Draw) if chosen.curve else False,
    }
    faults: list[str] = []
    try:
        shown = shown_items(build, chosen.level, faults)
    except Refused as error:
        return context | {"gauges_sentence": str(error), "levels": _levels(build, chosen), "meshes": []}
    if faults:
        context["gauges_sentence"] = " ".join(faults)
    item = gauged(shown, chosen.mesh)
    context["meshes"] = [(other.item_id, other.name) for other in shown if not other.is_surface]
    rests = item is not None and STOPPED.has(asker.key, "gauges", readings_key(item, build.document.limits.for_gauges()))
    context["part_meshes"] = part_meshes(build, gauged_meshes(shown), item, begin=not asker.hurries and not rests)
    context["unread"] = not rests and any(not row.state for row in context["part_meshes"])
    context["part_faces"] = part_faces(context["part_meshes"], build.document.limits.face_budget)
    if item is None:
        return context | {"levels": []}
    context |= {
        "levels": _levels(build, chosen, item.item_id),
        "gauged": item,
        "size": "×".join(f"{value:.0f}" if value >= 100 else f"{value:.1f}" for value in item.extent) + " mm",
        "sides": sides_text(item.mesh.topology, item.copies),
    }
    try:
        return context | _read(build, item, context["chapters"], asker)
    except Refused:
        raise
    except Exception:  # of native libraries too: the gauges may fail, the bench must not
        log.exception("The gauges of %s could not be read.", item.key)
        return context | {"gauges_sentence": NOT_READ}


def _read(build: Build, item: Shown, rows: list[ChapterRows], asker: _Asker) -> dict[str, Any]:
    """Return what the gauges of a mesh read and what is told of them in the sheet, or how far that is."""
    limits = build.document.limits.for_gauges()
    awaited = frozenset(FIRST) - (frozenset() if item.surface is not None else {"off_surface"})
    rest = {"gauges_rest": True}
    if STOPPED.has(asker.key, "gauges", readings_key(item, limits)):
        return _gauges(quick_readings(item, limits, distances=False), awaited) | rest
    try:
        readings = known_readings(item, limits) if asker.hurries else watched_readings(item, limits)
    except (WorkStopped, CancelledError):
        return _gauges(quick_readings(item, limits, distances=False), awaited) | rest
    if readings is None:
        quick = _gauges(quick_readings(item, limits, distances=False), awaited)
        return quick | _pending("readings", Working(), "Reading the gauges")
    if isinstance(readings, Working):
        return _pending("readings", readings, f"Reading the gauges of {item.mesh.face_count:,} faces")
    causes = gauge_causes(build, item, readings)
    if isinstance(causes, Working):
        told = _pending("causes", causes, "Looking for the lines that caused what the gauges read")
        return _gauges(readings) | told
    found = offers(build.document, item, causes, readings, asker.key, begin=asker.waits)
    context = _gauges(readings) | {"chapters": with_gauges(rows, found.findings, causes)}
    if found.working is not None:
        context |= _pending("offers", found.working, "Trying changes that would mend it")
    return context


def stop_work(part: Part, view: Mapping[str, Any], user: Any) -> None:
    """Stop the gauges of the mesh that somebody looks at, or the build that it waits for."""
    asker, document = (part.pk, user.pk), part.sheet()
    chosen = read_view(view, document)
    build = build_sheet(document, chosen.after, patience=0)
    if isinstance(build, Working):
        STOPPED.note(asker, "build", stop_build(document, chosen.after))
        return
    item = gauged(shown_items(build, chosen.level, []), chosen.mesh)
    if item is not None:
        STOPPED.note(asker, "gauges", stop_readings(item, document.limits.for_gauges()))


def _pending(stage: str, working: Working, doing: str) -> dict[str, Any]:
    """Return what is told of the gauges while they are not complete: the model stands already."""
    return {"pending": working, "pending_stage": stage, "pending_doing": doing}


def sides_text(topology: Topology, copies: int = 1) -> str:
    """Say how many faces of a mesh, or of copies of it, have how many sides, leaving out what there is none of."""
    counts = count_sides(topology)
    named = (("quads", "quads"), ("triangles", "triangles"), ("more", "with more"))
    text = ", ".join(f"{copies * counts[key]:,} {word}" for key, word in named if counts[key]) or "none"
    return text if copies == 1 else f"{text} in {copies:,} bodies"


def _gauges(readings: list[Reading], awaited: frozenset[str] = frozenset()) -> dict[str, Any]:
    """Return the rows of the gauges; `awaited`: those that are still to be read."""
    return {
        "rows": gauge_rows(readings, FIRST, awaited),
        "more_rows": gauge_rows(readings, MORE),
        "budget": gauge_rows(readings, ("face_budget",))[0],
    }


def short_count(count: int) -> str:
    """Return a count in at most six characters: whole below a hundred thousand, then in thousands and millions."""
    if count < 100_000:
        return f"{count:,}"
    return f"{count / 1e3:.0f} k" if count < 999_500 else f"{count / 1e6:.{1 if count < 9.95e6 else 0}f} M"


def _levels(build: Build, chosen: ViewChoice, item_id: str = "") -> list[dict[str, Any]]:
    """Return the smoothing levels with their face counts."""
    states = [state for _, state in build.named("mesh", "bodies")]
    wanted = build.items.get(item_id)
    state = wanted if wanted is not None else (states[-1] if states else None)
    drawn, places = (None, None) if state is None else drawn_as(state.item)
    if drawn is None:
        return []
    copies = 1 if places is None else len(places)
    counts = [copies * count for count in count_levels(drawn.mesh.topology)]
    return [
        {
            "level": level,
            "name": LEVEL_NAMES[level],
            "faces_text": short_count(faces),
            "faces": f"{faces:,} faces",
            "on": level == chosen.level,
            "shown": level == 0 or faces // copies <= SHOWN_FACES,
        }
        for level, faces in enumerate(counts[:4])
    ]
