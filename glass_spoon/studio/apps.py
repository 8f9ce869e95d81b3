"""The application as Django knows it."""

from __future__ import annotations

from django.apps import AppConfig


class StudioConfig(AppConfig):
    """The studio."""

    name = "glass_spoon.studio"
    label = "studio"
    default_auto_field = "django.db.models.BigAutoField"
