"""Choices that a column of the database may hold, as an enumeration that the type checker knows; Django's has no types."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

from django.db import models

if TYPE_CHECKING:
    from enum import StrEnum

    class Choices(StrEnum):
        """Texts with labels."""

        label: str
        values: ClassVar[list[str]]
        choices: ClassVar[list[tuple[str, str]]]

else:
    Choices = models.TextChoices

__all__ = ["Choices"]
