"""A part on paper: views to a usual scale within the sheet, sizes that are right, whatever the part's size and shape."""

from __future__ import annotations

import re

import numpy as np
import pytest

from glass_spoon.studio.see.drawing_page import DENSITY, EDGE, HEAD, PAPERS, Drawing, draw_mesh, draw_part

SHAPES = {"cube": (1, 1, 1), "mast": (0.02, 0.02, 1), "plank": (1, 0.1, 0.01), "sheet": (1, 0, 1), "stick": (0, 1, 0)}


def box(sizes, factor: float) -> np.ndarray:
    """Return the corners of a box, away from the origin."""
    grid = np.stack(np.meshgrid(*[(0, 1)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    return (grid * sizes + 0.3) * factor


def ends(drawing: Drawing) -> np.ndarray:
    """Return the places on paper of all ends of dimension lines."""
    paths = "".join(one.path for view in drawing.views for one in view.dimensions)
    texts = re.findall(r"[ML]([-\d.]+ [-\d.]+)", paths)
    return np.array([[float(part) for part in text.split()] for text in texts]).reshape(-1, 2)


@pytest.mark.parametrize("paper", sorted(PAPERS))
@pytest.mark.parametrize("factor", [1.0, 100.0, 10_000.0])
@pytest.mark.parametrize("shape", sorted(SHAPES))
@pytest.mark.parametrize("draw", [draw_part, draw_mesh])
def test_every_view_lies_on_the_paper(draw, shape, factor, paper):
    """Views, their dimensions and pictures stay inside; no two views lie on one another."""
    drawing = draw(box(SHAPES[shape], factor), PAPERS[paper])
    assert drawing.height <= PAPERS[paper].height - (HEAD if draw is draw_part else 0)
    for view in drawing.views:
        assert -0.01 <= view.x <= drawing.width - view.width + 0.01
        assert -0.01 <= view.y <= drawing.height - view.height + 0.01
    places = ends(drawing)
    assert (places >= -0.01).all()
    assert (places <= [drawing.width + 0.01, drawing.height + 0.01]).all()
    flat = [view for view in drawing.views if view.title]
    for k, one in enumerate(flat):
        for other in flat[k + 1 :]:
            beside = one.x + one.width <= other.x or other.x + other.width <= one.x
            above = one.y + one.height <= other.y or other.y + other.height <= one.y
            assert beside or above


def test_views_are_to_one_usual_scale_and_sizes_are_told():
    """A crate of 600 by 400 by 300 mm: all views at the scale that is said, its three sizes on the picture."""
    drawing = draw_part(box((600, 400, 300), 1.0), PAPERS["a4"])
    first, second = (float(part) for part in drawing.scale.split(":"))
    zoom = first / second
    for view in drawing.views[1:]:
        assert view.zoom == pytest.approx(zoom * DENSITY)
    assert zoom in [1 / k for k in (1, 2, 2.5, 4, 5, 10, 20, 25)]
    assert {one.text for one in drawing.views[0].dimensions} == {"600.0", "400.0", "300.0"}
    assert drawing.bar[0] / zoom == pytest.approx(float(drawing.bar[1].split()[0]))
    # A picture's pixels and its place on paper agree with the scale.
    plan = next(view for view in drawing.views if view.view == "plan")
    assert float(plan.image["width"]) == pytest.approx((np.ceil(600 * zoom * DENSITY - 1e-6) + 2 * EDGE) / DENSITY, abs=1e-3)
