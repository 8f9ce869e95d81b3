"""The inspection sheet on paper: few pages, of the chosen size, with the whole part on the first."""

from __future__ import annotations

import re

import pytest

PAPER_POINTS = {"a4": (842, 595), "a3": (1191, 842)}
"""ISO 216 on its side, in points of 1/72 inch, rounded."""


@pytest.mark.parametrize("paper", sorted(PAPER_POINTS))
def test_the_kettle_takes_at_most_three_pages(signed_in, paper):
    """The page of the whole, one of its mesh, the sheet behind them; as large as the paper that was chosen."""
    page = signed_in
    page.get_by_role("link", name="Camp kettle").click()
    page.goto(f"{page.url}inspection/?paper={paper}")
    page.wait_for_load_state("networkidle")
    pdf = page.pdf(prefer_css_page_size=True)
    assert 2 <= len(re.findall(rb"/Type\s*/Page\b(?!s)", pdf)) <= 3
    boxes = {tuple(round(float(x)) for x in found.split()[2:]) for found in re.findall(rb"/MediaBox\s*\[([^\]]*)\]", pdf)}
    assert boxes == {PAPER_POINTS[paper]}
