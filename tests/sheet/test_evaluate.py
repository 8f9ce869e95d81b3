"""Evaluation: caching, failures, pauses, limits, prose."""

import copy

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.errors import WorkStopped
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.lines import VERBS


def run(sheet, cache=None, **options):
    return evaluate(read_document(sheet), cache or ResultCache(), **options)


def line(sheet, line_id):
    return next(entry for entry in sheet["lines"] if entry["id"] == line_id)


def statuses(build):
    return {key: report.status for key, report in build.reports.items() if key.startswith("l")}


def test_demo_parts_build_without_a_complaint(kettle, buoy, cowl):
    """All lines good, the last one a mesh of quads within its limits."""
    for sheet in (kettle, buoy, cowl):
        build = run(sheet)
        assert set(statuses(build).values()) == {"good"}
        mesh = build.named("mesh")[0][1].item.mesh
        assert mesh.topology.is_quads


def test_kettle_is_as_wide_as_its_size_says(kettle):
    """164 mm, within a hundredth."""
    mesh = run(kettle).named("mesh")[0][1].item.mesh
    assert np.ptp(mesh.positions[:, 0]) == pytest.approx(164, abs=0.1)  # rings stand beside the widest place


def test_only_what_changed_is_rebuilt(kettle):
    """Another count rebuilds the mesh line alone; going back takes all from the cache."""
    cache = ResultCache()
    run(kettle, cache)
    changed = copy.deepcopy(kettle)
    line(changed, "l4")["along"] = 40
    build = run(changed, cache)
    assert {key for key, report in build.reports.items() if report.key and not report.from_cache} == {"l4"}
    assert all(report.from_cache for report in run(kettle, cache).reports.values() if report.key)


def test_renaming_and_fields_out_of_use_rebuild_nothing(kettle):
    """Names and the chord of a mesh by counts do not decide the result."""
    cache = ResultCache()
    run(kettle, cache)
    line(kettle, "l1")["gives"] = "outline"
    line(kettle, "l4")["chord"] = "0.01 mm"
    assert all(report.from_cache for report in run(kettle, cache).reports.values() if report.key)


def test_small_cache_gives_the_same_results(kettle):
    """A cache that holds nothing only costs time."""
    big, small = run(kettle), run(kettle, ResultCache(most_bytes=1))
    for name in big.items:
        assert big.items[name].key == small.items[name].key


def test_failing_line_reports_and_those_that_need_it_wait(kettle):
    """The sentence names the largest radius and the way out; other lines go on."""
    line(kettle, "l2").update(radius="90 mm", fit="exactly")
    kettle["lines"].append({"id": "l9", "verb": "draw", "gives": "rib", "points": [{"x": 0, "y": 0}, {"x": 5, "y": 5}]})
    build = run(kettle)
    assert statuses(build) == {"l1": "good", "l2": "failed", "l3": "waiting", "l4": "waiting", "l9": "good"}
    finding = build.reports["l2"].findings[0]
    assert "largest that fits" in finding.sentence
    assert "line 2 needs a look" in build.reports["l3"].findings[0].sentence
    assert build.held["l1"].item.kind == "curve"
    line(kettle, "l2")["radius"] = finding.actions[0].value
    assert statuses(run(kettle))["l4"] == "good"


def test_counts_that_cannot_close_a_pole_become_the_next_that_can(kettle):
    """47 round cannot close a pole; 48 can, and the line says so."""
    line(kettle, "l4")["round"] = 47
    taken = run(kettle)
    assert "48 round in place of 47" in taken.reports["l4"].told
    line(kettle, "l4")["round"] = 48
    meant = run(kettle)
    assert "in place of" not in meant.reports["l4"].told
    assert taken.items["l4"].item.mesh.face_count == meant.items["l4"].item.mesh.face_count


def test_radii_at_most_and_turns_past_the_whole_say_what_they_became(kettle):
    """Where a line may take less than was typed, it builds and tells."""
    line(kettle, "l2")["radius"] = "90 mm"
    line(kettle, "l3")["angle"] = "361°"
    build = run(kettle)
    assert set(statuses(build).values()) == {"good"}
    assert "Rounded less where no more fits" in build.reports["l2"].told
    assert "A whole turn in place of 361°" in build.reports["l3"].told


def test_paused_line_is_passed_over(kettle):
    """A paused rounding leaves the curve as it was; a paused revolve lets the mesh wait."""
    line(kettle, "l2")["paused"] = True
    assert statuses(run(kettle))["l4"] == "good"
    line(kettle, "l3")["paused"] = True
    build = run(kettle)
    assert statuses(build)["l4"] == "waiting"
    assert "line 3 is paused" in build.reports["l4"].findings[0].sentence


def test_part_as_it_stood_after_a_line(kettle):
    """Only the lines up to there are run."""
    build = run(kettle, after="l3")
    assert "l4" not in build.reports
    assert [state.item.kind for state in build.items.values()] == ["curve", "surface"]


def test_references_to_what_is_gone_or_comes_later(kettle):
    """Each with its own sentence."""
    kettle["lines"] = [entry for entry in kettle["lines"] if entry["id"] != "l1"]
    assert "was removed" in run(kettle).reports["l3"].findings[0].sentence


def test_item_that_a_later_line_gives(kettle):
    """The sentence says to move the line down."""
    lines = kettle["lines"]
    lines.insert(4, lines.pop(-1))
    assert "Move this line down" in run(kettle).reports["l4"].findings[0].sentence


def test_wrong_kind_of_item(kettle):
    """A mesh line on a curve asks for a surface."""
    line(kettle, "l4")["surface"] = "l1"
    assert "needs a surface" in run(kettle).reports["l4"].findings[0].sentence


@pytest.mark.parametrize(
    ("target", "field", "value", "word"),
    [
        ("l4", "round", 0, "count round should be at least 1"),
        ("l4", "round", -3, "at least 1"),
        ("l4", "round", "2.5", "whole number"),
        ("l4", "round", "1e9", "faces; the limit"),
        ("l4", "round", 10**12, "at most"),
        ("l2", "radius", "0 mm", "above 0 mm"),
        ("l2", "radius", "-1 mm", "at least 0 mm"),
        ("l2", "radius", "nan", "no size called nan"),
        ("l2", "radius", "30°", "a length is wanted"),
        ("l3", "angle", "0°", "above 0°"),
        ("l1", "points", [{"x": 0, "y": 0}], "at least 2 points"),
        ("l1", "points", [{"x": 0, "y": 0}, {"x": "1/0", "y": 0}], "right coordinate of point 2"),
        ("l1", "points", [{"x": 0, "y": 0}, {"x": 0, "y": 0}], "Point 2"),
    ],
)
def test_bad_values_name_the_field_and_the_way_out(kettle, target, field, value, word):
    """The line fails with a sentence; the sheet stays whole."""
    line(kettle, target)[field] = value
    report = run(kettle).reports[target]
    assert report.status == "failed"
    assert word in report.findings[0].sentence


def test_billion_faces_take_no_memory(kettle):
    """Refused by prediction, in no time."""
    import resource

    line(kettle, "l4").update(round=100_000, along=10_000)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    assert "1,000,000,000 faces" in run(kettle).reports["l4"].findings[0].sentence
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 50_000


def test_smoothing_beyond_the_limit_is_refused(kettle):
    """Predicted from the cage."""
    line(kettle, "l4").update(round=400, along=300)
    kettle["lines"].append({"id": "l5", "verb": "smooth", "mesh": "l4", "times": 5})
    assert "the limit is 4,000,000" in run(kettle).reports["l5"].findings[0].sentence


def test_smooth_changes_the_mesh_in_place(kettle):
    """The same item, four times the faces, still measured against its surface."""
    kettle["lines"].append({"id": "l5", "verb": "smooth", "mesh": "l4", "times": 1})
    build = run(kettle)
    (name, state), *others = build.named("mesh")
    assert not others
    assert name == "body mesh"
    assert isinstance(state.item, MeshItem)
    assert state.item.surface is build.items["l3"].item.surface
    assert state.line_id == "l5"


def test_meshing_by_edge_length_and_by_chord(kettle):
    """Both give even counts round, so that the pole closes with quads."""
    for sizing, field, value in (("edge length", "edge_length", "7 mm"), ("chord", "chord", "0.3 mm")):
        line(kettle, "l4").update({"sizing": sizing, field: value})
        build = run(kettle)
        mesh = build.named("mesh")[0][1].item.mesh
        assert mesh.topology.is_quads
        assert len(mesh.topology.boundary_loops[0]) % 2 == 0


def test_chord_is_kept(kettle):
    """No place of the mesh is farther from the surface than twice the chord: round and along add up."""
    from glass_spoon.kernel.gauges.deviation import face_deviations

    line(kettle, "l4").update({"sizing": "chord", "chord": "0.4 mm"})
    item = run(kettle).named("mesh")[0][1].item
    assert face_deviations(item.mesh, item.surface)[1].max() <= 0.8


def test_progress_reaches_every_line(kettle):
    """Lines done, lines in all, share of the present one."""
    seen = []
    run(kettle, progress=lambda number, total, share: seen.append((number, total, share)))
    assert seen[-1] == (7, 8, 1.0)
    assert [entry[0] for entry in seen] == sorted(entry[0] for entry in seen)


def test_prose_follows_the_choices(kettle):
    """The sentence shows the fields in use only."""
    document = read_document(kettle)
    assert {"round", "along"} <= set(document.line("l4").used_fields())
    line(kettle, "l4")["sizing"] = "chord"
    used = read_document(kettle).line("l4").used_fields()
    assert "chord" in used
    assert "round" not in used


junk = st.one_of(st.text(max_size=12), st.integers(-(10**6), 10**6), st.floats(allow_nan=True))


@settings(max_examples=60)
@given(st.sampled_from(["radius", "round", "along", "angle"]), junk)
def test_any_value_gives_a_result_or_a_sentence(field, value):
    """Whatever is put into a number field, the evaluation ends with reports."""
    import json

    from tests.conftest import DEMO

    sheet = json.loads((DEMO / "camp-kettle.json").read_text())
    target = {"radius": "l2", "round": "l4", "along": "l4", "angle": "l3"}[field]
    value = max(-300, min(value, 300)) if isinstance(value, int | float) and value == value else value
    line(sheet, target)[field] = value
    build = run(sheet)
    for report in build.reports.values():
        assert report.status == "good" or report.findings


def test_a_fault_of_ours_fails_its_line_alone(kettle, monkeypatch):
    """Whatever a line's work raises is told at the line; the rest of the part stands, and a stop passes through."""
    document = read_document(kettle)
    monkeypatch.setattr(VERBS["mesh"], "build", lambda self, given: [][0])
    build = evaluate(document, ResultCache())
    report = build.reports["l4"]
    assert (report.status, report.findings[0].code) == ("failed", "unforeseen")
    assert "IndexError" in report.findings[0].sentence
    assert build.reports["l3"].status == "good"
    monkeypatch.setattr(VERBS["mesh"], "build", lambda self, given: _stop())
    with pytest.raises(WorkStopped):
        evaluate(document, ResultCache())


def _stop() -> None:
    raise WorkStopped
