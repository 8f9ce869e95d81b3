"""Rounds whose ball changes, is told by the distance of its contacts, or ends at corners that no ball closes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.law import Law
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid, surface_normals
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit_many import add_proposal
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.text_form.write_text import said
from tests.sheet.test_patches import built
from tests.sheet.test_round_boxes import RECTANGLE, volume_in_file

ONE_EDGE = {"which": "nearest", "x": "30 mm", "y": "20 mm", "z": "11 mm"}


def box(width: float, depth: float, height: float, right: float = 0, up: float = 0, out: float = 0) -> list[dict[str, Any]]:
    """Return the outline of a box on the ground about a place, and how high it is pulled."""
    place = {"right": f"{right} mm", "up": f"{up} mm", "out": f"{out} mm"}
    return [
        {**RECTANGLE, "width": f"{width} mm", "height": f"{depth} mm", **place},
        {"verb": "extrude", "distance": f"{height} mm"},
    ]


def rounded(size: float = 1.0, **more: Any) -> Build:
    """Return a box of 60 by 40 by 22 mm times a size, as line l2, with edges rounded."""
    outline, body = box(60 * size, 40 * size, 22 * size)
    return built(outline, {**body, "profile": "l1"}, {"verb": "round_edges", "shape": "l2", **more})


def both(one: list[dict[str, Any]], other: list[dict[str, Any]], way: str, **more: Any) -> Build:
    """Return two bodies made one, as line l5, its edges rounded, as l6."""
    lines = [one[0], {**one[1], "profile": "l1"}, other[0], {**other[1], "profile": "l3"}]
    joined = {"verb": "exact_body", "first": "l2", "second": "l4", "way": way}
    return built(*lines, joined, {"verb": "round_edges", "shape": "l5", **more})


def open_edges(build: Build, item: str) -> int:
    """Return how many edges of faces are open."""
    return len(find_edges(build.items[item].item.shape).open_uses)


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(
    ("text", "law"),
    [
        ("3 mm to 5 mm", Law(3, 5)),
        ("6 mm to 2 mm eased", Law(6, 2, "eased")),
        ("3 mm, 6 mm at 0.4, 4 mm", Law(3, 4, between=((0.4, 6),))),
    ],
)
def test_a_changing_round_takes_what_the_formula_says(size: float, text: str, law: Law, tmp_path: Path) -> None:
    """Square across its edge a round takes (1 - π/4) r²: along the edge its integral, as Open CASCADE measures the file."""
    for word in ("6 mm", "5 mm", "4 mm", "3 mm", "2 mm"):
        text = text.replace(word, f"{float(word[0]) * size:g} mm")
    build = rounded(size, radius=text, which="nearest", x=f"{30 * size} mm", y=f"{20 * size} mm", z=f"{11 * size} mm")
    assert build.reports["l3"].status == "good", build.reports["l3"].findings
    places, weights = np.polynomial.legendre.leggauss(64)
    halves = [law.at(np.array([a + (b - a) * (1 + places) / 2])) for a, b in ((0, 0.4), (0.4, 1))]
    mean = sum(float((row**2 @ weights / 2)[0]) * share for row, share in zip(halves, (0.4, 0.6), strict=True))
    taken = (1 - np.pi / 4) * mean * 22
    assert volume_in_file(build, tmp_path) == pytest.approx((60 * 40 * 22 - taken) * size**3, rel=5e-7)


def test_a_law_starts_at_the_lower_end_whatever_way_the_edge_runs() -> None:
    """All four upright edges are rounded by 2 mm below and by 6 mm above; level ones from the front, else from the left."""
    for x, y in ((30, 20), (-30, 20), (30, -20), (-30, -20)):
        build = rounded(radius="2 mm to 6 mm", which="nearest", x=f"{x} mm", y=f"{y} mm", z="11 mm")
        surface = build.items["l3"].item.shape.faces[-1].surface
        rows = evaluate_grid(surface, np.array(surface.domain(0)), np.array(surface.domain(1))).points
        radii = {round(float(row[0, 2]), 6): round(float(np.linalg.norm(row[0] - row[1])) / np.sqrt(2), 6) for row in rows}
        assert radii == {0.0: 2.0, 22.0: 6.0}


def test_edges_that_go_on_into_each_other_share_one_law() -> None:
    """The long way over a rounded outline: the ball at the end of one edge is that at the start of the next."""
    outline = {**RECTANGLE, "radius": "9 mm"}
    body = {"verb": "extrude", "profile": "l1", "distance": "24 mm"}
    build = built(outline, body, {"verb": "round_edges", "shape": "l2", "radius": "2 mm, 5 mm at 0.5, 2 mm"})
    assert build.reports["l3"].status == "good", build.reports["l3"].findings
    assert open_edges(build, "l3") == 0
    refused = built(outline, body, {"verb": "round_edges", "shape": "l2", "radius": "2 mm to 5 mm"})
    assert "comes back to its start" in refused.reports["l3"].findings[0].sentence


@pytest.mark.parametrize("profile", ["round", "flat"])
def test_a_chord_is_kept_where_the_angle_of_the_faces_changes(profile: str) -> None:
    """Between a cone's side and its flat end, and at a cylinder's: contacts are 5 mm apart everywhere."""
    for top in ("1", "0.7"):
        lines = [
            {"verb": "circle", "plane": "plan", "radius": "30 mm"},
            {"verb": "extrude", "profile": "l1", "distance": "22 mm", "scale": f"1 to {top}"},
        ]
        asked = {"verb": "round_edges", "shape": "l2", "radius": "5 mm", "measure": "chord", "profile": profile}
        build = built(*lines, asked)
        assert build.reports["l3"].status == "good", build.reports["l3"].findings
        for face in build.items["l3"].item.shape.faces[-2:]:
            us, vs = (np.linspace(*face.surface.domain(axis), 33) for axis in (0, 1))
            points = evaluate_grid(face.surface, us, vs).points
            widths = [np.linalg.norm(grid[:, 0] - grid[:, -1], axis=1) for grid in (points, points.transpose(1, 0, 2))]
            assert max(widths, key=min) == pytest.approx(5.0, abs=1e-5)


def largest_angle(build: Build, item: str) -> float:
    """Return the largest angle in degrees at which faces of a set meet along shared edges."""
    edges = find_edges(build.items[item].item.shape)
    worst = 0.0
    for edge in range(len(edges.first)):
        uses = [edges.uses[k] for k in np.flatnonzero(edges.edge == edge)]
        places = uses[0].owner.edge_points(uses[0].curve, uses[0].at_shares(np.linspace(0.05, 0.95, 9)))
        normals = []
        for use in uses:
            u, v, _ = closest_points(use.owner.surface, places)
            normals.append(surface_normals(use.owner.surface, u, v))
        worst = max(worst, float(np.degrees(np.arccos(np.clip((normals[0] * normals[1]).sum(axis=1), -1, 1))).max()))
    return worst


@pytest.mark.parametrize("radius", ["3 mm", "2 mm to 3 mm"])
def test_corners_that_no_ball_closes_are_filled(radius: str, tmp_path: Path) -> None:
    """A notch in a corner of a box: edges that stand out and that lie in meet, three by three. Closed, smooth, valid."""
    build = both(box(60, 40, 22), box(40, 30, 20, 30, 20, 10), "first less second", radius=radius)
    report = build.reports["l6"]
    assert report.status == "good", report.findings
    assert "filled, at most 0.0" in report.told
    assert open_edges(build, "l6") == 0
    assert largest_angle(build, "l6") < 0.2
    # What inner and outer rounds take and give is far below the volume of the edges' own squares.
    assert 60 * 40 * 22 - 20 * 15 * 12 - 3**2 * 400 < volume_in_file(build, tmp_path, "l6") < 60 * 40 * 22 - 20 * 15 * 12


def pyramid(radius: str) -> Build:
    """Return a pyramid of four sides, 60 by 60 by 40 mm, with its eight edges rounded."""

    def roof(plane: str, deeper: float) -> dict[str, Any]:
        half = 30 * (40 + deeper) / 40
        corners = [{"x": -half, "y": -deeper}, {"x": half, "y": -deeper}, {"x": 0, "y": 40}, {"x": -half, "y": -deeper}]
        return {"verb": "draw", "plane": plane, "manner": "straight through", "points": corners}

    long = {"verb": "extrude", "distance": "100 mm", "sides": "to both sides"}
    return both([roof("front", 0), long], [roof("side", 10), long], "common", radius=radius)


def test_four_edges_that_meet_in_a_tip_are_filled() -> None:
    """A pyramid's tip by a patch of eight sides, its other corners by balls; what is too large is told by its inner ball."""
    build = pyramid("3 mm")
    assert build.reports["l6"].told.startswith("8 edges rounded, 4 corners closed, 1 corner filled")
    assert open_edges(build, "l6") == 0
    assert largest_angle(build, "l6") < 0.2
    refused = pyramid("30 mm").reports["l6"].findings[0]
    assert refused.actions, refused.sentence
    fits = float(refused.actions[0].value.removesuffix(" mm"))
    # The ball inside a square pyramid: a h / (a + sqrt(a² + 4 h²)).
    assert fits == pytest.approx(60 * 40 / (60 + np.hypot(60, 80)), rel=0.15)
    assert pyramid(f"{fits} mm").reports["l6"].status == "good"


def test_edges_that_are_parts_of_one_line_are_rounded_each_for_itself() -> None:
    """A slot through a box leaves two edges in one line on either side; each has its own round."""
    build = both(box(60, 40, 22), box(20, 80, 20, 0, 0, 10), "first less second", radius="3 mm")
    assert build.reports["l6"].told.startswith("24 edges rounded, 12 corners closed, 4 corners filled")
    assert open_edges(build, "l6") == 0


def test_corners_are_set_back_where_asked() -> None:
    """All eight corners of a box are filled, further from them the more they are set back; too far is refused."""
    areas = []
    for setback in ("1 mm", "4 mm"):
        build = rounded(radius="4 mm", setback=setback)
        assert build.reports["l3"].told.startswith("12 edges rounded, 8 corners filled")
        assert open_edges(build, "l3") == 0
        patches = build.items["l3"].item.shape.faces[-6:]
        areas.append(np.ptp(np.concatenate([face.surface.control_points.reshape(-1, 3) for face in patches]), axis=0).max())
    assert areas[1] > areas[0] + 2
    refused = rounded(radius="4 mm", setback="9 mm").reports["l3"]
    assert refused.status == "failed"
    assert "set back" in refused.findings[0].sentence


@pytest.mark.parametrize("law", ["10 mm to 60 mm", "10 mm, 70 mm at 0.5, 30 mm"])
def test_a_round_without_room_says_a_law_that_fits(law: str) -> None:
    """The way out is a law in the same shape, and it works."""
    refused = rounded(radius=law, **ONE_EDGE).reports["l3"].findings[0]
    assert refused.actions, refused.sentence
    found = refused.actions[0].value
    assert (" to " in found, found.count(" at ")) == (" to " in law, law.count(" at "))
    assert rounded(radius=found, **ONE_EDGE).reports["l3"].status == "good"


def pad_on_a_bar(size: float, outline: dict[str, Any], radius: str) -> Build:
    """Return a pad pulled up out of a bent bar, made one as line l6, and the edge it stands in rounded, as l7."""
    points = [{"x": f"{x * size} mm", "y": f"{y * size} mm"} for x, y in ((-120, 0), (0, -7), (120, 0))]
    return built(
        {**RECTANGLE, "plane": "front", "width": f"{56 * size} mm", "height": f"{30 * size} mm", "radius": f"{5 * size} mm"},
        {"verb": "draw", "gives": "run", "points": points},
        {"verb": "sweep", "profile": "l1", "path": "l2", "facing": "upright"},
        {**outline, "plane": "plan", "out": f"{-10 * size} mm"},
        {"verb": "extrude", "profile": "l4", "distance": f"{30 * size} mm"},
        {"verb": "exact_body", "first": "l3", "second": "l5", "way": "united"},
        {"verb": "round_edges", "shape": "l6", "radius": radius, "which": "lying in"},
    )


@pytest.mark.parametrize(("size", "share"), [(0.01, 1.0), (1.0, 0.8), (1.0, 1.0), (1.0, 1.2), (100.0, 1.0)])
@pytest.mark.parametrize("kind", ["ellipse", "slot"])
def test_a_round_that_runs_round_a_pad_closes(size: float, share: float, kind: str) -> None:
    """Its wall closes at a seam, over which rounds went by a hair, or beside which their ends were not found."""
    outline = {"verb": kind, "first": f"{34 * size} mm", "second": f"{17 * size} mm"}
    if kind == "slot":
        outline = {"verb": kind, "length": f"{38 * size} mm", "width": f"{26 * size} mm"}
    low, high = share * 3 * size, share * 4.5 * size
    build = pad_on_a_bar(size, outline, f"{low:.6g} mm, {high:.6g} mm at 0.5, {low:.6g} mm")
    assert build.reports["l7"].status == "good", build.reports["l7"].findings
    assert open_edges(build, "l7") == 0


def test_a_round_that_runs_round_a_pad_adds_what_the_formula_says(tmp_path: Path) -> None:
    """On a level top a constant round adds (1 - π/4) r² times the way of its middle (Pappus), as Open CASCADE measures."""
    slot = {"verb": "slot", "plane": "plan", "length": "40 mm", "width": "26 mm"}
    pad = [slot, {"verb": "extrude", "distance": "30 mm"}]
    body = both(box(90, 60, 20), pad, "united", radius="4 mm", which="lying in")
    assert body.reports["l6"].status == "good", body.reports["l6"].findings
    before, after = (volume_in_file(body, tmp_path, item) for item in ("l5", "l6"))
    beside = 4 * (10 - 3 * np.pi) / (12 - 3 * np.pi)  # how far the middle of what a square leaves of a quarter disc is
    along = 2 * 40 + 2 * np.pi * (13 + beside)
    assert after - before == pytest.approx((1 - np.pi / 4) * 16 * along, rel=5e-5)


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("round edges of crate with radius 2 mm to 5 mm eased", {"radius": "2 mm to 5 mm eased"}),
        (
            "round edges of crate by 2 to 5 mm nearest to 30, 20, 11",
            {"radius": "2 to 5 mm", "z": "11"},
        ),
        ("fillet edges of crate radius 3 mm set back by 2 mm", {"radius": "3 mm", "setback": "2 mm"}),
        ("chamfer edges of crate by 3 mm measured from contact to contact", {"measure": "chord", "profile": "flat"}),
        ("round edges of crate by 0.1 in", {"radius": "0.1 inch", "measure": "radius"}),
    ],
)
def test_typed_rounds(text: str, wanted: dict[str, str]) -> None:
    """Laws, chords and setbacks are read from plain words; nothing is left over."""
    document = SheetDocument(name="x")
    for line in ("rectangle base 60 by 40 radius 0 on the plan plane", "extrude base by 22 giving crate"):
        document, _ = add_proposal(document, propose(line, document, "mm")[0], None)
    proposal = propose(text, document, "mm")[0]
    document, line = add_proposal(document, proposal, None)
    assert {name: getattr(line, name) for name in wanted} == wanted, said(document, line.id)
    assert not proposal.missed
