"""What the board loads."""

import io
import json
import struct
import threading

import numpy as np
import pytest
from PIL import Image

from glass_spoon.sheet.document import read_document
from glass_spoon.studio.flows import build_part, watched_work
from glass_spoon.studio.flows.watched_work import WatchedWork, Working
from glass_spoon.studio.models import Part
from glass_spoon.studio.see import scene as show_scene
from tests.studio.conftest import points_of


def gltf(data: bytes) -> dict:
    length = struct.unpack_from("<I", data, 12)[0]
    return json.loads(data[20 : 20 + length])


def preview(client, part, line, field, value, known=()):
    return client.post(
        f"/parts/{part.id}/preview.glb",
        json.dumps({"changes": {line: {field: value}}, "known": list(known)}),
        content_type="application/json",
        headers={"Accept": "application/json"},
    )


def test_view_holds_the_mesh_the_curves_and_the_points(part, as_user):
    """One mesh by its item's id; cubics of the profile; nine points of the drawing."""
    document = gltf(as_user("viewer").get(f"/parts/{part.id}/view.glb").content)
    assert [mesh["name"] for mesh in document["meshes"]] == ["l4"]
    assert document["extras"]["curves"][0]["id"] == "l1"
    assert all(len(piece) == 12 for piece in document["extras"]["curves"][0]["beziers"])
    assert len(document["extras"]["drawings"][0]["points"]) == 9
    assert document["extras"]["drawings"][0]["raw"][3][0] == "body_d / 2"


def test_view_at_a_level_and_after_a_line(part, as_user):
    """Smoothed once there are four times the faces; after the revolve a stand-in of the surface."""
    client = as_user("viewer")
    once = gltf(client.get(f"/parts/{part.id}/view.glb?level=1").content)
    assert once["meshes"][0]["extras"]["faces"] == 1296 * 4
    bare = gltf(client.get(f"/parts/{part.id}/view.glb?shown_after=l3").content)
    assert bare["extras"]["shown"][0]["surface"] is True


def test_display_curves_are_true():
    """Ends of the board's cubics lie on the kernel's curve, arcs within two thousandths of a millimetre."""
    from glass_spoon.kernel.curves.make.line_and_arc import make_arc
    from glass_spoon.studio.see.board_extras import display_cubics

    cubics = display_cubics(make_arc([0, 0, 0], [100, 0, 0], [0, 100, 0], 0, 2 * np.pi))
    t = np.linspace(0, 1, 21)[:, None]
    weights = np.hstack([c * (1 - t) ** (3 - k) * t**k for k, c in enumerate((1, 3, 3, 1))])
    points = np.einsum("tk,pkc->ptc", weights, cubics)
    assert np.abs(np.linalg.norm(points, axis=2) - 100).max() < 2e-3  # 2e-5 of the radius, as ARC_PARTS says


def test_preview_saves_nothing_and_moves_points_only(part, as_user):
    """When the board knows the topology, only vertices come, with quick readings."""
    client = as_user("editor")
    known = [gltf(client.get(f"/parts/{part.id}/view.glb").content)["meshes"][0]["extras"]["topology"]]
    points = json.loads(points_of(part))
    points[4]["x"] = 70
    document = gltf(preview(client, part, line="l1", field="points", value=points, known=known).content)
    assert "indices" not in document["meshes"][0]["primitives"][0]
    readings = {reading["code"]: reading for reading in document["extras"]["readings"]}
    assert readings["four_sided"]["text"] == "100 %"
    assert "off_surface" in readings
    part.refresh_from_db()
    assert part.revision == 1


def test_preview_with_another_count_sends_the_whole_mesh(part, as_user):
    """The topology is new."""
    document = gltf(preview(as_user("editor"), part, line="l4", field="round", value="32", known=[]).content)
    assert "indices" in document["meshes"][0]["primitives"][0]


@pytest.mark.parametrize(
    "body",
    [
        "",
        "[]",
        "{",
        '{"changes": ["l1"]}',
        '{"changes": {"zz": {"x": 1}}}',
        '{"changes": {"l1": {"points": 5}}}',
        '{"changes": {"l1": 5}}',
    ],
)
def test_bad_previews_get_a_sentence(part, as_user, body):
    """Never a 500."""
    answer = as_user("editor").post(
        f"/parts/{part.id}/preview.glb", body, content_type="application/json", headers={"Accept": "application/json"}
    )
    assert answer.status_code in (400, 422)
    assert answer.json()["sentence"].endswith(".")


def test_preview_that_cannot_be_built_says_why(part, as_user, edit):
    """The file comes without a mesh, and with the sentence."""
    edit(as_user("owner"), op="set", line="l2", field="fit", value="exactly")
    document = gltf(preview(as_user("editor"), part, line="l2", field="radius", value="500 mm").content)
    assert "largest that fits" in document["extras"]["failed"][0]


def test_offenders_are_listed(part, as_user, edit):
    """A limit that the mesh breaks, and the faces that break it."""
    edit(as_user("owner"), op="limit", limit="smallest_corner", value="80")
    found = as_user("viewer").get(f"/parts/{part.id}/offenders.json?gauge=smallest_corner").json()
    assert found["kind"] == "face"
    assert found["item"] == "l4"
    assert found["total"] == len(found["indices"]) > 0
    assert as_user("viewer").get(f"/parts/{part.id}/offenders.json?gauge=zzz").json()["total"] == 0


def test_level_beyond_what_the_board_shows_is_a_sentence(part, as_user, edit):
    """1,200,000 faces at most; the gauges' column says so."""
    edit(as_user("owner"), op="set", line="l4", field="along", value="300")
    text = as_user("owner").get(f"/parts/{part.id}/show/?level=4", headers={"HX-Request": "true"}).content.decode()
    assert "the board shows up to 1,200,000" in text
    answer = as_user("owner").get(f"/parts/{part.id}/view.glb?level=4", headers={"Accept": "application/json"})
    assert answer.status_code == 422


def test_a_part_of_curves_alone_has_them_in_its_thumbnail(part, as_user):
    """Where there is no mesh yet the curves are drawn."""
    sizes = []
    for lines in ([], [{"id": "l1", "verb": "star", "gives": "star"}]):
        part.document = {"format": "glass-spoon/sheet", "version": 1, "name": "Star", "lines": lines}
        part.revision += 1
        part.save()
        picture = Image.open(io.BytesIO(as_user("owner").get(f"/parts/{part.id}/thumbnail.png").content))
        sizes.append(len(picture.convert("RGB").getcolors(100_000)))
    assert sizes[0] == 1 < sizes[1]


def test_thumbnail_is_a_png_and_follows_the_part(part, as_user, edit):
    """Drawn once a revision."""
    client = as_user("viewer")
    first = client.get(f"/parts/{part.id}/thumbnail.png").content
    assert first.startswith(b"\x89PNG")
    assert client.get(f"/parts/{part.id}/thumbnail.png").content == first
    edit(as_user("owner"), op="set", line="s1", field="value", value="240 mm")
    assert client.get(f"/parts/{part.id}/thumbnail.png").content != first


def test_long_builds_show_how_far_they_are(part, as_user, monkeypatch):
    """Past its patience the server answers with a bar that asks again, and then with the sheet."""
    import threading

    gate = threading.Event()
    real = build_part.evaluate

    def slow(document, cache, after, progress, **more):
        progress(1, 4, 0.5)
        gate.wait(10)
        return real(document, cache, after, progress, **more)

    monkeypatch.setattr(build_part, "evaluate", slow)
    monkeypatch.setattr(build_part, "_builds", WatchedWork("test"))
    monkeypatch.setattr(build_part.build_sheet, "__defaults__", (0.1,))
    client = as_user("owner")
    text = client.get(f"/parts/{part.id}/show/", headers={"HX-Request": "true"})
    assert "Building the part" in text.content.decode()
    assert 'value="38"' in text.content.decode()
    assert text.headers["HX-Reswap"] == "none"
    gate.set()
    build_part.finished_build(part.sheet())
    assert 'id="sheet"' in client.get(f"/parts/{part.id}/show/", headers={"HX-Request": "true"}).content.decode()


def test_a_build_is_stopped_and_gone_on_with(part, as_user, monkeypatch):
    """Stopped, it rests however often the page is asked for; an edit, or going on, builds the part."""
    import threading

    gate, begun = threading.Event(), []
    real = build_part.evaluate

    def slow(document, cache, after, progress, **more):
        begun.append(1)
        while not gate.wait(0.02):
            progress(1, 4, 0.5)
        return real(document, cache, after, progress, **more)

    monkeypatch.setattr(build_part, "evaluate", slow)
    monkeypatch.setattr(build_part, "_builds", WatchedWork("test"))
    monkeypatch.setattr(build_part.build_sheet, "__defaults__", (0.1,))
    client, show = as_user("owner"), f"/parts/{part.id}/show/"
    stop = f"/parts/{part.id}/stop/"
    assert "data-stop-work" in client.get(show, headers={"HX-Request": "true"}).content.decode()
    answer = client.post(stop, {"what": "work"}, headers={"HX-Request": "true"})
    assert answer.headers["HX-Reswap"] == "none"
    for text in (answer, client.get(show, headers={"HX-Request": "true"}), client.get(f"/parts/{part.id}/")):
        assert "Building was stopped" in text.content.decode()
        assert "data-working" not in text.content.decode()
    assert len(begun) == 1
    gate.set()
    monkeypatch.setattr(build_part.build_sheet, "__defaults__", (30.0,))
    assert 'id="sheet"' in client.post(stop, {"what": "on"}, headers={"HX-Request": "true"}).content.decode()
    assert 'id="sheet"' in client.get(show, headers={"HX-Request": "true"}).content.decode()


def test_gauges_are_stopped_and_read_after_all(part, as_user, monkeypatch):
    """Stopped, the quick ones stand and nothing is asked again; read after all, all of them are there."""
    import threading

    gate = threading.Event()
    real = show_scene.read_gauges

    def slow(mesh, surface, limits, progress):
        while not gate.wait(0.02):
            progress(0.2)
        return real(mesh, surface, limits, progress=progress)

    monkeypatch.setattr(show_scene, "read_gauges", slow)
    monkeypatch.setattr(show_scene, "_readings", WatchedWork("test"))
    monkeypatch.setattr(show_scene.watched_readings, "__defaults__", (0.1,))
    build_part.finished_build(part.sheet())
    client, show = as_user("owner"), f"/parts/{part.id}/show/"
    text = client.get(show, headers={"HX-Request": "true"}).content.decode()
    assert "Reading the gauges" in text
    assert "data-stop-work" in text
    for answer in (
        client.post(f"/parts/{part.id}/stop/", {"what": "work"}, headers={"HX-Request": "true"}),
        client.get(show, headers={"HX-Request": "true"}),
    ):
        text = answer.content.decode()
        assert "Read them all" in text
        assert 'data-code="evenness"' in text
        assert "data-pending" not in text
    gate.set()
    monkeypatch.setattr(show_scene.watched_readings, "__defaults__", (30.0,))
    text = client.post(f"/parts/{part.id}/stop/", {"what": "on"}, headers={"HX-Request": "true"}).content.decode()
    assert "Read them all" not in text
    assert 'data-code="off_surface"' in text


def test_watched_work_runs_once_and_raises_its_error():
    """Two callers share one run; a failure is raised and tried again."""
    work: WatchedWork[int] = WatchedWork("test")
    calls = []

    def once(report):
        calls.append(1)
        report(0.25)
        return 7

    assert work.result("a", once, None) == work.finished("a", once) == 7
    assert len(calls) == 1

    def fail(report):
        raise ValueError("no")

    for _ in range(2):
        with pytest.raises(ValueError, match="no"):
            work.finished("b", fail)
    assert Working(0.4).percent == 40
    assert watched_work.KEPT > 1
    assert show_scene.SHOWN_FACES == 1_200_000


def test_view_of_a_level_shows_where_smoothing_ends(part, as_user):
    """Drawn vertices are the closed-form limit of the level, its own normals with them; the cage is drawn as it is."""
    from glass_spoon.kernel.subdivision.catmull_clark import subdivide
    from glass_spoon.kernel.subdivision.limit_surface import limit_surface

    build = build_part.finished_build(part.sheet())
    (cage,) = show_scene.shown_items(build, 0)
    (once,) = show_scene.shown_items(build, 1)
    assert cage.picture is cage.mesh
    assert np.array_equal(once.mesh.positions, subdivide(cage.mesh, 1).positions)
    limit = limit_surface(once.mesh)
    assert np.array_equal(once.picture.positions, limit.positions)
    assert np.array_equal(once.picture.points["normal"], limit.normals)
    # Smoothing further brings the vertices there: each step leaves at most about a quarter of the way.
    far = np.linalg.norm(once.mesh.positions - limit.positions, axis=1).max()
    finer = subdivide(once.mesh, 3).positions[: once.mesh.point_count]
    assert np.linalg.norm(finer - limit.positions, axis=1).max() < 0.05 * far


def extras_of(name: str, **looks: object) -> dict:
    """Return what the board gets beside the meshes of a demo part."""
    from glass_spoon.sheet.document import read_document
    from glass_spoon.studio.flows.build_part import finished_build
    from glass_spoon.studio.see.board_extras import board_extras
    from glass_spoon.studio.see.scene import shown_items
    from glass_spoon.studio.see.view_choice import read_view
    from tests.conftest import DEMO

    data = json.loads((DEMO / f"{name}.json").read_text())
    document = read_document(data | {"looks": {**data.get("looks", {}), **looks}})
    build = finished_build(document)
    return board_extras(build, shown_items(build, 0), [], read_view({}, document))


def test_rings_of_a_skin_have_handles_where_they_lie():
    """The lantern's glass: the width and the depth of each ring at its height; none of what is hidden."""
    extras = extras_of("lantern")
    handles = [handle for handle in extras["handles"] if handle["line"] == "l1" and handle["start"]]
    rows = extras["tables"]["l1"]["rings"]
    assert [handle["label"] for handle in handles] == [
        f"{column} of ring {number + 1}" for number in range(len(rows)) for column in ("width", "depth")
    ]
    for handle in handles:
        (_, column, number, _, size, _, least, _, unit), (_, _, _, _, height, *_) = handle["changes"]
        axis = ("width", "depth").index(column)
        assert handle["place"][axis] == pytest.approx(size / 2)
        assert handle["start"][axis] == pytest.approx(-size / 2)
        assert handle["place"][2] == pytest.approx(height)
        assert (number < len(rows), least, unit) == (True, 0, "mm")
    assert "l1" not in {handle["line"] for handle in extras_of("lantern", l1={"hidden": True})["handles"]}


def test_pictures_lie_where_their_lines_say():
    """The kettle over its sketch: two views of one picture each, with width, place and strength."""
    pictures = extras_of("kettle-from-the-sketch")["pictures"]
    assert {picture["plane"] for picture in pictures} <= {"front", "side", "plan"}
    assert len(pictures) >= 1
    for picture in pictures:
        assert picture["width"] > 0
        assert 5 <= picture["strength"] <= 100


def test_curves_carry_their_looks_and_hidden_ones_are_left_out():
    """Colours arrive with the curves, and hidden ones are missing."""
    every = {curve["id"]: curve for curve in extras_of("oar", l2={"colour": "plum"})["curves"]}
    fewer = {curve["id"] for curve in extras_of("oar", l2={"hidden": True})["curves"]}
    assert every["l2"]["colour"] == "plum"
    assert "l2" not in fewer
    assert fewer < set(every)


def test_work_that_was_stopped_before_it_began_is_not_known():
    """Asking for it says so; it does not fail, and asked for anew it is done."""
    work = WatchedWork("stopped", threads=1)
    gate = threading.Event()
    work.result("first", lambda report: gate.wait(30), patience=0.0)
    work.result("second", lambda report: 2, patience=0.0)
    work.stop("second")
    assert work.known("second") is None
    gate.set()
    assert work.finished("second", lambda report: 2) == 2
    assert work.known("second") == 2


def test_many_bodies_are_told_and_pictured_as_bodies(part, as_user):
    """A thousand boxes: the page says their faces and how many, the file of the board has one mesh and their places."""
    lines = [
        {"id": "l1", "verb": "block", "width": "20 mm", "depth": "20 mm", "height": "20 mm", "edge": "5 mm", "gives": "box"},
        {"id": "l2", "verb": "grid", "item": "l1", "across": 40, "deep": 25, "x": "30 mm", "y": "30 mm", "gives": "boxes"},
    ]
    data = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines}).model_dump(mode="json")
    Part.objects.filter(id=part.id).update(document=data)
    client = as_user("owner")
    page = client.get(f"/parts/{part.id}/").content.decode()
    assert "1,000 bodies, 96,000 faces of 20,000" in page
    document = gltf(client.get(f"/parts/{part.id}/view.glb").content)
    (mesh,) = document["meshes"]
    assert document["accessors"][mesh["extras"]["places"]]["count"] == 4 * 1000
    assert mesh["extras"]["faces"] == 96
    inspection = client.get(f"/parts/{part.id}/inspection/").content.decode()
    assert "96,000 quads in 1,000 bodies" in inspection
    assert "1190.0 × 740.0 × 20.0 mm" in inspection
