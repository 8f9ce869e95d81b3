"""The examples of verbs, their drawings, and where both are shown."""

from __future__ import annotations

from xml.etree import ElementTree

import pytest

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.text_form.read_text import read_text
from glass_spoon.sheet.text_form.write_text import write_text
from glass_spoon.studio.see.verb_drawing import verb_drawing
from glass_spoon.studio.see.verb_examples import EXAMPLES, verb_examples
from glass_spoon.studio.templatetags.drawings import DRAWINGS

SHAPELESS = {"size", "lay", "remark", "step", "import_curve", "import_dxf", "import_step", "import_mesh"}
"""Verbs without an example of their own: they give no shape, or need a file."""

LONG = {"net", "patch", "exact_body", "round_edges", "lay_on", "trim_surface", "untrim", "fit_surface"}
"""Examples that take long, and are tried by the tests of their verbs."""

TOLD = {"rebuild", "turn_edges"}
"""Examples whose line has something to tell: a surface that is as plain as can be, faces that a turned edge bends."""

MOST = 60_000
"""Characters of the largest drawing."""


def test_every_verb_that_gives_a_shape_has_an_example() -> None:
    """Each stands in a file of its name, in the form that is written today, its last line one of the verb."""
    names = {path.stem.replace("-", "_") for path in EXAMPLES.glob("*.md")}
    assert names == set(VERBS) - SHAPELESS
    for path in EXAMPLES.glob("*.md"):
        text = path.read_text(encoding="utf-8")
        document = read_text(text)
        assert document.lines[-1].verb_name == path.stem.replace("-", "_")
        assert write_text(document) == text


def test_examples_do_what_they_show() -> None:
    """Every line of them is good, but for those that have something to tell."""
    cache = ResultCache()
    for verb in sorted(set(VERBS) - SHAPELESS - LONG):
        build = evaluate(verb_examples()[verb].document, cache)
        bad = {report.status for report in build.reports.values()} - {"good"}
        assert bad == ({"look"} if verb in TOLD else set()), (verb, build.reports)


@pytest.mark.parametrize("verb", sorted(set(VERBS) - SHAPELESS))
def test_a_drawing_is_small_and_plain(verb: str) -> None:
    """SVG of paths alone, so that it may stand on any page."""
    text = (DRAWINGS / f"{verb}.svg").read_text(encoding="utf-8")
    assert len(text) < MOST
    root = ElementTree.fromstring(text)
    assert root.tag == "{http://www.w3.org/2000/svg}svg"
    assert {child.tag.rpartition("}")[2] for child in root} == {"path"}
    assert all(child.get("d") for child in root)


@pytest.mark.parametrize("verb", ["circle", "revolve", "mark", "bevel", "pull_out", "subtract", "ring", "mirror"])
def test_drawings_show_what_verbs_do_today(verb: str) -> None:
    """The files are what tools/draw_verbs.py would write now: run it where a verb has changed."""
    assert (DRAWINGS / f"{verb}.svg").read_text(encoding="utf-8") == verb_drawing(verb)


def test_the_finder_shows_a_drawing_of_each_proposal(part, as_user) -> None:
    """Beside each line that words may mean; in the list of all verbs as what is shown when one is looked at."""
    client = as_user("owner")
    found = client.get(f"/parts/{part.pk}/find/?text=bevel+the+edges").content.decode()
    assert 'class="proposal-drawing" src="/static/verbs/bevel' in found
    every = client.get(f"/parts/{part.pk}/find/?text=").content.decode()
    assert 'data-drawing="/static/verbs/revolve' in every
    assert "Lately" in every
