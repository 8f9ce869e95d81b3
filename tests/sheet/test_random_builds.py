"""Random builds of every family of the kernel, at five sizes: each is sound or a sentence, never wrong and silent.

20 of each family in the test command; `./test random` runs 200, `RANDOM_BUILDS` names another number.
"""

from __future__ import annotations

import os
import random
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.defects import read_crowded_edges, read_folded
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import MeshItem
from tests.mesh_checker import check_result
from tests.sheet.test_trust import build

BUILDS = int(os.environ.get("RANDOM_BUILDS", "20"))
SIZES = (0.1, 1.0, 10.0, 100.0, 1000.0)
"""Sizes of what is built, in mm."""

FAR = 60.0
"""Times its size that nothing of a build may reach: control points that run away."""

Lines = list[dict[str, Any]]


class Dice:
    """Random values of one build, as they stand in a sheet."""

    def __init__(self, seed: int) -> None:
        self.random = random.Random(seed)
        self.size = self.random.choice(SIZES)

    def mm(self, low: float, high: float) -> str:
        return f"{self.random.uniform(low, high) * self.size:.6g} mm"

    def number(self, low: float, high: float) -> float:
        return round(self.random.uniform(low, high), 3)

    def whole(self, low: int, high: int) -> int:
        return self.random.randint(low, high)

    def angle(self, low: float, high: float) -> str:
        return f"{self.random.uniform(low, high):.1f}°"

    def one_of(self, *choices: Any) -> Any:
        return self.random.choice(choices)

    def outline(self, plane: str = "plan", gives: str = "outline", large: float = 1.0) -> dict[str, Any]:
        """Return a closed flat shape about as large as the build."""
        places = {"plane": plane, "gives": gives}
        verb = self.one_of("circle", "rectangle", "polygon", "star", "slot", "ellipse")
        if verb == "circle":
            return {"verb": verb, "radius": self.mm(0.3 * large, 0.6 * large), **places}
        if verb == "rectangle":
            radius = self.mm(0.01 * large, 0.2 * large) if self.whole(0, 2) else "0 mm"
            width, height = self.mm(0.5 * large, 1.2 * large), self.mm(0.5 * large, 1.2 * large)
            return {"verb": verb, "width": width, "height": height, "radius": radius, **places}
        if verb == "polygon":
            return {"verb": verb, "sides": self.whole(3, 9), "radius": self.mm(0.4 * large, 0.6 * large), **places}
        if verb == "star":
            outer, inner = self.mm(0.5 * large, 0.6 * large), self.mm(0.25 * large, 0.45 * large)
            rounding = {"tip_radius": self.mm(0, 0.03 * large), "root_radius": self.mm(0, 0.03 * large)}
            return {"verb": verb, "tips": self.whole(3, 9), "outer": outer, "inner": inner, **rounding, **places}
        if verb == "slot":
            return {
                "verb": verb,
                "length": self.mm(0.7 * large, 1.2 * large),
                "width": self.mm(0.2 * large, 0.5 * large),
                **places,
            }
        return {
            "verb": verb,
            "first": self.mm(0.4 * large, 0.6 * large),
            "second": self.mm(0.2 * large, 0.5 * large),
            **places,
        }

    def profile(self, points: int, least: float = 0.2) -> dict[str, Any]:
        """Return an open profile that climbs, right of the axis."""
        rights = [self.random.uniform(least, 1.0) for _ in range(points)]
        if self.whole(0, 2) == 0:
            rights[0] = 0.0
        if self.whole(0, 2) == 0:
            rights[-1] = 0.0
        manner = self.one_of("through", "pulled by", "straight through")
        rows = [{"x": x * self.size, "y": 1.5 * self.size * k / points} for k, x in enumerate(rights)]
        return {"verb": "draw", "plane": "front", "manner": manner, "gives": "profile", "points": rows}

    def path(self) -> dict[str, Any]:
        """Return a path in space that bends widely."""
        if self.whole(0, 1):
            radius = self.mm(0.8, 1.5)
            climb = {"radius": radius, "end_radius": radius, "pitch": self.mm(0.6, 1.5)}
            return {"verb": "helix", "gives": "path", "turns": self.number(0.3, 2.5), **climb}
        rows = [
            {
                "x": k * self.size,
                "y": self.random.uniform(-0.4, 0.4) * self.size,
                "out": self.random.uniform(-0.4, 0.4) * self.size,
            }
            for k in range(self.whole(3, 6))
        ]
        return {"verb": "draw", "plane": "plan", "manner": "through", "gives": "path", "points": rows}


def meshed(dice: Dice, number: int) -> dict[str, Any]:
    """Return a mesh of line `number`, by a length of edges or by counts."""
    line = {"verb": "mesh", "surface": f"l{number}", "gives": "m"}
    if dice.whole(0, 1):
        return {**line, "sizing": "edge length", "edge_length": dice.mm(0.06, 0.2)}
    return {**line, "round": dice.whole(3, 40), "along": dice.whole(1, 30)}


def revolve(dice: Dice) -> Lines:
    partly = {"angle": dice.angle(20, 350), "start_angle": dice.angle(-90, 90)} if dice.whole(0, 1) else {}
    return [dice.profile(dice.whole(2, 6)), {"verb": "revolve", "profile": "l1", **partly}, meshed(dice, 2)]


def loft(dice: Dice) -> Lines:
    count = dice.whole(2, 4)
    lines: Lines = []
    for place in range(count):
        lines.append(dice.outline(gives=f"s{place}", large=dice.number(0.6, 1.4)))
        lines.append({"verb": "move", "item": f"l{2 * place + 1}", "z": f"{place * dice.size * 0.8:.6g} mm"})
    ends = {"start": dice.one_of("open", "flat", "domed"), "end": dice.one_of("open", "flat", "domed")}
    lines.append({"verb": "loft", "sections": [f"l{2 * place + 1}" for place in range(count)], **ends})
    return [*lines, meshed(dice, len(lines))]


def extrude(dice: Dice) -> Lines:
    ends = {"start": dice.one_of("open", "flat"), "end": dice.one_of("open", "flat", "domed", "pointed")}
    return [dice.outline(), {"verb": "extrude", "profile": "l1", "distance": dice.mm(0.2, 2), **ends}, meshed(dice, 2)]


def sweep(dice: Dice) -> Lines:
    twist = dice.angle(-90, 90) if dice.whole(0, 1) else "0°"
    ends = {"start": dice.one_of("open", "flat"), "end": dice.one_of("open", "flat", "domed")}
    profile = dice.outline("front", "section", 0.25)
    line = {"verb": "sweep", "profile": "l2", "path": "l1", "twist": twist, "facing": dice.one_of("least twist", "upright")}
    return [dice.path(), profile, {**line, **ends}, meshed(dice, 3)]


def cord(dice: Dice) -> Lines:
    section = dice.one_of("round", "oval", "square", "rectangular")
    ends = {"start": dice.one_of("open", "flat", "domed"), "end": dice.one_of("open", "flat", "domed", "pointed")}
    sizes = {"width": dice.mm(0.1, 0.3), "height": dice.mm(0.05, 0.2)}
    return [dice.path(), {"verb": "cord", "path": "l1", "section": section, **sizes, **ends}, meshed(dice, 2)]


def thread(dice: Dice) -> Lines:
    size = dice.one_of("M1", "M3", "M8", "M24", "M64", "M10x1", "M3x0.35")
    diameter = float(size[1:].partition("x")[0])
    height = f"{diameter * dice.number(0.8, 3):.6g} mm"
    turns = {"turns": dice.number(0.5, 8), "starts": dice.whole(1, 3), "side": dice.one_of("external", "internal")}
    line = {"verb": "thread", "size": size, "height": height, "first": f"{diameter * 0.1:.6g} mm", **turns}
    mesh = {
        "verb": "mesh",
        "surface": "l1",
        "sizing": "edge length",
        "edge_length": f"{diameter * dice.number(0.1, 0.3):.6g} mm",
    }
    dice.size = 3 * diameter
    return [line, {**mesh, "gives": "m"}]


def ridge(dice: Dice) -> Lines:
    core = dice.mm(0.2, 0.5)
    sizes = {"low_radius": core, "high_radius": core, "height": dice.mm(1.5, 3), "lead": dice.mm(0.3, 0.8)}
    blade = {"width": dice.mm(0.05, 0.15), "tip": dice.mm(0.02, 0.05), "rise": dice.mm(0.1, 0.6), "first": dice.mm(0.1, 0.4)}
    turns = {"turns": dice.number(0.4, 5), "starts": dice.whole(1, 2), "form": dice.one_of("blade", "bead")}
    ends = {"foot_end": dice.one_of("open", "flat", "domed"), "top_end": dice.one_of("open", "flat", "domed")}
    mesh = {"verb": "mesh", "surface": "l1", "sizing": "edge length", "edge_length": dice.mm(0.06, 0.2), "gives": "m"}
    return [{"verb": "ridge", **sizes, **blade, **turns, **ends}, mesh]


def plate(dice: Dice) -> Lines:
    hole = {"verb": "circle", "plane": "plan", "radius": dice.mm(0.03, 0.12), "gives": "hole"}
    rims = {
        "upper": dice.one_of("sharp", "rounded", "chamfered"),
        "upper_size": dice.mm(0.005, 0.06),
        "lower": dice.one_of("sharp", "rounded", "chamfered"),
        "lower_size": dice.mm(0.005, 0.06),
        "fit": dice.one_of("exactly", "at most"),
    }
    holes = ["l2"] if dice.whole(0, 1) else []
    line = {"verb": "plate", "outline": "l1", "holes": holes, "height": dice.mm(0.05, 0.4), **rims}
    mesh = {"verb": "mesh", "surface": "l3", "sizing": "edge length", "edge_length": dice.mm(0.04, 0.2), "gives": "m"}
    return [dice.outline(), hole, line, mesh]


def parallel(dice: Dice) -> Lines:
    away = dice.mm(0.01, 0.15)
    lines = [dice.profile(dice.whole(2, 5)), {"verb": "revolve", "profile": "l1"}]
    return [*lines, {"verb": "parallel", "surface": "l2", "distance": dice.one_of(away, f"-{away}")}, meshed(dice, 3)]


def skin(dice: Dice) -> Lines:
    rings: Lines = []
    for place in range(dice.whole(2, 5)):
        ring: dict[str, Any] = {"height": place * dice.size * 0.6, "width": dice.number(0.4, 1.2) * dice.size}
        if dice.whole(0, 1):
            ring["depth"] = dice.number(0.4, 1.2) * dice.size
        if dice.whole(0, 1):
            ring["corner"] = dice.number(0.02, 0.3) * dice.size
        rings.append(ring)
    ends = {"start": dice.one_of("open", "flat", "domed"), "end": dice.one_of("open", "flat", "domed")}
    return [{"verb": "skin", "rings": rings, "manner": dice.one_of("smooth", "straight"), **ends}, meshed(dice, 1)]


FAMILIES: tuple[Callable[[Dice], Lines], ...] = (
    revolve,
    loft,
    extrude,
    sweep,
    cord,
    thread,
    ridge,
    plate,
    parallel,
    skin,
)


NO_ANSWER = ("not foreseen", "different vertices", "No counts of these kinds")
"""Words of sentences that tell nothing that a modeler could do."""


def judge(made: Build, size: float) -> str:
    """Return what is wrong and not told in a build, "" for nothing."""
    told = {finding.code for report in made.reports.values() for finding in report.findings}
    for report in made.reports.values():
        for finding in report.findings:
            if any(words in finding.sentence for words in NO_ANSWER) or not finding.sentence.endswith("."):
                return f"a sentence that is none: {finding.sentence}"
    meshes = [state.item for _, state in made.named("mesh") if isinstance(state.item, MeshItem)]
    if not meshes:
        return "" if any(report.status == "failed" for report in made.reports.values()) else "no mesh, and no line failed"
    mesh = meshes[-1].mesh
    if not np.isfinite(mesh.positions).all() or np.abs(mesh.positions).max() > FAR * size:
        return f"it reaches {np.abs(mesh.positions).max():g} mm"
    if read_folded(figures_of(mesh)).value and "folded" not in told:
        return f"{read_folded(figures_of(mesh)).value:g} folded faces that no line tells"
    if read_crowded_edges(mesh.topology).value:
        return f"{read_crowded_edges(mesh.topology).value:g} edges of three faces"
    if not told:
        try:
            check_result(mesh)
        except AssertionError as error:
            return str(error).partition("\n")[0]
    return ""


@pytest.mark.parametrize("family", FAMILIES, ids=lambda family: str(family.__name__))
def test_random_builds_are_sound_or_a_sentence(family: Callable[[Dice], Lines]) -> None:
    """Seeded sheets of each family pass the judge or fail by a sentence."""
    wrong = {}
    for seed in range(BUILDS):
        dice = Dice(seed)
        lines = family(dice)
        fault = judge(build(*lines), dice.size)
        if fault:
            wrong[seed] = fault
    assert wrong == {}


def test_the_judge_can_find_fault() -> None:
    """What runs away, and two tubes gathered into one whose touching ends leave edges of three faces, are faults."""
    ring = {"verb": "circle", "plane": "plan", "radius": "10 mm", "gives": "ring"}
    tube = {"verb": "extrude", "profile": "l1", "distance": "20 mm", "gives": "tube"}
    mesh = {"verb": "mesh", "sizing": "edge length", "edge_length": "4 mm", "gives": "m"}
    alone = build(ring, tube, {**mesh, "surface": "l2"})
    assert judge(alone, 10.0) == ""
    assert "it reaches" in judge(alone, 0.01)
    copy, up = {"verb": "copy", "item": "l2", "gives": "other"}, {"verb": "move", "item": "l3", "z": "20 mm"}
    touching = build(ring, tube, copy, up, {"verb": "gather", "surfaces": ["l2", "l3"]}, {**mesh, "surface": "l5"})
    assert "edges of three faces" in judge(touching, 10.0)
