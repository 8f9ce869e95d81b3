"""Around projects: the example, moving a part, lists that are searched and paged, the page of verbs."""

from __future__ import annotations

import pytest
from django.contrib.auth import get_user_model

from glass_spoon.sheet.document import read_document
from glass_spoon.studio.flows.change_part import first_part
from glass_spoon.studio.flows.example_project import DEMO
from glass_spoon.studio.flows.keep_picture import keep_picture
from glass_spoon.studio.models import Membership, Part, Project, Role

pytestmark = pytest.mark.django_db

DOT = b'<svg xmlns="http://www.w3.org/2000/svg" width="8" height="8"><rect width="8" height="8"/></svg>'


def sheet(name: str, *lines: dict) -> object:
    """Return a sheet of some lines."""
    numbered = [{"id": f"l{k}", **line} for k, line in enumerate(lines, 1)]
    return read_document({"format": "glass-spoon/sheet", "version": 1, "name": name, "lines": numbered})


def test_a_new_account_gets_the_example_when_it_opens_it(client) -> None:
    """It is offered on an empty list, made once it is opened, whole and one's own, and then not offered again."""
    user = get_user_model().objects.create_user("newcomer", password="a-long-one-7")
    client.force_login(user)
    assert "Open the example" in client.get("/projects/").content.decode()
    page = client.post("/projects/example/", follow=True).content.decode()
    assert "Ventilator" in page
    own = Membership.objects.get(user=user)
    assert (own.role, own.project.parts.count()) == (Role.OWNER, len(list(DEMO.glob("*.json"))))
    assert "Open the example" not in client.get("/projects/").content.decode()


def test_a_part_moves_with_its_pictures_and_its_history(part, people, as_user, settings) -> None:
    """Its picture is one of the new project's; whoever may not edit there cannot move it there."""
    target = Project.objects.create(name="Slipway")
    Membership.objects.create(project=target, user=people["owner"], role=Role.OWNER)
    picture = keep_picture(part.project, people["owner"], "dot.svg", DOT)
    laid = first_part(people["owner"], part.project_id, sheet("Laid", {"verb": "lay", "picture": str(picture.pk)}), "made")
    assert as_user("editor").post(f"/parts/{laid.pk}/move/", {"project": str(target.pk)}).status_code == 404
    answer = as_user("owner").post(f"/parts/{laid.pk}/move/", {"project": str(target.pk)}, follow=True)
    assert "Laid is in Slipway now" in answer.content.decode()
    moved = Part.objects.get(pk=laid.pk)
    new = target.pictures.get()
    assert (moved.project_id, moved.sheet().lines[0].picture) == (target.pk, str(new.pk))
    assert (new.name, new.width, bytes(new.data)) == (picture.name, picture.width, bytes(picture.data))
    assert moved.changes.count() == 2
    again = as_user("owner").post(f"/parts/{laid.pk}/move/", {"project": str(target.pk)})
    assert again.status_code == 422
    assert b"already" in again.content


def test_projects_and_parts_are_searched_and_paged(part, people, as_user) -> None:
    """A word finds projects by their own name and by that of a part; long lists come page by page."""
    owner = as_user("owner")
    for number in range(12):
        project = Project.objects.create(name=f"Raft {number:02}")
        Membership.objects.create(project=project, user=people["owner"], role=Role.OWNER)
    text = owner.get("/projects/").content.decode()
    assert "Page 1 of 2" in text
    found = owner.get("/projects/?q=raft 1").content.decode()
    assert "Raft 10" in found
    assert "Raft 02" not in found
    assert part.project.name in owner.get(f"/projects/?q={part.name}").content.decode()
    assert "No project and no part of yours has" in owner.get("/projects/?q=zzz").content.decode()
    for number in range(40):
        first_part(people["owner"], part.project_id, sheet(f"Plank {number:02}"), "made")
    at = f"/projects/{part.project_id}/"
    assert "Page 1 of 2" in owner.get(at).content.decode()
    assert "Plank 39" in owner.get(f"{at}?page=2").content.decode()
    only = owner.get(f"{at}?q=plank 07").content.decode()
    assert "Plank 07" in only
    assert "Plank 08" not in only


def test_the_page_of_verbs_shows_examples_with_drawings(client) -> None:
    """Every verb has a line that is one of it, and a drawing of what it gives; what has no shape has none."""
    text = client.get("/verbs/").content.decode()
    assert 'id="revolve"' in text
    assert "Bevel edges of crate by a width of 4 mm" in text
    assert "/static/verbs/bevel.svg" in text
    assert "/verbs/size" not in text
    assert "As in Bailing scoop" in text, "a size stands in the boathouse alone"
