"""Who is at a part."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.db import connection
from django.http import Http404
from django.utils import timezone

from glass_spoon.studio.models import Presence

GONE_AFTER = timedelta(seconds=12)
"""Time without a sign after which somebody counts as gone: benches that are not seen ask every few seconds only."""

_LOOK = """
SELECT part.revision, part.last_change, changer.username
FROM studio_part part
JOIN studio_membership membership ON membership.project_id = part.project_id AND membership.user_id = %s
LEFT JOIN auth_user changer ON changer.id = part.changed_by_id
WHERE part.id = %s
"""
"""The revision of a part for a member, with what was changed last and by whom; no row for strangers."""

_NOTE = """
INSERT INTO studio_presence (part_id, user_id, line, seen_at) VALUES (%s, %s, %s, %s)
ON CONFLICT (part_id, user_id) DO UPDATE SET line = EXCLUDED.line, seen_at = EXCLUDED.seen_at
"""
"""Note where somebody is."""


def seen(user_id: int, part_id: int, line: str) -> dict[str, Any]:
    """Note that a user is at a part, and return its revision and who else is there; Http404 for strangers."""
    now = timezone.now()
    with connection.cursor() as cursor:
        cursor.execute(_LOOK, [user_id, part_id])
        row = cursor.fetchone()
        if row is None:
            raise Http404
        cursor.execute(_NOTE, [part_id, user_id, line[:40], now])
    others = Presence.objects.filter(part_id=part_id, seen_at__gt=now - GONE_AFTER).exclude(user_id=user_id)
    people = [
        {"name": name, "line": at} for name, at in others.order_by("user__username").values_list("user__username", "line")
    ]
    return {"revision": row[0], "last": row[1], "by": row[2] or "", "people": people}
