"""The boathouse project: the demo's, and an example for whoever has just signed up."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.db import transaction

from glass_spoon.sheet.document import read_document
from glass_spoon.studio.flows.change_part import first_part
from glass_spoon.studio.flows.keep_picture import keep_picture
from glass_spoon.studio.flows.quotas import check_project_room
from glass_spoon.studio.models import Membership, Project, Role

DEMO = Path(__file__).resolve().parents[1] / "demo"
EXAMPLE = "Boathouse kit"


def make_example(user: Any) -> Project:
    """Make the project with its pictures and parts for a user, who owns it; Refused where they own as many as they may."""
    check_project_room(int(user.pk))
    with transaction.atomic():
        project = Project.objects.create(name=EXAMPLE)
        Membership.objects.create(project=project, user=user, role=Role.OWNER)
        pictures = {
            path.name: str(keep_picture(project, user, path.name, path.read_bytes()).id)
            for path in sorted((DEMO / "pictures").iterdir())
        }
        for path in sorted(DEMO.glob("*.json")):
            data = read_document(path.read_bytes()).model_dump(mode="json")
            for line in data["lines"]:
                if "picture" in line:
                    line["picture"] = pictures.get(line["picture"], line["picture"])
            first_part(user, project.pk, read_document(data), "made")
    return project


def has_example(user: Any) -> bool:
    """Say whether a user is a member of such a project."""
    return Membership.objects.filter(user=user, project__name=EXAMPLE).exists()
