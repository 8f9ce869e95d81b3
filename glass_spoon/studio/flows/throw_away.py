"""Throw away stored files that no sheet names any more, and readings in a way of packing that is no longer used."""

from __future__ import annotations

from datetime import timedelta

from django.db import transaction
from django.db.models import Q, QuerySet, TextField
from django.db.models.functions import Cast
from django.utils import timezone

from glass_spoon.formats.mesh_file import PACKED_VERSION
from glass_spoon.sheet.stored_files import reference_start
from glass_spoon.studio.flows.read_files import READ_MESH
from glass_spoon.studio.models import Change, Job, KeptVersion, Part, StoredFile
from glass_spoon.studio.shelf import kept_start

KEPT = timedelta(days=30)
"""Time after a file was last chosen in which it stays, whatever names it: a sheet that was sent out may come back."""


def throw_away() -> int:
    """Delete what nobody can come back to; returns the number of files."""
    Job.objects.filter(kind=READ_MESH, order__version__lt=PACKED_VERSION).delete()
    old = StoredFile.objects.filter(chosen_at__lt=timezone.now() - KEPT)
    return sum(_thrown_away(old, digest) for digest in old.values_list("digest", flat=True))


def _thrown_away(old: QuerySet[StoredFile], digest: str) -> bool:
    """Delete a file unless a sheet names it, or it was chosen anew meanwhile; tells whether it was deleted."""
    with transaction.atomic():
        held = old.select_for_update().defer("data").filter(digest=digest).first()
        if held is None or _is_named(digest):
            return False
        held.delete()
        return True


def _is_named(digest: str) -> bool:
    """Return whether a present, a past or a kept sheet refers to a file."""
    places = ((Part, "document"), (Change, "document"), (Change, "patch"), (KeptVersion, "document"), (Job, "order"))
    texts = (model.objects.annotate(text=Cast(field, TextField())) for model, field in places)
    named = Q(text__contains=reference_start(digest)) | Q(text__contains=kept_start(digest))
    return any(found.filter(named).exists() for found in texts)
