"""Load the demo: a user, the boathouse project, its pictures and parts. Does nothing when there are users already."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.db import transaction

from glass_spoon.studio.flows.example_project import make_example

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
            make_example(users.create_user(NAME, password=PASSWORD))
