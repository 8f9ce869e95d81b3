"""Gauges over their limits, told in the sheet at the line that caused it, with the change that would mend it."""

from __future__ import annotations

import logging
import math
from collections import OrderedDict
from collections.abc import Hashable, Mapping
from concurrent.futures import CancelledError
from dataclasses import dataclass
from threading import Lock

from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import WorkStopped
from glass_spoon.sheet.line import Action, Finding
from glass_spoon.studio.flows.build_part import document_key
from glass_spoon.studio.flows.watched_work import Report, WatchedWork, Working
from glass_spoon.studio.see.gauge_rows import STYLES
from glass_spoon.studio.see.gauge_ways import added_lines, changes, untold
from glass_spoon.studio.see.scene import Shown

log = logging.getLogger(__name__)

WORDS = {
    "four_sided": "{value} of the faces have four sides",
    "evenness": "The faces are uneven: {value}, the limit is {limit}",
    "smallest_corner": "The narrowest corner is {value}, the limit is {limit}",
    "off_surface": "It stands {value} off the surface, the limit is {limit}",
    "kinks": "The smoothed shape turns by {value} along an edge, the limit is {limit}",
    "face_budget": "It has {value} faces",
    "crowded_edges": "{value} edges have three faces or more",
    "small_gaps": "{value} small gaps between open edges: they nearly meet",
    "crossings": "{value} faces run through others of this mesh: move apart what meets there, or make it smaller",
    "doubled_points": "{value} points lie on others: seams that were never welded",
    "stray_points": "{value} points belong to no face",
    "odd_on_bends": "{value} triangles or many-sided faces lie on a bend",
    "close_loops": "{value} faces are too thin for smoothing to use",
}
"""What is told of each gauge; folds are told by the lines themselves."""

UNITED_CROSSING = (
    "{value} faces run through others: bodies that run into each other are made one skin by Fuse, which takes the place of "
    "this line."
)
"""What is told where bodies that cross were only laid together."""

WORDS_OF_ONE = {
    "crowded_edges": "One edge has three faces or more",
    "small_gaps": "One small gap between open edges: they nearly meet",
    "doubled_points": "One point lies on another: a seam that was never welded",
    "stray_points": "One point belongs to no face",
    "odd_on_bends": "One triangle or many-sided face lies on a bend",
    "close_loops": "One face is too thin for smoothing to use",
}
"""The same where there is but one."""


_findings: WatchedWork[list[Finding]] = WatchedWork("findings", threads=2)


@dataclass(frozen=True)
class Offers:
    """The findings of a mesh. working: how far the trials are whose outcome is not among them yet. stopped: nobody waits."""

    findings: list[Finding]
    working: Working | None = None
    stopped: bool = False


class Trials:
    """Which trials are under way for whom: one at a time, as whoever changes the part on does not wait for the last."""

    def __init__(self) -> None:
        """Start with none."""
        self._lock = Lock()
        self._keys: OrderedDict[Hashable, str] = OrderedDict()
        self._stopped: OrderedDict[str, bool] = OrderedDict()

    def turn_to(self, asker: Hashable, key: str) -> None:
        """Note what somebody asks for, and end what they asked for before."""
        with self._lock:
            before = self._keys.pop(asker, None)
            self._keys[asker] = key
            alone = before is not None and before != key and before not in self._keys.values()
            while len(self._keys) > MOST_ASKERS:
                self._keys.popitem(last=False)
        if alone and before is not None:
            _findings.stop(before)

    def stop(self, asker: Hashable) -> None:
        """End what somebody asked for, and do not begin it again."""
        with self._lock:
            key = self._keys.get(asker)
            if key is not None:
                self._stopped[key] = True
            while len(self._stopped) > MOST_ASKERS:
                self._stopped.popitem(last=False)
        if key is not None:
            _findings.stop(key)

    def is_stopped(self, key: str) -> bool:
        """Say whether it was asked that something be tried no more."""
        return key in self._stopped


MOST_ASKERS = 200
"""People and parts that are remembered."""

TRIALS = Trials()


def offers(
    document: SheetDocument, item: Shown, causes: Mapping[str, str], readings: list[Reading], asker: Hashable, *, begin: bool
) -> Offers:
    """Return the findings of a mesh: at once without changes that would mend it, and with them when these were tried.

    begin: whether trials may begin now; they wait until the rest of the page is there.
    """
    key = f"{document_key(document, None)}:{item.key}:{sorted(causes.items())}"
    TRIALS.turn_to(asker, key)
    known = _findings.known(key)
    if known is not None:
        return Offers(known)
    plain = gauge_findings(document, item, causes, readings, ways=False)
    if not plain or TRIALS.is_stopped(key):
        return Offers(plain, stopped=bool(plain))
    if not begin:
        return Offers(plain, Working())
    try:
        found = _findings.result(key, lambda report: gauge_findings(document, item, causes, readings, report))
    except (WorkStopped, CancelledError):
        return Offers(plain, stopped=True)
    except Exception:  # trials may fail, what they are about must be told all the same
        log.exception("Changes that would mend %s could not be tried.", item.key)
        return Offers(plain, stopped=True)
    return Offers(plain, found) if isinstance(found, Working) else Offers(found)


def gauge_findings(
    document: SheetDocument,
    item: Shown,
    causes: Mapping[str, str],
    readings: list[Reading],
    report: Report = untold,
    *,
    ways: bool = True,
) -> list[Finding]:
    """Return a finding for each gauge over its limit whose cause, a line, is told by its code; with `ways`, how to
    mend it.
    """
    found = []
    for reading in readings:
        if not is_over(reading) or reading.code not in causes:
            continue
        style = STYLES[reading.code]
        limit = style.show(reading.limit) if reading.limit is not None else ""
        value = (
            f"{reading.value:,.0f} of {reading.limit:,.0f}" if reading.code == "face_budget" else style.show(reading.value)
        )
        if value == limit:  # a difference that rounding hides
            value = f"a little {'under' if reading.at_least else 'over'} {limit}"
        words = WORDS_OF_ONE if reading.value == 1 and reading.code in WORDS_OF_ONE else WORDS
        sentence = words[reading.code].format(value=value, limit=limit) + "."
        if reading.code == "crossings" and document.line(causes[reading.code]).verb_name == "unite":
            sentence = UNITED_CROSSING.format(value=value)
        actions: tuple[Action, ...] = ()
        if ways:
            actions = changes(document, document.line(causes[reading.code]), item, reading, report)
            actions += added_lines(document, item, reading)
        offenders = tuple(reading.offenders[:1].tolist())
        found.append(Finding(reading.code, "look", sentence, actions, reading.kind, offenders))
    return found


def is_over(reading: Reading) -> bool:
    """Say whether a gauge is over its limit, and is told of in the sheet."""
    return not reading.is_good and not math.isnan(reading.value) and reading.code in WORDS
