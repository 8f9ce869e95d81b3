"""Load the demo: a user, the boathouse project, its pictures and parts. Does nothing when there are users already."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.db import transaction

from glass_spoon.sheet.document import read_document
from glass_spoon.studio.flows.change_part import first_part
from glass_spoon.studio.flows.keep_picture import keep_picture
from glass_spoon.studio.models import Membership, Project, Role

DEMO = Path(__file__).resolve().parents[2] / "demo"
NAME, PASSWORD = "demo", "kettle-demo"


class Command(BaseCommand):
    """Loads the demo into an empty database."""

    help = "Load the demo user and the boathouse project, when there are no users yet."

    def handle(self, *args: Any, **options: Any) -> None:
        """Load everything in one transaction."""
        users = get_user_model().objects
        if users.exists():
            return
        with transaction.atomic():
            user = users.create_user(NAME, password=PASSWORD)
            project = Project.objects.create(name="Boathouse kit")
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
