"""Projects, members, parts with their history, and kept versions."""

from __future__ import annotations

import re
from importlib import import_module
from typing import Any, ClassVar

from django.conf import settings
from django.contrib.sessions.base_session import AbstractBaseSession
from django.db import models

from glass_spoon.sheet.document import SheetDocument, SheetLimits
from glass_spoon.studio.choices import Choices
from glass_spoon.studio.shelf import read_stored

_NUMBERED = re.compile(r"^\d+\. ", re.MULTILINE)


class Role(Choices):
    """What a member may do: owners also manage members, editors change parts, viewers look and send out."""

    OWNER = "owner", "owner"
    EDITOR = "editor", "editor"
    VIEWER = "viewer", "viewer"


class Unit(Choices):
    """The unit in which a project shows lengths, and which plain numbers mean where they are typed."""

    MILLIMETRE = "mm", "millimetres"
    CENTIMETRE = "cm", "centimetres"
    METRE = "m", "metres"
    INCH = "inch", "inches"


class Project(models.Model):
    """A group of parts that belong together."""

    name = models.CharField(max_length=80)
    made_at = models.DateTimeField(auto_now_add=True)
    members = models.ManyToManyField(settings.AUTH_USER_MODEL, through="Membership", related_name="projects")
    limits = models.JSONField(default=dict)
    unit = models.CharField(max_length=8, choices=Unit, default=Unit.MILLIMETRE)

    class Meta:
        """By name."""

        ordering: ClassVar[list[str]] = ["name", "id"]
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.CheckConstraint(condition=models.Q(unit__in=Unit.values), name="known_unit"),
        ]

    def __str__(self) -> str:
        """Return the name."""
        return self.name

    def sheet_limits(self) -> SheetLimits:
        """Return the limits of the gauges that new parts start with."""
        return SheetLimits.model_validate(self.limits)


class Membership(models.Model):
    """A user's role in a project."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role)

    class Meta:
        """One role a user."""

        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["project", "user"], name="one_role_a_user"),
            models.CheckConstraint(condition=models.Q(role__in=Role.values), name="known_role"),
        ]

    def __str__(self) -> str:
        """Return user and role."""
        return f"{self.user} ({self.role})"


class Invitation(models.Model):
    """A role in a project that somebody was asked to take; it becomes a membership when it is accepted."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="invitations")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="invitations")
    role = models.CharField(max_length=10, choices=Role)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """One invitation a user."""

        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["project", "user"], name="one_invitation_a_user"),
            models.CheckConstraint(condition=models.Q(role__in=Role.values), name="known_invited_role"),
        ]

    def __str__(self) -> str:
        """Return user and role."""
        return f"{self.user} ({self.role})"


class Part(models.Model):
    """A part: its present sheet, the revision that guards against stale edits, and the number of its last change.

    document: as JSON, files of its lines outside; `sheet` is how it is read.
    """

    project = models.ForeignKey(Project, models.CASCADE, related_name="parts")
    name = models.CharField(max_length=80)
    document = models.JSONField()
    revision = models.PositiveIntegerField(default=1)
    position = models.PositiveIntegerField(default=1)
    changed_at = models.DateTimeField(auto_now=True)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    last_change = models.CharField(max_length=200, default="made")
    thumbnail = models.BinaryField(default=b"")
    thumbnail_revision = models.PositiveIntegerField(default=0)

    known_ends: tuple[bool, bool] | None = None
    """Whether whoever just edited has something to undo and to redo; None where the history must be asked."""

    by_link: bool = False
    """Whether whoever looks at it came by a link alone."""

    class Meta:
        """By name."""

        ordering: ClassVar[list[str]] = ["name", "id"]

    def __str__(self) -> str:
        """Return the name."""
        return self.name

    def sheet(self) -> SheetDocument:
        """Return the present sheet, checked, with the files of its lines; worked out once for a document."""
        known = getattr(self, "_sheet", None)
        if known is None or known[0] is not self.document:
            known = (self.document, read_stored(self.document))
            self._sheet = known
        return known[1]


class PartLink(models.Model):
    """A link that shows a part to whoever has it, until it is taken back: the row goes then."""

    part = models.ForeignKey(Part, models.CASCADE, related_name="links")
    token = models.CharField(max_length=43, unique=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """In the order in which they were made."""

        ordering: ClassVar[list[str]] = ["made_at", "id"]

    def __str__(self) -> str:
        """Return the part and the beginning of the token."""
        return f"{self.part}: {self.token[:6]}…"


class Starter(models.Model):
    """Lines that are kept for the other parts of a project: a sheet of their own, in the text form."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="starters")
    name = models.CharField(max_length=80)
    text = models.TextField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    @property
    def line_count(self) -> int:
        """How many lines it has: those that are numbered in the text form."""
        return len(_NUMBERED.findall(self.text))

    class Meta:
        """By their names."""

        ordering: ClassVar[list[str]] = ["name", "id"]

    def __str__(self) -> str:
        """Return the name."""
        return self.name


class PartComment(models.Model):
    """What is said about a part: of a line by its id, of a place in mm, or ("", None) of the whole; settled, or open."""

    part = models.ForeignKey(Part, models.CASCADE, related_name="comments")
    line = models.CharField(max_length=40, default="", blank=True)
    place = models.JSONField(null=True)
    text = models.CharField(max_length=1000)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    settled = models.BooleanField(default=False)

    class Meta:
        """In the order in which they were written."""

        ordering: ClassVar[list[str]] = ["made_at", "id"]

    def __str__(self) -> str:
        """Return the beginning of the text."""
        return self.text[:40]


class SignedInSession(AbstractBaseSession):
    """A session in a browser, and the account that signed in to it."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="+")

    class Meta(AbstractBaseSession.Meta):
        """As Django's own."""

    @classmethod
    def get_session_store_class(cls) -> Any:
        """Return the store whose rows these are."""
        return import_module(settings.SESSION_ENGINE).SessionStore


class ReferencePicture(models.Model):
    """A picture to draw over, re-encoded on the way in; all parts of its project may use it."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="pictures")
    name = models.CharField(max_length=80)
    data = models.BinaryField()
    media_type = models.CharField(max_length=20)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")

    class Meta:
        """Newest first."""

        ordering: ClassVar[list[str]] = ["-made_at", "-id"]

    def __str__(self) -> str:
        """Return the name."""
        return self.name


class Presence(models.Model):
    """Who is at a part, on which line ("" for none), and when they were last heard of."""

    part = models.ForeignKey(Part, models.CASCADE, related_name="presences")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    line = models.CharField(max_length=40, default="", blank=True)
    seen_at = models.DateTimeField()

    class Meta:
        """One place a user."""

        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["part", "user"], name="one_presence_a_user")
        ]

    def __str__(self) -> str:
        """Return user and part."""
        return f"{self.user} at {self.part}"


class StoredFile(models.Model):
    """A file that sheets refer to by the hash of its content; it never changes. chosen_at: when it was chosen last."""

    digest = models.CharField(max_length=32, unique=True)
    name = models.CharField(max_length=80)
    data = models.BinaryField()
    chosen_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Newest first."""

        ordering: ClassVar[list[str]] = ["-chosen_at", "-id"]

    def __str__(self) -> str:
        """Return the name."""
        return self.name


class Attempt(models.Model):
    """A try that anybody may make a few times an hour: what it was, and where from or what about."""

    what = models.CharField(max_length=20)
    key = models.CharField(max_length=120)
    made_at = models.DateTimeField(auto_now_add=True, db_index=True)

    class Meta:
        """Found by what and key."""

        indexes: ClassVar[list[models.Index]] = [models.Index(fields=["what", "key"], name="attempts_by_key")]

    def __str__(self) -> str:
        """Return what was tried."""
        return f"{self.what} {self.key}"


class HeldFile(models.Model):
    """A stored file that a project holds: sheets of other projects cannot use it."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="held_files")
    file = models.ForeignKey(StoredFile, models.CASCADE, related_name="holders")

    class Meta:
        """Once a project."""

        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["project", "file"], name="one_hold_a_file")
        ]

    def __str__(self) -> str:
        """Return project and file."""
        return f"{self.file} in {self.project}"


class KeptResult(models.Model):
    """A packed result by the key of its content, shared by all servers and workers. used_at: when it was asked for last."""

    key = models.CharField(max_length=80, primary_key=True)
    data = models.BinaryField()
    size = models.BigIntegerField()
    used_at = models.DateTimeField(auto_now_add=True, db_index=True)

    def __str__(self) -> str:
        """Return the key."""
        return self.key


class Job(models.Model):
    """Work that a worker does: its kind, what was asked for, how far it is, and in the end what came of it.

    A job is somebody's, about a part, and found by its token; or about a file and shared by all, one for each order.
    stage: waiting, words that say what is done, and ready, failed or stopped. queued: its number in the queue.
    touched_at: when whoever does it last gave a sign of life. outcome: figures to show; data: bytes to fetch.
    """

    kind = models.CharField(max_length=20)
    token = models.CharField(max_length=40, unique=True, null=True)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+", null=True)
    part = models.ForeignKey(Part, models.CASCADE, related_name="jobs", null=True)
    file = models.ForeignKey(StoredFile, models.CASCADE, related_name="jobs", null=True)
    order = models.JSONField(default=dict)
    stage = models.CharField(max_length=20, default="waiting")
    share = models.FloatField(default=0.0)
    sentence = models.CharField(max_length=400, default="")
    outcome = models.JSONField(default=dict)
    data = models.BinaryField(default=b"")
    size = models.BigIntegerField(default=0)
    queued = models.BigIntegerField(null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    touched_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Newest first; one shared job for each order about a file."""

        ordering: ClassVar[list[str]] = ["-made_at", "-id"]
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["kind", "file", "order"], name="one_job_a_file")
        ]

    def __str__(self) -> str:
        """Return the kind and the stage."""
        return f"{self.kind} ({self.stage})"

    @property
    def is_ready(self) -> bool:
        """True when what came of it may be fetched."""
        return self.stage == "ready"

    @property
    def is_over(self) -> bool:
        """True when nothing more happens."""
        return self.stage in ("ready", "failed", "stopped")

    @property
    def percent(self) -> int:
        """Share done in percent."""
        return round(100 * self.share)


class Step(Choices):
    """What a change is: an edit, one that takes an edit back, or one that makes it again."""

    EDIT = "edit", "edit"
    UNDO = "undo", "undo"
    REDO = "redo", "redo"


class Change(models.Model):
    """One change in the history of a part, which only grows.

    patch: what it did to the sheet before it, by RFC 6902. document: the whole sheet after it, in the first change
    and now and then, else nothing. revision: of the part after it, 0 where that is not known. of: the number of the
    edit that an undo or a redo is about; undone: the edit is taken back at present.
    """

    part = models.ForeignKey(Part, models.CASCADE, related_name="changes")
    number = models.PositiveIntegerField()
    document = models.JSONField(null=True)
    patch = models.JSONField(default=list)
    revision = models.PositiveIntegerField(default=0)
    step = models.CharField(max_length=4, choices=Step, default=Step.EDIT)
    of = models.PositiveIntegerField(null=True)
    undone = models.BooleanField(default=False)
    token = models.CharField(max_length=40, default="", blank=True)  # of whoever sent it: what is sent twice is done once
    summary = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")

    class Meta:
        """Numbered without gaps within a part."""

        ordering: ClassVar[list[str]] = ["number"]
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["part", "number"], name="one_change_a_number")
        ]

    def __str__(self) -> str:
        """Return number and summary."""
        return f"{self.number} {self.summary}"


class KeptVersion(models.Model):
    """A named version of a part, with the figures it had."""

    part = models.ForeignKey(Part, models.CASCADE, related_name="versions")
    name = models.CharField(max_length=80)
    document = models.JSONField()
    figures = models.JSONField(default=dict)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")

    class Meta:
        """Newest first; names are unique within a part."""

        ordering: ClassVar[list[str]] = ["-made_at", "-id"]
        constraints: ClassVar[list[models.BaseConstraint]] = [
            models.UniqueConstraint(fields=["part", "name"], name="one_version_a_name")
        ]

    def __str__(self) -> str:
        """Return the name."""
        return self.name
