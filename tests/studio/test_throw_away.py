"""Stored files are thrown away when no sheet can come back to them, and not before."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.utils import timezone

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.obj import write_obj
from glass_spoon.studio.flows import keep_file
from glass_spoon.studio.flows.read_files import READ_MESH
from glass_spoon.studio.flows.throw_away import KEPT, throw_away
from glass_spoon.studio.models import Change, Job, KeptVersion, Part, StoredFile
from tests.zoo import cube_mesh

pytestmark = pytest.mark.django_db

CUBE = write_obj([NamedMesh("cube", cube_mesh())])


@pytest.fixture
def reference(monkeypatch, project) -> str:
    """The text that refers to a file chosen long ago."""
    monkeypatch.setattr(keep_file, "READ_AT_ONCE", 0)
    text = keep_file.keep_mesh_file(CUBE, "cube.obj", project.pk)
    _grow_old()
    return text


def _grow_old() -> None:
    StoredFile.objects.update(chosen_at=timezone.now() - KEPT - timedelta(minutes=1))


def _naming(reference: str) -> dict:
    return {"lines": [{"id": "l1", "verb": "import_mesh", "file": reference}]}


def test_an_old_file_that_no_sheet_names_goes_with_its_reading(reference: str, part: Part) -> None:
    """File and reading are both deleted."""
    assert Job.objects.get().stage == "ready"
    assert throw_away() == 1
    assert not StoredFile.objects.exists()
    assert not Job.objects.exists()


def test_a_file_stays_while_the_present_sheet_names_it(reference: str, part: Part) -> None:
    """The sheet's own reference keeps it."""
    Part.objects.filter(pk=part.pk).update(document=_naming(reference))
    assert throw_away() == 0


def test_a_file_stays_while_undo_can_come_back_to_it(reference: str, part: Part) -> None:
    """A change that undo reaches keeps it."""
    Change.objects.create(part=part, number=99, document=_naming(reference), summary="a scan")
    assert throw_away() == 0


def test_a_file_stays_while_a_kept_version_names_it(reference: str, part: Part) -> None:
    """It stays as long as the version does."""
    version = KeptVersion.objects.create(part=part, name="with the scan", document=_naming(reference))
    assert throw_away() == 0
    version.delete()
    assert throw_away() == 1


def test_a_file_chosen_again_stays(reference: str, part: Part) -> None:
    """Choosing it again renews it."""
    assert keep_file.keep_mesh_file(CUBE, "cube.obj", part.project_id) == reference
    assert throw_away() == 0
    assert bytes(StoredFile.objects.get().data) == CUBE


def test_readings_packed_in_an_old_way_go(reference: str, part: Part) -> None:
    """Only the reading of an old packing is deleted."""
    StoredFile.objects.update(chosen_at=timezone.now())
    Job.objects.create(kind=READ_MESH, file=StoredFile.objects.get(), order={"ending": "obj", "version": 0}, stage="ready")
    assert throw_away() == 0
    assert Job.objects.count() == 1
