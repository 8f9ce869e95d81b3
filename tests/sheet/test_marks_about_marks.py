"""Outlines of marks, faces that stand upright, and several marks told in one sentence."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.edit_many import add_proposal
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MarkItem, as_mesh
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.text_form.write_text import said


def crate(size: float = 1.0, edge: float = 5.0) -> SheetDocument:
    """Return a sheet with a box of 40 by 40 by 20 mm, times a size."""
    lengths = {"width": f"{40 * size:g} mm", "depth": f"{40 * size:g} mm", "height": f"{20 * size:g} mm"}
    line = {"id": "b", "verb": "block", "gives": "crate", **lengths, "edge": f"{edge * size:g} mm"}
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [line]})


def marked(document: SheetDocument, *sentences: str) -> tuple[SheetDocument, Build]:
    for sentence in sentences:
        document, _ = add_proposal(document, propose(sentence, document)[0], None)
    return document, evaluate(document, ResultCache())


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(("edge", "count"), [(5.0, 8), (4.0, 10)])
def test_the_outline_of_the_top_is_its_rim(size: float, edge: float, count: int) -> None:
    """Four sides of the box at its height, at two densities and any size."""
    document, build = marked(crate(size, edge), "mark the outline of the top of crate")
    line = document.lines[-1]
    item, mesh = build.items[line.id].item, as_mesh(build.items["b"].item).mesh
    assert isinstance(item, MarkItem)
    assert len(item.mark) == 4 * count
    ends = mesh.positions[mesh.topology.edges.ends[item.mark.indices]]
    assert np.allclose(ends[..., 2], 20 * size)
    assert "the outline of crate top" in said(document, line.id)


def test_the_outline_follows_its_mark_and_takes_open_sides_in() -> None:
    """Of the whole of an open box it is the rim; of nothing it is nothing, and the line says so."""
    lines = crate().model_dump(mode="json")["lines"]
    lines += [
        {"id": "t", "verb": "mark", "mesh": "b", "what": "faces facing", "gives": "top"},
        {"id": "d", "verb": "delete", "mesh": "b", "marks": ["t"]},
        {"id": "a", "verb": "mark", "mesh": "b", "what": "everything", "gives": "all"},
        {"id": "o", "verb": "mark", "mesh": "b", "what": "outline", "others": ["a"], "gives": "rim"},
        {"id": "n", "verb": "mark", "mesh": "b", "what": "outline", "others": ["t"], "gives": "none"},
    ]
    build = evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines}), ResultCache())
    item = build.items["o"].item
    assert isinstance(item, MarkItem)
    assert len(item.mark) == 32
    assert build.reports["n"].status == "look"


def test_sides_are_the_faces_that_stand_upright() -> None:
    """All four walls, and neither the top nor the underside."""
    document, build = marked(crate(), "mark the sides of crate")
    item, mesh = build.items[document.lines[-1].id].item, as_mesh(build.items["b"].item).mesh
    assert isinstance(item, MarkItem)
    assert len(item.mark) == 4 * 8 * 4
    assert np.allclose(mesh.face_normals[item.mark.indices][:, 2], 0)


@pytest.mark.parametrize(
    ("sentence", "verb", "names"),
    [
        ("inset the top and the bottom of crate by 4 mm", "inset", ["crate top", "crate underside"]),
        (
            "inset the front, the back and the left side of crate by 1 mm",
            "inset",
            ["crate front", "crate back", "crate left"],
        ),
        ("pull out the sides of crate by 2 mm", "pull_out", ["crate sides"]),
        ("bridge the top and the bottom of crate", "bridge", ["crate top", "crate underside"]),
        ("delete the top and the front of crate", "delete", ["crate top", "crate front"]),
        ("bevel the outline of the front of crate by 1 mm", "bevel", ["crate front outline"]),
        (
            "bevel the edges of the front and the edges of the back of crate by 1 mm",
            "bevel",
            ["crate front edges", "crate back edges"],
        ),
    ],
)
def test_several_places_in_one_sentence(sentence: str, verb: str, names: list[str]) -> None:
    """Each gets its mark, in the order said, and all words are understood."""
    document = crate()
    first = propose(sentence, document)[0]
    assert (first.verb, first.missed) == (verb, ())
    document, line = add_proposal(document, first, None)
    assert [document.item_name(mark) for mark in line.model_dump()["marks"]] == names


def test_a_mark_of_several_places() -> None:
    """One mark line holds the top with the sides."""
    document, build = marked(crate(), "mark the top and the sides of crate")
    item = build.items[document.lines[-1].id].item
    assert isinstance(item, MarkItem)
    assert len(item.mark) == 64 + 128


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(
    ("words", "count", "at"),
    [
        ("upright edges", 16, {}),
        ("vertical edges of the front", 8, {1: -20.0}),
        ("horizontal edges", 64, {}),
        ("edge between the top and the front", 8, {1: -20.0, 2: 20.0}),
        ("edges where the top meets the sides", 32, {2: 20.0}),
    ],
)
def test_edges_by_the_way_they_run_and_by_what_they_part(size: float, words: str, count: int, at: dict[int, float]) -> None:
    """Of a box: as many as it has there, where they should be, with all words understood."""
    document = crate(size)
    first = propose(f"bevel the {words} of crate by {size:g} mm", document)[0]
    assert (first.verb, first.missed) == ("bevel", ())
    document, line = add_proposal(document, first, None)
    (mark,) = line.model_dump()["marks"]
    build = evaluate(document, ResultCache())
    item, mesh = build.items[mark].item, as_mesh(evaluate(crate(size), ResultCache()).items["b"].item).mesh
    assert isinstance(item, MarkItem)
    assert len(item.mark) == count
    places = mesh.positions[mesh.topology.edges.ends[item.mark.indices]]
    for axis, value in at.items():
        assert np.allclose(places[..., axis], value * size)
    assert build.reports[line.id].status == "good"


def test_faces_said_to_a_verb_of_edges_mean_their_outline() -> None:
    """`bevel the top` bevels the edges about it."""
    for words in ("bevel the top of crate by 1 mm", "bevel top of crate by 1 mm"):
        document, line = add_proposal(crate(), propose(words, crate())[0], None)
        assert "crate top outline" in said(document, line.id)


@pytest.mark.parametrize(
    ("sentence", "values"),
    [
        ("straighten the upright edges of crate", {"shape": "straight"}),
        ("even out the outline of the top of crate", {"shape": "even"}),
        ("make the outline of the top of crate round with radius 20 mm", {"shape": "round", "radius": "20 mm"}),
    ],
)
def test_marked_points_are_trued_up_as_the_words_say(sentence: str, values: dict[str, str]) -> None:
    """The verb is True up, the way is that of the words."""
    first = propose(sentence, crate())[0]
    assert (first.verb, first.missed) == ("true_up", ())
    assert first.line.model_dump().items() >= values.items()


def test_what_one_mark_line_cannot_hold_is_told() -> None:
    """Edges within the front and edges within the back are two marks: the second is said to be missed, not lost."""
    first = propose("mark the edges of the front and the edges of the back of crate", crate())[0]
    assert first.verb == "mark"
    assert first.missed
