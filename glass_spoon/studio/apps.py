"""What the application does when it starts."""

from __future__ import annotations

from django.apps import AppConfig

from glass_spoon.sheet.stored_files import add_loader
from glass_spoon.sheet.stored_meshes import add_reader


class StudioConfig(AppConfig):
    """The studio: says how files that sheets refer to are found."""

    name = "glass_spoon.studio"
    label = "studio"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let sheets find stored files; models can be loaded only now."""
        from glass_spoon.studio.flows.keep_file import load_file  # noqa: PLC0415  (models are not loaded before)
        from glass_spoon.studio.flows.read_files import stored_mesh  # noqa: PLC0415  (as above)

        add_loader(load_file)
        add_reader(stored_mesh)
