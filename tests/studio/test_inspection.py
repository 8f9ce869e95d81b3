"""The inspection sheet, states compared, marks picked, gauges told at their lines."""

import io
import json
import re

import numpy as np
import pytest
from PIL import Image

from tests.studio.conftest import offered

pytestmark = pytest.mark.django_db


def test_inspection_sheet_holds_sizes_counts_gauges_and_pictures(part, as_user):
    """All headings are there, a picture shows something, and an unknown one is missing."""
    client = as_user("viewer")
    text = client.get(f"/parts/{part.id}/inspection/").content.decode()
    for words in ("Inspection sheet", "body_d", "Smoothed once", "Worst corner", "Kinks", "Revolve", "Print this sheet"):
        assert words in text
    for item in ("l4", "all"):
        answer = client.get(f"/parts/{part.id}/inspection/{item}/front.png?zoom=2")
        picture = np.asarray(Image.open(io.BytesIO(answer.content)).convert("L"), dtype=float)
        # 163.9 by 158 mm at 2 pixels a mm, and 6 pixels around.
        assert np.abs(np.subtract(picture.shape, (328, 340))).max() <= 1
        assert picture.std() > 5  # something is drawn
    assert client.get(f"/parts/{part.id}/inspection/nothing/front.png?zoom=2").status_code == 404
    for zoom in ("", "0", "-1", "nan", "inf", "1e9"):
        assert client.get(f"/parts/{part.id}/inspection/all/front.png?zoom={zoom}").status_code == 422


def test_two_lines_are_compared_by_numbers_and_by_one_camera(part, as_user, edit):
    """Numbers of both states, pictures of one size, and an unknown state is missing."""
    client = as_user("owner")
    edit(client, op="set", line="l4", field="along", value="12")
    text = client.get(f"/parts/{part.id}/compare/?left=l-l3&right=l-l4").content.decode()
    assert "after line 3" in text
    assert "after line 4" in text
    assert 'class="differs"' in text
    assert re.search(r"<td>Lines</td>\s*<td[^>]*>3</td>\s*<td[^>]*>4</td>", text)
    sizes = set()
    for which in ("left", "right"):
        data = client.get(f"/parts/{part.id}/compare.png?left=l-l3&right=now&which={which}&view=side").content
        sizes.add(Image.open(io.BytesIO(data)).size)
    assert sizes == {(420, 320)}
    assert client.get(f"/parts/{part.id}/compare/?left=v999&right=now").status_code == 404


def test_pick_finds_a_loop_and_the_rule_behind_it(part, as_user, edit):
    """The pick is told with its rule, and the rule becomes a line."""
    client = as_user("owner")
    asked = {"mesh": "l4", "gesture": "loop", "place": [64, 4, 99.6]}
    found = client.post(f"/parts/{part.id}/picked.json", json.dumps(asked), content_type="application/json").json()
    assert found["kind"] == "edge"
    assert len(found["indices"]) == 48
    words = [offer["words"] for offer in found["offers"]]
    assert words[0] == "this loop"
    assert any(word.startswith("the edges at height") for word in words)
    values = found["offers"][1]["values"] | {"mesh": "l4"}
    edit(client, op="mark", values=json.dumps(values))
    part.refresh_from_db()
    line = part.document["lines"][-1]
    assert line["verb"] == "mark"
    assert line["what"] == "edges at a height"
    text = client.get(f"/parts/{part.id}/").content.decode()
    assert "48 edges marked." in text


def test_bad_picks_are_refused_in_words(part, as_user):
    """Bodies that are no JSON, no mesh or no pick get 400."""
    client = as_user("owner")
    for body in ("nonsense", json.dumps({"mesh": "l1", "gesture": "face", "place": [0, 0, 0]}), json.dumps({"mesh": "l4"})):
        assert client.post(f"/parts/{part.id}/picked.json", body, content_type="application/json").status_code == 400


def test_gauge_over_its_limit_is_told_at_the_line_with_the_change_that_mends_it(part, as_user, edit):
    """The sentence stands at the line until its offer is taken."""
    client = as_user("owner")
    edit(client, op="limit", limit="off_surface", value="0.1")
    text = offered(client, part)
    assert "off the surface, the limit is 0.10 mm" in text
    start = text.index('data-try-values="') + len('data-try-values="')
    values = json.loads(text[start : text.index('"', start)].replace("&quot;", '"'))
    assert int(values["round"]) > 48
    edit(client, op="set_many", line="l4", values=json.dumps(values))
    part.refresh_from_db()
    assert next(line for line in part.document["lines"] if line["id"] == "l4")["round"] == values["round"]
    assert "off the surface, the limit is" not in offered(client, part)


def test_a_line_that_mends_is_added_after_the_one_that_made_the_mesh(part, as_user, edit):
    """Relax comes right after Mesh; a verb that mends nothing is refused."""
    client = as_user("owner")
    edit(client, op="work", verb="relax", item="l4", after="l4")
    part.refresh_from_db()
    verbs = [line["verb"] for line in part.document["lines"]]
    assert verbs[verbs.index("mesh") + 1] == "relax"
    assert edit(client, op="work", verb="draw", item="l4", after="l4").status_code == 400
