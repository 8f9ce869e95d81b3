"""Projects, members, bringing in and sending out, versions."""

import io
import json
import time
import zipfile

import pytest
import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command

from glass_spoon.studio.models import Part, Project, ReferencePicture


def bring_in(client, project, data):
    file = SimpleUploadedFile("sheet.json", data if isinstance(data, bytes) else json.dumps(data).encode())
    return client.post(f"/projects/{project.id}/bring-in/", {"file": file})


def test_empty_states_teach_the_first_step(people, as_user):
    """A new user sees what a project is; a new part how to start."""
    client = as_user("stranger")
    assert "A project holds the parts" in client.get("/projects/").content.decode()
    made = client.post("/projects/", {"name": "Mine"})
    assert made.status_code == 302
    project = Project.objects.get(name="Mine")
    assert "No parts yet" in client.get(f"/projects/{project.id}/").content.decode()
    bench = client.post(f"/projects/{project.id}/parts/", {"name": "Lid"}).url
    text = client.get(bench).content.decode()
    assert "A part is a written build sheet" in text
    assert "Gauges read a mesh" in text


def test_names_are_asked_for(part, as_user):
    """Empty ones are refused with a sentence."""
    answer = as_user("owner").post(f"/projects/{part.project_id}/parts/", {"name": "  "})
    assert answer.status_code == 422
    assert "Give the part a name" in answer.content.decode()


def test_sheet_round_trip(part, as_user):
    """Sent out as JSON and brought in again it is the same sheet."""
    client = as_user("owner")
    data = client.get(f"/parts/{part.id}/sheet.json").content
    assert bring_in(client, part.project, data).status_code == 302
    copies = Part.objects.filter(project=part.project).order_by("id")
    assert copies[1].document == copies[0].document


def test_project_round_trip(part, people, as_user):
    """All parts of a project, into another one."""
    data = as_user("viewer").get(f"/projects/{part.project_id}/project.json").content
    client = as_user("stranger")
    client.post("/projects/", {"name": "Copy"})
    project = Project.objects.get(name="Copy")
    assert bring_in(client, project, data).status_code == 302
    assert [copy.document for copy in project.parts.all()] == [part.document]


@pytest.mark.parametrize(
    "data", [b"", b"{", b"[]", b"\xff\x00", b'{"format": "glass-spoon/project", "parts": 5}', b"[" * 9000]
)
def test_bad_files_bring_in_nothing(part, as_user, data):
    """A sentence, and no part."""
    answer = bring_in(as_user("owner"), part.project, data)
    assert answer.status_code == 422
    assert Part.objects.count() == 1


def test_unknown_verbs_in_one_part_bring_in_none(part, as_user):
    """All or nothing, and the part, the line and the verb are named."""
    broken = json.loads(json.dumps(part.document))
    broken["lines"][5]["verb"] = "polish"
    project = {"format": "glass-spoon/project", "version": 1, "name": "x", "parts": [part.document, broken]}
    answer = bring_in(as_user("owner"), part.project, project)
    text = answer.content.decode()
    assert answer.status_code == 422
    assert "Part 2 of the file" in text
    assert "polish" in text
    assert Part.objects.count() == 1


def test_members_are_added_changed_and_taken_out(part, people, as_user):
    """By user name, once they accept; the last owner stays."""
    client, url = as_user("owner"), f"/projects/{part.project_id}/members/"
    assert client.post(url, {"username": "stranger", "role": "editor"}).status_code == 302
    assert as_user("stranger").get(f"/parts/{part.id}/").status_code == 404
    assert as_user("stranger").post(f"/projects/{part.project_id}/accept/").status_code == 302
    assert as_user("stranger").get(f"/parts/{part.id}/").status_code == 200
    assert client.post(url, {"username": "nobody", "role": "editor"}).status_code == 422
    assert client.post(url, {"username": "stranger", "role": "king"}).status_code == 422
    assert client.post(url, {"username": "owner", "role": "viewer"}).status_code == 422
    assert client.post(f"{url}{people['owner'].id}/remove/").status_code == 422
    assert client.post(f"{url}{people['stranger'].id}/remove/").status_code == 302
    assert as_user("stranger").get(f"/parts/{part.id}/").status_code == 404


def test_removing_needs_the_name(part, as_user):
    """Typed in full."""
    client = as_user("owner")
    assert client.post(f"/parts/{part.id}/remove/", {"name": "kettle"}).status_code == 422
    assert client.post(f"/parts/{part.id}/remove/", {"name": "Camp kettle"}).status_code == 302
    assert not Part.objects.exists()
    assert client.post(f"/projects/{part.project_id}/remove/", {"name": "Boathouse"}).status_code == 302


def test_versions_are_kept_compared_and_restored(part, as_user, edit):
    """The figures of then and now; restoring is an edit that can be undone."""
    client = as_user("owner")
    assert client.post(f"/parts/{part.id}/versions/", {"name": "first"}).status_code == 200
    assert client.post(f"/parts/{part.id}/versions/", {"name": "first"}).status_code == 422
    assert client.post(f"/parts/{part.id}/versions/", {"name": " "}).status_code == 422
    edit(client, op="set", line="s1", field="value", value="200 mm")
    version = part.versions.get()
    text = client.get(f"/parts/{part.id}/compare/?left=v{version.id}&right=now").content.decode()
    assert "163.9" in text or "164.0" in text
    assert 'class="differs"' in text
    part.refresh_from_db()
    assert client.post(f"/parts/{part.id}/versions/{version.id}/restore/", {"revision": 1}).status_code == 409
    answer = client.post(f"/parts/{part.id}/versions/{version.id}/restore/", {"revision": part.revision})
    assert answer.status_code == 302
    part.refresh_from_db()
    assert part.document["lines"][0]["value"] == "164 mm"
    client.post(f"/parts/{part.id}/undo/")
    part.refresh_from_db()
    assert part.document["lines"][0]["value"] == "200 mm"


def order(client, part, **form):
    answer = client.post(f"/parts/{part.id}/send-out/", {"format": "glb", "level": "0", "mesh": "", **form})
    for _ in range(100):
        text = answer.content.decode()
        if answer.status_code != 200 or "Download" in text or "finding" in text:
            return answer
        answer = client.get(text.split('hx-get="')[1].split('"')[0])
        time.sleep(0.05)
    raise AssertionError("the file never came")


@pytest.mark.parametrize(("kind", "level", "faces"), [("glb", 0, 2592), ("obj", 1, 10368)])
def test_files_sent_out_are_read_by_another_library(part, as_user, kind, level, faces):
    """Triangles of the quads, at the level asked for."""
    client = as_user("viewer")
    text = order(client, part, format=kind, level=str(level)).content.decode()
    answer = client.get(text.split('href="')[1].split('"')[0])
    assert "Camp kettle" in answer.headers["Content-Disposition"]
    loaded = trimesh.load(io.BytesIO(answer.content), file_type=kind)
    assert len((loaded.to_mesh() if kind == "glb" else loaded).faces) == faces


def test_parcels_belong_to_whom_ordered_them(part, as_user):
    """Another member gets 404, and so do crooked tokens."""
    url = order(as_user("owner"), part).content.decode().split('href="')[1].split('"')[0]
    assert as_user("owner").get(url).status_code == 200
    assert as_user("viewer").get(url).status_code == 404
    assert as_user("owner").get(f"/parts/{part.id}/send-out/..%2f..%2fetc/file/").status_code == 404


def test_what_cannot_be_sent_out_is_said(part, as_user, edit):
    """Too many faces, no mesh, a format that is not known."""
    client = as_user("owner")
    assert order(client, part, format="xyz").status_code == 422
    assert order(client, part, level="9").status_code == 422
    edit(client, op="set", line="l4", field="along", value="300")
    assert "the most is 4,000,000" in order(client, part, level="5").content.decode()
    edit(client, op="pause", line="l4", paused="1")
    assert "no mesh to send out" in order(client, part).content.decode()


def test_demo_is_loaded_once(db):
    """All parts for the user demo, with pictures that their lines find; a second call changes nothing."""
    call_command("load_demo")
    call_command("load_demo")
    names = [
        "Bailing scoop",
        "Bilge strainer",
        "Boat-hook ferrule",
        "Boathouse lantern",
        "Camp kettle",
        "Cane seat",
        "Coil spring",
        "Drain plug M24",
        "Fuel can",
        "Gangway",
        "Hand pump",
        "Hatch lid",
        "Horn cleat",
        "Kettle from the sketch",
        "Life ring",
        "Mooring buoy",
        "Mooring chain",
        "Mooring ground-screw",
        "Name board",
        "Oar",
        "Oar collar",
        "Oar rack",
        "Rope fender",
        "Rowing skiff",
        "Rowlock socket",
        "Stove lid",
        "Valve wheel",
        "Ventilator",
    ]
    assert sorted(Part.objects.values_list("name", flat=True)) == names
    laid = [line["picture"] for part in Part.objects.all() for line in part.document["lines"] if line["verb"] == "lay"]
    assert {str(number) for number in ReferencePicture.objects.values_list("id", flat=True)} >= set(laid) != set()


def test_reference_pages(client, db):
    """Verbs from their declarations, and the schema."""
    assert "Also" not in client.get("/verbs/").content.decode()
    assert b"Revolve" in client.get("/verbs/").content
    assert client.get("/sheet-1.schema.json").json()["title"].startswith("Glass Spoon sheet")
    assert client.get("/health/").json()["ok"] is True


@pytest.mark.parametrize(("kind", "start"), [("usdc", b"PXR-USDC"), ("stl", b"Glass Spoon"), ("ply", b"ply\n")])
def test_meshes_are_sent_out_in_other_formats(client, part, as_user, kind, start):
    """USD, STL and PLY start as their formats do."""
    client = as_user("viewer")
    text = order(client, part, format=kind).content.decode()
    data = client.get(text.split('href="')[1].split('"')[0]).content
    assert data.startswith(start)


def test_levels_are_sent_out_as_a_set_with_their_counts_and_distances(part, as_user):
    """A table in the archive tells counts and distances, each four times the last."""
    client = as_user("viewer")
    text = order(client, part, format="obj", level="to 2").content.decode()
    data = client.get(text.split('href="')[1].split('"')[0]).content
    with zipfile.ZipFile(io.BytesIO(data)) as box:
        assert box.namelist() == ["level 0.obj", "level 1.obj", "level 2.obj", "levels.txt"]
        rows = [row.split("\t") for row in box.read("levels.txt").decode().splitlines()[1:]]
    counts = [int(row[2]) for row in rows]
    assert counts[1] == 4 * counts[0]
    assert counts[2] == 16 * counts[0]
    assert all(float(row[3]) > 0 for row in rows)


def test_limits_of_a_project_are_those_of_new_parts_and_of_all_where_asked(part, as_user):
    """New parts take the limits, old ones when asked, and wrong values are refused."""
    client = as_user("owner")
    values = {"face_budget": "9000", "evenness": "0.7", "smallest_corner": "30", "off_surface": "0.2", "kink": "25"}
    assert client.post(f"/projects/{part.project_id}/limits/", values).status_code == 302
    client.post(f"/projects/{part.project_id}/parts/", {"name": "Lid"})
    assert Part.objects.exclude(id=part.id).get().document["limits"]["kink"] == 25
    part.refresh_from_db()
    assert part.document["limits"]["kink"] == 40
    client.post(f"/projects/{part.project_id}/limits/", {**values, "all": "1"})
    part.refresh_from_db()
    assert part.document["limits"]["face_budget"] == 9000
    assert part.last_change == "limits of the project taken"
    assert client.post(f"/projects/{part.project_id}/limits/", {**values, "evenness": "much"}).status_code == 422
    assert client.post(f"/projects/{part.project_id}/limits/", {**values, "evenness": "7"}).status_code == 422
