"""The verbs of the Mesh chapter on small sheets: what they give, what they tell, and the ways out they offer."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.obj import write_obj
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.sources import NothingKept, read_file
from glass_spoon.sheet.stored_files import digest_of, reference_to, write_inside
from tests.zoo import torus

PROFILE = [{"x": 40, "y": 0}, {"x": 55, "y": 40}, {"x": 30, "y": 90, "sharp": True}, {"x": 34, "y": 110}]
CUP: list[dict[str, Any]] = [
    {"verb": "draw", "gives": "profile", "points": PROFILE},
    {"verb": "revolve", "gives": "cup", "profile": "l1"},
]


def run(*lines: dict[str, Any]) -> Build:
    """Evaluate lines over the cup; they are numbered on from l3."""
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate([*CUP, *lines], 1)]
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered}), ResultCache())


def mesh_line(**values: Any) -> dict[str, Any]:
    return {"verb": "mesh", "gives": "cup mesh", "surface": "l2", "round": 24, "along": 12, **values}


def test_marks_survive_a_change_of_density_and_say_their_count() -> None:
    """The loop holds as many edges as the mesh has round."""
    for around in (24, 40):
        build = run(
            mesh_line(round=around),
            {"verb": "mark", "gives": "lip", "mesh": "l3", "what": "loop", "x": 33.8, "y": 2, "z": 110},
        )
        assert build.reports["l4"].told == f"{around} edges marked."


def test_mark_that_finds_nothing_says_so() -> None:
    """A band beyond the mesh is worth a look."""
    build = run(
        mesh_line(), {"verb": "mark", "gives": "none", "mesh": "l3", "what": "faces in a band", "low": 500, "high": 600}
    )
    assert build.reports["l4"].status == "look"
    assert "finds nothing" in build.reports["l4"].findings[0].sentence


def test_marks_are_joined_and_taken_away() -> None:
    """Two marks share the faces without rest."""
    band = {"verb": "mark", "gives": "band", "mesh": "l3", "what": "faces in a band", "low": 0, "high": 60}
    whole = {"verb": "mark", "gives": "rest", "mesh": "l3", "what": "everything", "meeting": "without", "others": ["l4"]}
    build = run(mesh_line(), band, whole)
    assert len(build.items["l4"].item.mark) + len(build.items["l5"].item.mark) == 24 * 12


def test_crease_is_set_on_marked_edges_and_turned_into_loops() -> None:
    """The crease's edges become loops of two strips, in quads."""
    mark = {"verb": "mark", "gives": "edge", "mesh": "l3", "what": "loop", "x": 29.7, "y": 3.9, "z": 90}
    crease = {"verb": "crease", "mesh": "l3", "marks": ["l4"], "how": "for some levels", "sharpness": 2}
    build = run(mesh_line(sharp="softened"), mark, crease, {"verb": "support", "mesh": "l3"})
    assert build.reports["l5"].told == "24 edges creased."
    assert "48 faces more" in build.reports["l6"].told
    assert build.items["l3"].item.mesh.topology.is_quads


def test_exploded_faces_weld_with_a_told_safe_range_and_a_warning_of_collapse() -> None:
    """A safe weld is good, and one too wide offers the distance that is not."""
    whole = mesh_surface(torus(30, 10), 24, 12)
    apart = "\n".join(f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in whole.positions[whole.topology.face_corners])
    faces = "\n".join("f " + " ".join(str(4 * k + j) for j in (1, 2, 3, 4)) for k in range(whole.face_count))
    file = write_inside(f"# units: mm\n{apart}\n{faces}\n".encode(), "obj")
    lines = {"verb": "import_mesh", "gives": "ring", "file": file}, {"verb": "weld", "mesh": "l3", "distance": "0.001 mm"}
    build = run(*lines)
    assert build.items["l3"].item.mesh.point_count == whole.point_count
    assert "864 points become one with others. Safe distances are" in build.reports["l4"].told
    collapse = run(lines[0], {"verb": "weld", "mesh": "l3", "distance": "40 mm"}).reports["l4"]
    assert "larger than real detail" in collapse.findings[0].sentence
    way = collapse.findings[0].actions[0]
    assert run(lines[0], {"verb": "weld", "mesh": "l3", "distance": way.value}).reports["l4"].status == "good"


def test_two_halves_unite_to_one() -> None:
    """The seam points of two half balls become one each."""
    low = {"verb": "simple", "gives": "low", "form": "sphere", "radius": 40, "low": "-90°", "high": "0°"}
    high = {"verb": "simple", "gives": "high", "form": "sphere", "radius": 40, "low": "0°", "high": "90°"}
    meshes = [{"verb": "mesh", "gives": f"m{k}", "surface": f"l{k}", "round": 24, "along": 8} for k in (3, 4)]
    build = run(low, high, *meshes, {"verb": "unite", "meshes": ["l5", "l6"], "gives": "ball"})
    ball = build.items["l7"].item.mesh
    assert len(ball.topology.boundary_edges) == 0
    assert build.reports["l7"].told.startswith("24 points become one")


def test_triangles_are_paired_and_kept_over_sharp_edges() -> None:
    """A mesh of quads has no pair to make."""
    build = run(mesh_line(), {"verb": "pair", "mesh": "l3"})
    assert build.reports["l4"].told == "0 pairs made. No triangle is left."


def test_relax_tells_what_it_gained() -> None:
    """The line tells evenness before and after."""
    build = run(mesh_line(spaced="by parameter"), {"verb": "relax", "mesh": "l3", "rounds": 40, "off": "0.01 mm"})
    assert "Evenness" in build.reports["l4"].told


def test_turned_over_faces_are_told_and_cleaned_again() -> None:
    """The mixed faces are worth a look, and Clean turns them back."""
    mark = {"verb": "mark", "gives": "some", "mesh": "l3", "what": "faces in a band", "low": 0, "high": 30}
    build = run(mesh_line(), mark, {"verb": "turn_over", "mesh": "l3", "faces": ["l4"]}, {"verb": "clean", "mesh": "l3"})
    assert build.reports["l5"].status == "look"
    assert "turned to face like its neighbours" in build.reports["l6"].told
    assert build.reports["l6"].status == "good"


def test_smoothing_may_be_plain_or_end_on_the_limit() -> None:
    """Both have the same faces at other places."""
    plain = run(mesh_line(), {"verb": "smooth", "mesh": "l3", "times": 1, "manner": "plain"}).items["l3"].item.mesh
    rounded = run(mesh_line(), {"verb": "smooth", "mesh": "l3", "times": 1, "points": "limit"}).items["l3"].item.mesh
    assert plain.face_count == rounded.face_count == 4 * 24 * 12
    assert not np.allclose(plain.positions, rounded.positions)


@pytest.mark.parametrize("rule", ["even", "odd", "multiples"])
def test_counts_keep_their_rule(rule: str) -> None:
    """Even, odd and multiples hold in both directions."""
    build = run(mesh_line(sizing="edge length", edge_length=9, counting=rule, step=5))
    around, along = build.items["l3"].item.counts
    check = {"even": lambda n: n % 2 == 0, "odd": lambda n: n % 2 == 1, "multiples": lambda n: n % 5 == 0}[rule]
    assert check(around)
    assert check(along)


def test_counts_are_linked_to_another_mesh() -> None:
    """The second mesh takes the counts of the first."""
    build = run(mesh_line(round=28, along=9), mesh_line(sizing="another mesh", like="l3", gives="second"))
    assert build.items["l4"].item.counts == (28, 9)


def test_face_count_is_met_nearly_and_tolerance_is_kept() -> None:
    """The face count is within 80, and a fit needs half the faces."""
    about = run(mesh_line(sizing="faces", faces=1000)).items["l3"].item.mesh
    assert abs(about.face_count - 1000) < 80
    plain, fitted = (run(mesh_line(sizing="tolerance", tolerance="0.5 mm", lying=lying)) for lying in ("points", "smoothed"))
    assert fitted.items["l3"].item.mesh.face_count < 0.5 * plain.items["l3"].item.mesh.face_count
    for build in (plain, fitted):
        assert "The smoothed shape is at most 0." in build.reports["l3"].told


@pytest.mark.parametrize("wanted", [400, 1500, 6000])
def test_face_count_is_met_with_flat_ends_that_are_filled(wanted: int) -> None:
    """Counts are foretold from the grids of the sides; the ends are seen in the mesh, and made up for."""
    plate = {"verb": "plate", "gives": "lid", "outline": "l4", "upper": "sharp", "lower": "sharp"}
    outline = {"verb": "rectangle", "gives": "outline", "plane": "plan", "width": 60, "height": 40, "radius": 5}
    build = run(mesh_line(), outline, plate, {"verb": "mesh", "surface": "l5", "sizing": "faces", "faces": wanted})
    assert abs(build.items["l6"].item.mesh.face_count - wanted) <= 0.09 * wanted  # even counts round the rim go in steps


def test_a_tolerance_that_would_take_too_many_faces_is_refused_before_they_are_made() -> None:
    """The refusal says to allow a larger tolerance."""
    report = run(mesh_line(sizing="tolerance", tolerance="0.0001 mm")).reports["l3"]
    assert report.status == "failed"
    assert "Allow a larger tolerance" in report.findings[0].sentence


def test_file_without_a_unit_asks_for_it() -> None:
    """Three units are offered, and the chosen one scales."""
    data = write_obj([NamedMesh("ring", mesh_surface(torus(30, 10), 12, 8))]).replace(b"# units: millimetres, Z up\n", b"")
    line = {"verb": "import_mesh", "gives": "ring", "file": write_inside(data, "obj")}
    report = run(line).reports["l3"]
    assert report.status == "failed"
    assert "no unit" in report.findings[0].sentence
    assert [action.value for action in report.findings[0].actions] == ["mm", "m", "inch"]
    assert np.ptp(run(line | {"unit": "cm"}).items["l3"].item.mesh.positions[:, 0]) == pytest.approx(800, rel=1e-6)


class Shelf(NothingKept):
    """Sources that keep what they are given."""

    def __init__(self, *files: bytes) -> None:
        self.kept = {digest_of(data): data for data in files}

    def file(self, digest: str) -> bytes | None:
        return self.kept.get(digest)


def test_files_are_found_by_their_content_wherever_they_are_kept() -> None:
    """In the sheet, or in the sources of the evaluation; else a sentence says that it is to be chosen again."""
    data = b"a file too large for a sheet"
    assert read_file(reference_to(data, "obj"), 1000, Shelf(data)) == (data, "obj")
    with pytest.raises(KernelError, match="not kept here"):
        read_file(reference_to(data, "obj"), 1000)
    with pytest.raises(KernelError, match="cannot be read"):
        read_file("something else", 1000)
    assert read_file(write_inside(data, "stl"), 1000) == (data, "stl")
    assert write_inside(np.random.default_rng(0).bytes(2_000_000), "stl") is None


def test_every_surface_is_meshed_as_one() -> None:
    """Two zones of a sphere that share their rim: nothing stays open between them."""
    low = {"verb": "simple", "gives": "low", "form": "sphere", "radius": 40, "low": "-90°", "high": "10°"}
    high = {"verb": "simple", "gives": "high", "form": "sphere", "radius": 40, "low": "10°", "high": "90°"}
    lines = [{"id": f"l{k}", **line} for k, line in enumerate([low, high], 1)]
    lines.append({"id": "l3", "verb": "mesh", "gives": "all", "surface": "every", "sizing": "edge length", "edge_length": 9})
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})
    build = evaluate(document, ResultCache())
    assert build.reports["l3"].status == "good"
    assert len(build.items["l3"].item.mesh.topology.boundary_edges) == 0


def test_every_surface_of_none_asks_for_one() -> None:
    """Every surface of none waits for one."""
    lines = [{"id": "l1", "verb": "mesh", "gives": "all", "surface": "every"}]
    report = evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines}), ResultCache()).reports[
        "l1"
    ]
    assert report.status == "waiting"
    assert "Pick a surface" in report.findings[0].sentence


def seam_halves() -> list[dict[str, Any]]:
    """The cup cut in two surfaces that are gathered again."""
    return [
        {"verb": "cut_surface", "surface": "l2", "gives": "lower", "share": 0.4},
        {"verb": "cut_surface", "surface": "l2", "gives": "upper", "share": 0.4, "part": "second"},
        {"verb": "gather", "surfaces": ["l3", "l4"], "gives": "shell"},
        {"verb": "mesh", "surface": "l5", "gives": "shell mesh", "sizing": "edge length", "edge_length": 6},
    ]


def marking(mesh: str, what: str, **values: Any) -> dict[str, Any]:
    return {"verb": "mark", "gives": "found", "mesh": mesh, "what": what, **values}


def test_faces_are_marked_by_the_surface_that_they_came_from() -> None:
    """Faces of both halves, apart by height, add up to all."""
    build = run(*seam_halves(), marking("l6", "faces made by", maker="l3"), marking("l6", "faces made by", maker="l4"))
    mesh = build.items["l6"].item.mesh
    lower, upper = (build.items[line].item.mark for line in ("l7", "l8"))
    assert len(lower) + len(upper) == mesh.face_count
    height = mesh.face_centers[:, 2]
    assert height[lower.indices].max() < height[upper.indices].min()


def test_renaming_and_turning_the_surface_keeps_what_it_made() -> None:
    """The mark by maker outlives a flip."""
    lines = [*seam_halves(), {"verb": "flip", "surface": "l3"}, marking("l6", "faces made by", maker="l3")]
    assert run(*lines).reports["l8"].status == "good"


def test_faces_of_a_united_mesh_are_marked_by_the_mesh_and_the_line_that_made_them() -> None:
    """A cup and a ring, united; the ring's are as many as it had; support loops are those of their line."""
    lines = [
        mesh_line(),
        {"verb": "simple", "form": "torus", "gives": "ring"},
        {"verb": "mesh", "surface": "l4", "gives": "ring mesh", "round": 16, "along": 8},
        {"verb": "unite", "meshes": ["l3", "l5"], "gives": "both"},
        marking("l6", "faces made by", maker="l5"),
        marking("l6", "faces made by", maker="l4"),
        {"verb": "support", "mesh": "l6", "distance": 1},
        marking("l6", "faces made by", maker="l9"),
        marking("l6", "faces made by", maker="l5"),
    ]
    build = run(*lines)
    assert [len(build.items[line].item.mark) for line in ("l7", "l8", "l11")] == [128, 128, 128]
    strips = build.items["l10"].item.mark
    mesh = build.items["l6"].item.mesh
    # The sharp loop of the profile at height 90 runs through 24 quads to each side.
    assert len(strips) == 48
    assert np.abs(mesh.face_centers[strips.indices, 2] - 90).max() < 1.0


def test_edges_between_colours_follow_the_looks_of_items() -> None:
    """Two items of one colour have no border, of two colours all."""
    lines = [*seam_halves(), marking("l6", "borders of colours")]
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate([*CUP, *lines], 1)]
    cache = ResultCache()

    def marked_with(looks: dict[str, Any]) -> int:
        document = {"format": "glass-spoon/sheet", "version": 1, "lines": numbered, "looks": looks}
        return len(evaluate(read_document(document), cache).items["l7"].item.mark)

    one_colour = marked_with({"l3": {"colour": "amber"}, "l4": {"colour": "amber"}})
    two_colours = marked_with({"l3": {"colour": "amber"}})
    borders = run(*seam_halves(), marking("l6", "borders")).items["l7"].item.mark
    assert one_colour == 0
    assert two_colours == len(borders) > 0


def test_groups_of_a_file_keep_their_names() -> None:
    """Groups can be marked by name, and a wrong name lists those there are."""
    seat, leg = mesh_surface(torus(30, 10), 12, 8), mesh_surface(torus(10, 3), 8, 6)
    data = write_obj([NamedMesh("Seat", seat), NamedMesh("Front leg", leg)])
    file = write_inside(data, "obj")
    build = run(
        {"verb": "import_mesh", "gives": "chair", "file": file, "unit": "mm"},
        marking("l3", "faces named", named="front LEG"),
        marking("l3", "faces named", named="seat, front leg"),
        marking("l3", "faces named", named="back"),
    )
    assert [piece.name for piece in build.items["l3"].item.pieces] == ["Seat", "Front leg"]
    assert len(build.items["l4"].item.mark) == 48
    assert len(build.items["l5"].item.mark) == 144
    assert "There is no group back. There are: front leg, seat." in build.reports["l6"].findings[0].sentence


def test_a_line_gets_its_file_from_the_sources_of_the_evaluation() -> None:
    """The same sheet with and without them: built, and a sentence."""
    data = write_obj([NamedMesh("ring", mesh_surface(torus(30, 10), 12, 8))])
    lines = [{"id": "l1", "verb": "import_mesh", "gives": "ring", "file": reference_to(data, "obj")}]
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})
    build = evaluate(document, ResultCache(), sources=Shelf(data))
    assert build.items["l1"].item.mesh.face_count == 96
    report = evaluate(document, ResultCache()).reports["l1"]
    assert report.status == "failed"
    assert "not kept here" in report.findings[0].sentence
