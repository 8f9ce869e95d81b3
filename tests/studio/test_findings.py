"""What the sheet tells of gauges over their limits, and the changes that it offers."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.line import Finding
from glass_spoon.studio.see.gauge_findings import gauge_findings
from glass_spoon.studio.see.scene import Shown
from tests.conftest import DEMO
from tests.zoo import slit_mesh, torus


def told(reading: Reading, mesh: Any = None, **values: Any) -> Finding:
    """Return what is told of a reading at the kettle's mesh line, its fields set so."""
    data = json.loads((DEMO / "camp-kettle.json").read_text())
    line = next(line for line in data["lines"] if line["id"] == "l4")
    line.update(values)
    document: SheetDocument = read_document(data)
    item = Shown("key", "l4", "body mesh", mesh or mesh_surface(torus(30, 10), 24, 12), None, is_surface=False)
    (found,) = gauge_findings(document, item, {reading.code: "l4"}, [reading])
    return found


def over(code: str, value: float, limit: float, unit: str = "", at_least: bool = False) -> Reading:
    """Return a reading over its limit."""
    return Reading(code, value, unit, limit, at_least, "face", np.array([3, 4]))


def test_four_times_the_distance_asks_for_twice_the_counts() -> None:
    """Distances fall with the square of the edges; the offer has some margin, counts round in steps of eight."""
    found = told(over("off_surface", 2.0, 0.5, "mm"), sizing="counts", round=48, along=30)
    assert found.sentence == "It stands 2.00 mm off the surface, the limit is 0.50 mm."
    (way,) = found.actions
    values = dict(way.values)
    assert int(values["round"]) % 8 == 0
    assert 96 <= int(values["round"]) <= 120
    assert 60 <= int(values["along"]) <= 72


def test_edges_and_chords_are_offered_shorter() -> None:
    """Half the edge for a quarter of the distance; the chord, which is a distance itself, a quarter."""
    (edge,) = told(over("off_surface", 2.0, 0.5, "mm"), sizing="edge length", edge_length="8 mm").actions
    (chord,) = told(over("off_surface", 2.0, 0.5, "mm"), sizing="chord", chord="0.4 mm").actions
    assert (edge.field, chord.field) == ("edge_length", "chord")
    assert 2.5 <= float(edge.value.removesuffix(" mm")) <= 4.0
    assert 0.05 <= float(chord.value.removesuffix(" mm")) <= 0.1


def test_what_a_size_decides_is_not_overwritten() -> None:
    """An expression in a field is not replaced by an offer."""
    assert told(over("off_surface", 2.0, 0.5, "mm"), sizing="edge length", edge_length="neck_d / 10").actions == ()


@pytest.mark.parametrize(
    ("code", "one", "several"),
    [
        ("stray_points", "One point belongs to no face.", "3 points belong to no face."),
        ("crowded_edges", "One edge has three faces or more.", "3 edges have three faces or more."),
        (
            "odd_on_bends",
            "One triangle or many-sided face lies on a bend.",
            "3 triangles or many-sided faces lie on a bend.",
        ),
    ],
)
def test_one_and_several_are_told_as_such(code: str, one: str, several: str) -> None:
    """Singular and plural of each sentence."""
    assert told(over(code, 1.0, 0.0)).sentence == one
    assert told(over(code, 3.0, 0.0)).sentence == several


def test_a_value_that_rounds_to_its_limit_is_told_as_a_little_under_or_over() -> None:
    """A corner of 44.8° is not called one of 45° where 45° is the limit."""
    corner = told(over("smallest_corner", np.radians(44.8), np.radians(45.0), "rad", at_least=True))
    assert corner.sentence == "The narrowest corner is a little under 45°, the limit is 45°."
    away = told(over("off_surface", 0.5004, 0.5, "mm"))
    assert away.sentence == "It stands a little over 0.50 mm off the surface, the limit is 0.50 mm."


def test_a_gap_offers_a_weld_as_wide_as_it_needs() -> None:
    """The offered weld is a little wider than the gap."""
    found = told(over("small_gaps", 1.0, 0.0), slit_mesh(0.05))
    (way,) = found.actions
    assert (way.adds, way.label) == ("weld", "Weld them")
    assert dict(way.values) == {"points": "edges", "distance": "0.053 mm"}


def test_bodies_that_cross_in_a_whole_are_told_to_be_fused() -> None:
    """Where Unite laid bodies together that run into each other, the way out is named; of other meshes it is not."""
    lines = [
        {"id": "a", "verb": "block", "gives": "crate"},
        {"id": "b", "verb": "block", "form": "ball", "gives": "knob"},
        {"id": "u", "verb": "unite", "meshes": ["a", "b"], "gives": "whole"},
    ]
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})
    item = Shown("key", "u", "whole", mesh_surface(torus(30, 10), 24, 12), None, is_surface=False)
    reading = over("crossings", 2, 0)
    (found,) = gauge_findings(document, item, {"crossings": "u"}, [reading], ways=False)
    assert found.sentence.startswith("2 faces run through others: ")
    assert "by Fuse" in found.sentence
    (other,) = gauge_findings(document, item, {"crossings": "a"}, [reading], ways=False)
    assert "Fuse" not in other.sentence
