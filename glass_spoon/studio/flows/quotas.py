"""How much a project and an account may keep, and how much they do."""

from __future__ import annotations

from dataclasses import dataclass

from django.conf import settings
from django.db.models import Func, IntegerField, Sum
from django.db.models.functions import Length

from glass_spoon.studio.models import Change, HeldFile, KeptVersion, Membership, Part, ReferencePicture, Role
from glass_spoon.studio.sentences import Refused

NEAR = 0.8
"""Share of a quota from which on it is told."""

MEGABYTE = 1_000_000


@dataclass(frozen=True)
class Usage:
    """What a project keeps: bytes of files, pictures and history together, parts, and the most of both."""

    size: int
    parts: int

    @property
    def megabytes(self) -> float:
        """Megabytes kept."""
        return self.size / MEGABYTE

    @property
    def percent(self) -> int:
        """Share of the room in percent."""
        return round(100 * self.size / (settings.QUOTA_PROJECT_MB * MEGABYTE))

    @property
    def sentence(self) -> str:
        """What is told before a quota is met, "" while it is far."""
        if self.size > NEAR * settings.QUOTA_PROJECT_MB * MEGABYTE:
            return (
                f"This project keeps {self.megabytes:,.0f} of {settings.QUOTA_PROJECT_MB:,} MB. "
                "Remove parts or pictures that are not needed, or ask who runs this server for more room."
            )
        if self.parts > NEAR * settings.QUOTA_PARTS:
            return f"This project has {self.parts} of at most {settings.QUOTA_PARTS} parts."
        return ""


class _StoredSize(Func):
    """The bytes that a value takes in its table (PostgreSQL, pg_column_size), compression counted."""

    function = "pg_column_size"
    output_field = IntegerField()


def usage_of(project_id: int) -> Usage:
    """Return what a project keeps."""
    files = HeldFile.objects.filter(project_id=project_id).aggregate(total=Sum(Length("file__data")))["total"] or 0
    pictures = ReferencePicture.objects.filter(project_id=project_id).aggregate(total=Sum(Length("data")))["total"] or 0
    sheets = 0
    for model, path, fields in (
        (Part, "project_id", ("document",)),
        (Change, "part__project_id", ("document", "patch")),
        (KeptVersion, "part__project_id", ("document",)),
    ):
        for field in fields:
            found = model.objects.filter(**{path: project_id}).aggregate(total=Sum(_StoredSize(field)))
            sheets += found["total"] or 0
    return Usage(files + pictures + sheets, Part.objects.filter(project_id=project_id).count())


def check_room(project_id: int, more: int) -> None:
    """Raise Refused where so many bytes more do not fit into a project."""
    usage = usage_of(project_id)
    if usage.size + more > settings.QUOTA_PROJECT_MB * MEGABYTE:
        raise Refused(
            f"This project keeps {usage.megabytes:,.0f} of {settings.QUOTA_PROJECT_MB:,} MB, and this needs "
            f"{more / MEGABYTE:,.1f} MB more. Remove parts or pictures that are not needed."
        )


def check_part_room(project_id: int) -> None:
    """Raise Refused where a project has as many parts as it may."""
    if Part.objects.filter(project_id=project_id).count() >= settings.QUOTA_PARTS:
        raise Refused(f"A project holds up to {settings.QUOTA_PARTS} parts. Make another project, or remove parts.")


def check_project_room(user_id: int) -> None:
    """Raise Refused where an account owns as many projects as it may."""
    if Membership.objects.filter(user_id=user_id, role=Role.OWNER).count() >= settings.QUOTA_PROJECTS:
        raise Refused(f"An account owns up to {settings.QUOTA_PROJECTS} projects. Remove one that is not needed.")
