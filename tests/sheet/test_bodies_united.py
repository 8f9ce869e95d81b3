"""Unite lays meshes together; bodies that share space are told, and Fuse takes its place."""

from __future__ import annotations

from typing import Any

import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.edit import RefusedEdit, become
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.items import as_mesh


def sheet(size: float, **place: float) -> SheetDocument:
    """Return a sheet with two boxes, the second at a place in shares of the size, and both united."""

    def box(name: str, side: float, at: dict[str, float]) -> dict[str, Any]:
        lengths = dict.fromkeys(("width", "depth", "height"), f"{side * size:g} mm")
        places = {axis: f"{value * size:g} mm" for axis, value in at.items()}
        return {"verb": "block", "id": name, "gives": name, **lengths, **places, "edge": f"{5 * size:g} mm"}

    unite = {"verb": "unite", "id": "u", "meshes": ["base", "tower"], "gives": "whole", "paused": False}
    lines = [box("base", 40, {}), box("tower", 20, place), unite]
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(
    ("place", "together"),
    [({"z": 30}, True), ({"z": 40}, True), ({"z": 10}, True), ({"z": 41}, False), ({"x": 30}, True), ({"x": 80}, False)],
)
def test_bodies_that_share_space_or_touch_are_told(size: float, place: dict[str, float], together: bool) -> None:
    """Let in, standing on, inside, beside: told with a way out; apart: good."""
    build = evaluate(sheet(size, **place), ResultCache())
    found = [one for one in build.reports["u"].findings if one.code == "together"]
    assert bool(found) == together
    assert [action.instead for one in found for action in one.actions] == ["fuse"] * together


def test_fuse_takes_the_place_of_unite() -> None:
    """The line keeps its id, its name and its meshes, and is one skin: 40³ and 20³ less what they share."""
    document = become(sheet(1.0, z=30), "u", "fuse")
    line = document.line("u")
    assert (line.verb_name, document.item_name("u"), line.references()) == (
        "fuse",
        "whole",
        {"meshes.0": "base", "meshes.1": "tower"},
    )
    build = evaluate(document, ResultCache())
    assert build.reports["u"].status == "good"
    mesh = as_mesh(build.items["u"].item).mesh
    assert enclosed_volume(mesh) == pytest.approx(40**3 + 20**3 - 20 * 20 * 10)
    assert mesh.topology.components.max() == 0


def test_only_a_verb_that_gives_the_same_takes_the_place() -> None:
    """A curve's verb, and one that there is not, are refused in words."""
    for verb in ("circle", "nothing"):
        with pytest.raises(RefusedEdit, match="cannot take the place"):
            become(sheet(1.0), "u", verb)
