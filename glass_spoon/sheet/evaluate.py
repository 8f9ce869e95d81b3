"""Run a sheet: document in, items and reports out. Pure but for the cache, which only saves time."""

from __future__ import annotations

import hashlib
import json
import logging
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from glass_spoon.kernel.errors import KernelError, NotFollowed, TooManyFaces
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import MissingItem, SheetError, WorkStopped
from glass_spoon.sheet.expressions import Quantity, resolve_sizes
from glass_spoon.sheet.fields import EVERY, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.handle import BEFORE, MADE, Handle
from glass_spoon.sheet.items import BodiesItem, Done, Item, MarkItem, MeshItem
from glass_spoon.sheet.kinds import kind_of, one_of
from glass_spoon.sheet.line import Action, Finding, Given, Line, Progress
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.lost_marks import explained, lost_marks
from glass_spoon.sheet.mesh_item import FACE_LIMIT
from glass_spoon.sheet.no_effect import told_without_effect
from glass_spoon.sheet.one_surface import as_it_was, as_one_surface
from glass_spoon.sheet.sources import NOTHING_KEPT, Sources

SLOW_LINE = 1.0
"""Seconds from which on a line is written to the log."""

log = logging.getLogger(__name__)

Status = Literal["good", "look", "failed", "waiting", "paused"]
LineProgress = Callable[[int, int, float], None]
"""Takes the number of lines done, the number of all, and the share of the present one."""


@dataclass(frozen=True, eq=False)
class LineReport:
    """What became of a line: its status, the seconds it took now, whether the cache had it, what it found, told, and did."""

    status: Status
    key: str = ""
    seconds: float = 0.0
    from_cache: bool = False
    findings: tuple[Finding, ...] = ()
    told: str = ""
    done: Done | None = None


@dataclass(frozen=True, eq=False)
class ItemState:
    """An item as it stands: its id, the key of its content, the line that made this state, and the value."""

    item_id: str
    key: str
    line_id: str
    item: Item


@dataclass(frozen=True, eq=False)
class Build:
    """The outcome of a sheet. reports: by line id, all lines. items: by item id, as they stand at the end.

    held: items whose last change failed, as they were before it; to look at, not to build on. before: by line id, of lines
    that alter an item, as it was before them.
    """

    document: SheetDocument
    sizes: Mapping[str, Quantity]
    reports: Mapping[str, LineReport]
    items: Mapping[str, ItemState]
    held: Mapping[str, ItemState]
    seconds: float
    before: Mapping[str, ItemState]

    def named(self, *kinds: str) -> list[tuple[str, ItemState]]:
        """Return the items of some kinds with their names, in the order of the sheet."""
        return self._of_kinds(self.items, kinds)

    def visible(self, *kinds: str) -> list[tuple[str, ItemState]]:
        """Return the items of some kinds as `named` does, with those that are held."""
        return self._of_kinds({**self.held, **self.items}, kinds)

    def was(self, item_id: str) -> ItemState | None:
        """Return an item as it was before the last line that altered it; None for one that none did."""
        lines = (line for line in reversed(self.document.lines) if line.item_id == item_id and line.id in self.before)
        return next((self.before[line.id] for line in lines), None)

    @property
    def resting(self) -> set[str]:
        """The items that a line used up: what it gave stands for them, so they are neither shown nor sent out alone."""
        return {source for line in self.document.lines if line.id in self.items for source in line.used_up}

    def handles(self, line: Line) -> list[Handle]:
        """Return what of a line is taken by the hand; nothing of one that is paused, or whose values cannot be read."""
        if line.paused or line.id not in self.reports:
            return []
        order = {other.id: number for number, other in enumerate(self.document.lines)}
        references = line.references()

        specs = line.specs()

        def item_of(field: str) -> Item | None:
            item = found(field)
            return as_one_surface(item, specs.get(field)) if item is not None else None

        def found(field: str) -> Item | None:
            if field == BEFORE:
                return self.before[line.id].item if line.id in self.before else None
            state = self.items.get(line.id if field == MADE else references.get(field, ""))
            if state is None or order[state.line_id] <= order[line.id]:
                return state.item if state is not None else None
            return self._still_there(state.item_id, order[line.id])

        try:
            return line.handles(line.resolve(self.sizes), item_of)
        except (SheetError, KernelError):
            return []

    def _still_there(self, item_id: str, after: int) -> Item | None:
        """Return an item as it was after a line by its number, where those that altered it since left it where it lies."""
        later = [line for line in self.document.lines[after + 1 :] if line.item_id == item_id and line.id in self.before]
        return self.before[later[0].id].item if later and all(line.stays_put for line in later) else None

    def _of_kinds(self, states: Mapping[str, ItemState], kinds: tuple[str, ...]) -> list[tuple[str, ItemState]]:
        order = [line.id for line in self.document.lines if line.id in states]
        return [(self.document.item_name(i), states[i]) for i in order if states[i].item.kind in kinds]


@dataclass(eq=False)
class _Run:
    """The state of one evaluation."""

    document: SheetDocument
    cache: ResultCache
    inspect: bool
    sources: Sources
    sizes: dict[str, Quantity] = field(default_factory=dict)
    size_errors: dict[str, Exception] = field(default_factory=dict)
    items: dict[str, ItemState] = field(default_factory=dict)
    held: dict[str, ItemState] = field(default_factory=dict)
    reports: dict[str, LineReport] = field(default_factory=dict)
    before: dict[str, ItemState] = field(default_factory=dict)


def evaluate(
    document: SheetDocument,
    cache: ResultCache,
    after: str | None = None,
    progress: LineProgress | None = None,
    *,
    inspect: bool = True,
    sources: Sources = NOTHING_KEPT,
) -> Build:
    """Return the build of a sheet, up to and including the line `after` when one is named.

    A line that fails reports why; lines that need its item wait, the others go on. `progress` is told after each line and
    by lines that can tell how far they are. `inspect` = False leaves out the findings of results that were built.
    `sources` keep the files that lines refer to.
    """
    started = time.perf_counter()
    run = _Run(document, cache, inspect, sources)
    texts = {line.name: line.value for line in document.lines if isinstance(line, Size) and not line.paused}
    run.sizes, run.size_errors = resolve_sizes(texts)
    lines = list(document.lines)
    if after is not None and document.has(after):
        lines = lines[: [line.id for line in lines].index(after) + 1]
    for number, line in enumerate(lines):
        share = _line_progress(progress, number, len(lines))
        run.reports[line.id] = _size_report(run, line) if isinstance(line, Size) else _run_line(run, line, share)
        share(1.0)
    if inspect:
        kinds = {item: state.item.kind for item, state in run.items.items()}
        run.reports |= told_without_effect(document, run.reports, kinds)
    return Build(document, run.sizes, run.reports, run.items, run.held, time.perf_counter() - started, run.before)


def _line_progress(progress: LineProgress | None, number: int, total: int) -> Progress:
    """Return the progress of one line within the whole."""
    return (lambda share: None) if progress is None else (lambda share: progress(number, total, share))


def _size_report(run: _Run, line: Size) -> LineReport:
    """Report on a size."""
    if line.paused:
        return LineReport("paused")
    error = run.size_errors.get(line.name)
    return LineReport("good") if error is None else _failed(line, error)


def _failed(line: Line, error: Exception) -> LineReport:
    """Report an error of a line."""
    finding = Finding(type(error).__name__, "failed", _told(line, error), (*line.ways_out(error), *_looser(line, error)))
    return LineReport("failed", findings=(finding,))


def _told(line: Line, error: Exception) -> str:
    """Return the sentence of an error, with a way out that the line has."""
    if not isinstance(error, NotFollowed):
        return str(error)
    way = "Allow a larger tolerance." if "tolerance" in line.used_fields() else "Draw it smoother where it turns sharply."
    return f"{error} {way}"


def _looser(line: Line, error: Exception) -> tuple[Action, ...]:
    """Return the offer of a tolerance ten times as large, where the line has one and it did not suffice."""
    if not isinstance(error, NotFollowed) or "tolerance" not in line.used_fields():
        return ()
    looser = f"{float(f'{20 * error.tolerance:.1g}'):g} mm"
    return (Action(f"Within {looser}", "tolerance", looser),)


def _refused(run: _Run, line: Line, error: Exception, started: float) -> LineReport:
    """Report what a line's work raised, of whatever kind: without this a fault of ours, or of a native library, would lock
    the whole part. WorkStopped alone passes through.
    """
    if isinstance(error, WorkStopped):
        raise error
    _drop(run, line)
    took = time.perf_counter() - started
    if isinstance(error, MissingItem):
        ways = () if error.source else line.ways_to_start()
        return LineReport("waiting", findings=(Finding("waiting", "look", str(error), ways),))
    if isinstance(error, SheetError | KernelError):
        return replace(_failed(line, error), seconds=took)
    log.error("Line %s (%s) could not be worked out.", line.id, line.verb_name, exc_info=error)
    return replace(_unforeseen(error), seconds=took)


def _unforeseen(error: Exception) -> LineReport:
    """Report a fault of ours: the line says so, and the rest of the part can be worked on."""
    sentence = (
        f"This line could not be worked out, for a reason that was not foreseen ({type(error).__name__}). "
        "Change its values, or undo; the other lines stand."
    )
    return LineReport("failed", findings=(Finding("unforeseen", "failed", sentence),))


def _run_line(run: _Run, line: Line, progress: Progress) -> LineReport:
    """Run one line, or take its result from the cache."""
    if line.paused:
        if line.changes is None and line.item_id:
            run.items.pop(line.item_id, None)
        return LineReport("paused")
    started = time.perf_counter()
    try:
        states = _inputs(run, line)
        values = line.resolve(run.sizes)
    except Exception as error:
        return _refused(run, line, error, started)
    seen = _Seen(line, states, _colours(run) if line.sees_colours else {})
    key = _key(line, values, seen)
    if line.item_id is None:
        return LineReport("good", key, time.perf_counter() - started, from_cache=True)
    kept = run.cache.find(key, _work_of(line))
    if kept is not None and (kept[1] is not None or not run.inspect):
        item, findings = kept
    else:
        items = {name: state.item for name, state in states.items()}
        given = Given(values, items, progress, seen.ids, seen.colours, run.sources)
        try:
            item = kept[0] if kept else _build(line, given, _before(run, line))
            findings = tuple(line.inspect(item)) if run.inspect else None
        except Exception as error:
            return _refused(run, line, explained(run.document, states, error), started)
        took = time.perf_counter() - started
        if took >= SLOW_LINE:
            log.info(
                "Line %s (%s) took %.2f s.", line.id, line.verb_name, took, extra={"facts": {"line_ms": round(1000 * took)}}
            )
        run.cache.put_made(key, (item, findings), _work_of(line), took)
    if line.changes in run.items:
        run.before[line.id] = run.items[line.changes]
    run.items[str(line.item_id)] = ItemState(str(line.item_id), key, line.id, item)
    if run.inspect:
        findings = (*(findings or ()), *(Finding("lost_mark", "look", lost) for lost in lost_marks(run.document, states)))
    status: Status = "look" if findings else "good"
    done = item.done if isinstance(item, MeshItem) else None
    return LineReport(status, key, time.perf_counter() - started, kept is not None, findings or (), item.told, done)


def _work_of(line: Line) -> str:
    """Name the work of a line: about as long whatever its values are."""
    return f"{line.verb_name} {line.id}"


def _before(run: _Run, line: Line) -> Item | None:
    """Return the item that a line alters, as it is before it."""
    state = run.items.get(str(line.changes))
    return state.item if state is not None else None


def _build(line: Line, given: Given, before: Item | None) -> Item:
    """Build after the prediction kept its limit."""
    predicted = line.predict_faces(given)
    if predicted > FACE_LIMIT:
        raise TooManyFaces(predicted, FACE_LIMIT)
    item = line.build(given)
    if item is None:
        raise KernelError("This line gave nothing.")
    item = as_it_was(item, before)
    if isinstance(item, BodiesItem) and line.signs and line.changes is None:
        return replace(item, lines=(*item.lines, line.id))
    item = _along(item, given)
    return _named(line, item) if isinstance(item, MeshItem) and line.signs else item


def _along(item: Item, given: Given) -> Item:
    """Give what a line made the pose of what it made it of, where that is the same for all of it."""
    if isinstance(item, BodiesItem | MarkItem) or item.pose is not None:
        return item
    poses = [source.pose for source in given.items.values() if not isinstance(source, BodiesItem | MarkItem)]
    first = poses[0] if poses else None
    return replace(item, pose=first) if first is not None and all(first.is_like(other) for other in poses) else item


def _named(line: Line, item: MeshItem) -> MeshItem:
    """Give every piece of a mesh a key that no other piece of it has, whatever its number becomes, and note who made it.

    A line that gives a mesh of others' pieces (copies, a whole of several) writes itself and the number behind the key that
    a piece had: so each is told from all others, and still known as what came of the first one.
    """
    if line.changes is not None and all(piece.key for piece in item.pieces):
        return item
    fresh = line.changes is None
    pieces = [
        replace(
            piece,
            key=f"{line.id}/{k}" if not piece.key else f"{piece.key}.{line.id}-{k}" if fresh else piece.key,
            made_by=piece.made_by if line.id in piece.made_by or not fresh else (*piece.made_by, line.id),
        )
        for k, piece in enumerate(item.every_piece)
    ]
    return replace(item, pieces=tuple(pieces))


def _colours(run: _Run) -> dict[str, str]:
    """Return the colours of the items that have one of their own."""
    return {item: look.colour for item, look in run.document.looks.items() if look.colour != "ink"}


def _drop(run: _Run, line: Line) -> None:
    """Take away the item whose present state a line failed to make, so that nothing uses an older state unawares."""
    state = run.items.pop(line.item_id, None) if line.item_id else None
    if state is not None:
        run.held[state.item_id] = state


def _inputs(run: _Run, line: Line) -> dict[str, ItemState]:
    """Return the states that a line refers to, by field; raises MissingItem with a sentence."""
    states: dict[str, ItemState] = {}
    used = line.used_fields()
    for name, source, spec in _sources(run, line, used):
        state = run.items.get(source)
        if state is None:
            raise MissingItem(_missing_sentence(run, source, spec), source)
        if state.item.kind not in spec.kinds:
            came = kind_of(state.item).one
            raise MissingItem(
                f"It needs {one_of(spec.kinds)}, and {run.document.item_name(source)} is {came}. Pick another.", source
            )
        states[name] = replace(state, item=as_one_surface(state.item, spec))
    return states


def _sources(run: _Run, line: Line, used: list[str]) -> Iterator[tuple[str, str, ReferenceSpec | ReferencesSpec]]:
    """Yield the field, the item and the spec of every reference of the present sentence."""
    for name, spec in line.specs().items():
        if name not in used:
            continue
        if isinstance(spec, ReferenceSpec):
            source = str(getattr(line, name))
            every = _every(run, line, spec) if spec.every and source == EVERY else []
            yield from ((f"{name}.{place}", item, spec) for place, item in enumerate(every))
            if not every:
                yield name, "" if source == EVERY else source, spec
        elif isinstance(spec, ReferencesSpec):
            for place, item in enumerate(getattr(line, name) or [""] * (spec.least > 0)):
                yield f"{name}.{place}", str(item), spec


def _every(run: _Run, line: Line, spec: ReferenceSpec) -> list[str]:
    """Return the ids of all items of the kinds that lines before give, without those that went into a set.

    A line gathered them, or repeated them: the first copy lies where the item itself does.
    """
    before = run.document.lines[: [other.id for other in run.document.lines].index(line.id)]
    gathered = {item for other in before if other.verb_name == "gather" for item in other.references().values()}
    gathered |= {item for other in before for item in other.used_up}
    found = [other.id for other in before if other.id in run.items and other.id not in gathered]
    return [item for item in found if run.items[item].item.kind in spec.kinds]


def _missing_sentence(run: _Run, source: str, spec: ReferenceSpec | ReferencesSpec) -> str:
    """Say why an item is not there, and what to do."""
    if not source:
        return f"Pick {one_of(spec.kinds)} for this line."
    if not run.document.has(source):
        return f"What it used was removed. Pick {one_of(spec.kinds)}."
    makers = [line for line in run.document.lines if line.item_id == source and line.id in run.reports]
    name = run.document.item_name(source)
    for maker in reversed(makers):
        report = run.reports[maker.id]
        number = run.document.number_of(maker.id)
        if report.status == "paused":
            return f"It waits for {name}: line {number} is paused."
        if report.status in ("failed", "waiting"):
            word = "needs a look" if report.status == "failed" else "waits too"
            return f"It waits for {name}: line {number} {word}."
    return f"It uses {name}, which a later line gives. Move this line down."


@dataclass(frozen=True, eq=False)
class _Seen:
    """What a line sees of the sheet besides its values."""

    line: Line
    states: Mapping[str, ItemState]
    colours: Mapping[str, str]

    @property
    def ids(self) -> dict[str, str]:
        """The ids of its items by field, and its own under ""; empty for lines that do not sign."""
        if not self.line.signs:
            return {}
        return {name: state.item_id for name, state in self.states.items()} | {"": self.line.id}


def _key(line: Line, values: Mapping[str, object], seen: _Seen) -> str:
    """Return the content key: verb, resolved values, input keys, and what else decides the result."""
    inputs = {name: state.key for name, state in seen.states.items()}
    text = json.dumps(
        [line.verb_name, line.version, line.results, values, inputs, seen.ids, seen.colours], sort_keys=True, default=str
    )
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()
