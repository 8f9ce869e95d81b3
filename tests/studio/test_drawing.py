"""Looks, layers, curve readings, and curves written in another manner, as the bench asks for them."""

import io
import json

import ezdxf
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.studio.test_geometry import gltf

pytestmark = pytest.mark.django_db


def test_a_hidden_curve_is_not_on_the_board_and_its_layer_hides_all_on_it(as_user, part, edit):
    """Hiding by item and by layer leave the view, and the layer's box stays."""
    owner = as_user("owner")
    shown = lambda: [curve["id"] for curve in gltf(owner.get(f"/parts/{part.id}/view.glb").content)["extras"]["curves"]]  # noqa: E731
    assert shown() == ["l1"]
    edit(owner, op="look", item="l1", values=json.dumps({"hidden": True}))
    assert shown() == []
    edit(owner, op="look", item="l1", values=json.dumps({"hidden": False, "layer": "construction", "colour": "amber"}))
    assert shown() == ["l1"]
    edit(owner, op="layer", layer="construction", shown="0")
    assert shown() == []
    assert 'value="construction"' in owner.get(f"/parts/{part.id}/curves/").content.decode()


def test_an_unknown_look_or_layer_is_refused_with_a_sentence(as_user, part, edit):
    """Wrong colours, items, layers and text are refused."""
    owner = as_user("owner")
    assert edit(owner, op="look", item="l1", values=json.dumps({"colour": "<b>"})).status_code == 422
    assert edit(owner, op="look", item="l99", values="{}").status_code == 422
    assert edit(owner, op="layer", layer="nothing", shown="0").status_code == 422
    assert edit(owner, op="look", item="l1", values="not json").status_code == 422


def test_the_readings_of_a_curve_are_shown_beside_the_gauges(as_user, part):
    """Least radius and point count stand in the page."""
    page = as_user("owner").get(f"/parts/{part.id}/?curve=l1").content.decode()
    assert 'aria-label="Readings of' in page
    assert "Least radius" in page
    assert "Control points" in page


def test_the_comb_comes_with_the_view_when_asked_for(as_user, part):
    """Teeth come for the curve asked for, and junk gives none."""
    owner = as_user("owner")
    assert gltf(owner.get(f"/parts/{part.id}/view.glb?curve=l1").content)["extras"]["comb"] is None
    comb = gltf(owner.get(f"/parts/{part.id}/view.glb?curve=l1&comb=8").content)["extras"]["comb"]
    assert len(comb["places"]) == len(comb["teeth"]) > 8
    assert gltf(owner.get(f"/parts/{part.id}/view.glb?curve=zzz&comb=junk").content)["extras"]["comb"] is None


def test_several_fields_are_previewed_and_saved_at_once(as_user, part, edit):
    """A preview changes nothing, saving changes all, and a wrong field is refused."""
    owner = as_user("owner")
    values = {"start": "at an angle", "start_angle": 30}
    body = json.dumps({"changes": {"l1": values}, "known": []})
    answer = owner.post(f"/parts/{part.id}/preview.glb", body, content_type="application/json")
    assert gltf(answer.content)["extras"]["drawings"][0]["ends"][0] == "at an angle"
    part.refresh_from_db()
    assert part.document["lines"][4]["start"] != "at an angle" or part.revision == 1
    assert edit(owner, op="set_many", line="l1", values=json.dumps(values)).status_code == 200
    assert edit(owner, op="set_many", line="l1", values=json.dumps({"gives": "x"})).status_code == 422


@pytest.mark.parametrize("manner", ["pulled by", "straight through", "through"])
def test_a_curve_is_written_in_another_manner_and_stays_where_it_was(as_user, part, edit, manner):
    """Whichever manner it is written in, the curve is within the tolerance."""
    owner = as_user("owner")
    edit(owner, op="rewrite", line="l1", manner=manner, tolerance="0.05")
    part.refresh_from_db()
    drawn = part.sheet().line("l1")
    assert drawn.manner == manner
    assert "largest distance" in part.last_change
    from glass_spoon.kernel.curves.evaluate.closest_on_curve import largest_distance
    from glass_spoon.sheet.cache import ResultCache
    from glass_spoon.sheet.evaluate import evaluate

    before = evaluate(type(part.sheet()).model_validate(part.changes.get(number=1).document), ResultCache(), "l1")
    after = evaluate(part.sheet(), ResultCache(), "l1")
    assert largest_distance(before.items["l1"].item.curve, after.items["l1"].item.curve) < 0.06


def test_rewriting_what_is_not_drawn_is_refused(as_user, part, edit):
    """Curves that are not drawn and wrong tolerances are refused."""
    owner = as_user("owner")
    assert edit(owner, op="rewrite", line="l2", manner="through", tolerance="0.05").status_code == 422
    assert edit(owner, op="rewrite", line="l1", manner="through", tolerance="soft").status_code == 422


def test_a_dxf_file_is_kept_in_its_line(as_user, part, edit):
    """The file is part of the sheet, and junk is refused."""
    owner = as_user("owner")
    edit(owner, op="add", verb="import_dxf", text="")
    part.refresh_from_db()
    line = part.sheet().lines[-1].id
    drawing = ezdxf.new("R2010")
    drawing.modelspace().add_circle((0, 0), 25)
    text = io.StringIO()
    drawing.write(text)
    edit(owner, op="drawing", line=line, file=SimpleUploadedFile("a.dxf", text.getvalue().encode()))
    part.refresh_from_db()
    assert "CIRCLE" in part.sheet().line(line).dxf
    assert edit(owner, op="drawing", line=line, file=SimpleUploadedFile("a.dxf", b"junk")).status_code == 422


def test_curves_go_out_as_dxf_and_svg(as_user, part):
    """Both formats hold the curve."""
    owner = as_user("owner")
    for kind, word in (("dxf", b"SPLINE"), ("svg", b"<path")):
        answer = owner.post(f"/parts/{part.id}/send-out/", {"format": kind, "view": "front", "level": "0"})
        token = answer.content.decode().split("/send-out/")[1].split("/")[0]
        assert word in owner.get(f"/parts/{part.id}/send-out/{token}/file/").content
