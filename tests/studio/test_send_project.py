"""All parts of a project in one archive: every file stands for itself, and what could not be written is told."""

from __future__ import annotations

import io
import re
import zipfile

import pytest
import trimesh

from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.read_sheet import read_sheet
from glass_spoon.sheet.text_form.write_text import write_text
from glass_spoon.studio.flows.change_part import first_part
from glass_spoon.studio.flows.keep_starter import keep_starter
from glass_spoon.studio.flows.send_project import start_project
from glass_spoon.studio.jobs import rows
from glass_spoon.studio.sentences import Refused

BROKEN = {
    "format": "glass-spoon/sheet",
    "version": 1,
    "name": "Camp kettle",
    "lines": [{"id": "l1", "verb": "draw", "gives": "profile"}],
}


@pytest.fixture
def archive(part, people):
    """Return what sends the kettle's project out, and opens what came."""

    def sent(**form: str) -> zipfile.ZipFile:
        job = start_project(people["owner"].id, part.project, form)
        assert job.is_ready, job.sentence
        return zipfile.ZipFile(io.BytesIO(rows.content(job)))

    return sent


def test_every_part_has_a_folder_with_meshes_surfaces_curves_and_sheets(archive, part) -> None:
    """The mesh is as large as the part's, and both forms of the sheet read back to it."""
    box = archive(format="obj", level="1")
    names = {name.rsplit(".", 1)[-1] for name in box.namelist()}
    assert names == {"obj", "step", "dxf", "md", "json", "txt"}
    of = {name.rsplit(".", 1)[-1]: box.read(name) for name in box.namelist()}
    mesh = trimesh.load(io.BytesIO(of["obj"]), file_type="obj", process=False)
    assert mesh.bounding_box.extents[2] == pytest.approx(158, abs=2)
    assert write_text(read_sheet(of["md"])) == write_text(part.sheet())
    assert read_sheet(of["json"]).lines == part.sheet().lines
    assert of["step"].startswith(b"ISO-10303-21")


def test_parts_of_one_name_and_unfinished_parts_stand_beside_the_others(archive, part, people) -> None:
    """Their folders keep apart; a part with nothing to build sends its sheet, an empty project's archive only its list."""
    first_part(people["owner"], part.project_id, read_document(BROKEN), "made")
    first_part(people["owner"], part.project_id, SheetDocument(name="???"), "made")
    names = archive(format="stl").namelist()
    folders = {name.split("/")[0] for name in names if "/" in name}
    assert folders == {"Camp kettle", "Camp kettle 2", "part"}
    assert {name for name in names if name.startswith("part/")} == {"part/part.md", "part/part.json"}
    assert sum(name.endswith(".stl") for name in names) == 1


def test_starters_go_out_with_the_project(archive, part, people) -> None:
    """Each as the text of a sheet, in a folder that no part of that name gets."""
    first_part(people["owner"], part.project_id, SheetDocument(name="starters"), "made")
    for _ in range(2):
        keep_starter(part, [part.sheet().lines[-1].id], people["owner"])
    box = archive(format="stl")
    found = [name for name in box.namelist() if name.startswith("starters/")]
    assert found == ["starters/Camp kettle.md", "starters/Camp kettle 2.md"]
    assert len(read_sheet(box.read(found[0])).lines) >= 1
    assert "starters 2/starters.md" in box.namelist()
    assert "starter Camp kettle\tstarters/Camp kettle.md" in box.read("contents.txt").decode()


def test_a_project_that_cannot_be_written_says_why(people, part) -> None:
    """Unknown formats and levels are refused; the job of one project is not found in another."""
    for form, words in (({"format": "doc"}, "Choose glTF"), ({"format": "glb", "level": "9"}, "0 to 6")):
        with pytest.raises(Refused, match=words):
            start_project(people["owner"].id, part.project, form)


def test_the_archive_is_fetched_through_its_addresses(as_user, part) -> None:
    """The answer names the file; only whoever asked for it gets it."""
    owner = as_user("owner")
    answer = owner.post(f"/projects/{part.project_id}/send-out/", {"format": "ply", "level": "0"}).content.decode()
    at = re.search(r'href="([^"]+/file/)"', answer)[1]
    assert ".zip is written" in answer
    assert owner.get(at).content[:2] == b"PK"
    assert as_user("editor").get(at).status_code == 404
    assert as_user("stranger").get(at).status_code == 404
